package webapp

import (
	"net/http"
	"net/http/httptest"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
)

func get(files fstest.MapFS, path string) *httptest.ResponseRecorder {
	w := httptest.NewRecorder()
	handler{files, http.FileServerFS(files)}.ServeHTTP(w, httptest.NewRequest(http.MethodGet, path, nil))
	return w
}

func TestFilesAndViews(t *testing.T) {
	files := fstest.MapFS{"index.html": {Data: []byte("the page")}, "assets/a-1.js": {Data: []byte("code")}, "mark.svg": {Data: []byte("<svg/>")}}
	for _, c := range []struct {
		path, body, cache string
		status            int
	}{
		{"/", "the page", "no-cache", 200},
		{"/calls/12", "the page", "no-cache", 200},
		{"/assets/a-1.js", "code", "public, max-age=31536000, immutable", 200},
		{"/mark.svg", "<svg/>", "no-cache", 200},
		{"/assets/gone.js", "404 page not found\n", "", 404},
		{"/../../secret.txt", "404 page not found\n", "", 404},
	} {
		w := get(files, c.path)
		assert.Equal(t, c.status, w.Code, c.path)
		assert.Equal(t, c.body, w.Body.String(), c.path)
		if c.cache != "" {
			assert.Equal(t, c.cache, w.Header().Get("Cache-Control"), c.path)
		}
	}
}

func TestWithoutABuiltApplication(t *testing.T) {
	w := get(fstest.MapFS{}, "/")
	assert.Equal(t, http.StatusServiceUnavailable, w.Code)
	assert.Contains(t, w.Body.String(), "was not built")
}
