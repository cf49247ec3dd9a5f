// Package webapp holds the built web application and serves it. It knows
// nothing of the API.
package webapp

import (
	"embed"
	"io/fs"
	"net/http"
	"path"
	"strings"
)

//go:embed all:dist
var dist embed.FS

// Handler serves the application: files as they are, and index.html for every
// path that is a view of the application. A file that is missing is a 404.
func Handler() http.Handler {
	files, err := fs.Sub(dist, "dist")
	if err != nil {
		panic(err) // the folder is embedded
	}
	return handler{files, http.FileServerFS(files)}
}

type handler struct {
	files fs.FS
	serve http.Handler
}

func (h handler) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	name := strings.TrimPrefix(path.Clean(r.URL.Path), "/")
	if strings.HasPrefix(name, "assets/") {
		w.Header().Set("Cache-Control", "public, max-age=31536000, immutable") // names carry a hash
	} else {
		w.Header().Set("Cache-Control", "no-cache")
	}
	if name == "" || path.Ext(name) == "" {
		h.index(w, r)
		return
	}
	h.serve.ServeHTTP(w, r)
}

func (h handler) index(w http.ResponseWriter, r *http.Request) {
	page, err := fs.ReadFile(h.files, "index.html")
	if err != nil {
		http.Error(w, "the web application was not built into this binary; run bin/demo, or npm run build in web/", http.StatusServiceUnavailable)
		return
	}
	w.Header().Set("Content-Type", "text/html; charset=utf-8")
	w.WriteHeader(http.StatusOK)
	if r.Method != http.MethodHead {
		_, _ = w.Write(page)
	}
}
