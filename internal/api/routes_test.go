package api

import (
	"log/slog"
	"net/http"
	"net/http/httptest"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/alexedwards/scs/v2"
	"github.com/gin-gonic/gin"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

var braces = regexp.MustCompile(`\{([a-zA-Z]+)\}`)

// Every route that the server has is described, and every description has its
// route; all but those by which one gets in want a sign-in.
func TestEveryRouteIsDescribedAndClosed(t *testing.T) {
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	s := &server{Config: Config{Log: slog.New(slog.DiscardHandler)}, sessions: scs.New()}
	description := describe(engine, s).OpenAPI()
	var described, routed []string
	for path, item := range description.Paths {
		for method, op := range map[string]bool{"GET": item.Get != nil, "PUT": item.Put != nil, "POST": item.Post != nil, "DELETE": item.Delete != nil, "PATCH": item.Patch != nil} {
			if op {
				described = append(described, method+" "+braces.ReplaceAllString(path, ":$1"))
			}
		}
	}
	for _, r := range engine.Routes() {
		if !strings.HasPrefix(r.Path, "/api/openapi") {
			routed = append(routed, r.Method+" "+r.Path)
		}
	}
	slices.Sort(described)
	slices.Sort(routed)
	require.Greater(t, len(routed), 30)
	assert.Equal(t, described, routed)

	handler := s.sessions.LoadAndSave(engine)
	for _, route := range routed {
		method, path, _ := strings.Cut(route, " ")
		w := httptest.NewRecorder()
		req := httptest.NewRequest(method, strings.NewReplacer(":id", "1", ":path", "x").Replace(path), strings.NewReader("{}"))
		req.Header.Set("Content-Type", "application/json")
		handler.ServeHTTP(w, req)
		if strings.HasSuffix(route, "/api/first-start") || route == "POST /api/session" {
			assert.NotEqual(t, http.StatusUnauthorized, w.Code, route)
			continue
		}
		assert.Equal(t, http.StatusUnauthorized, w.Code, route)
		assert.Equal(t, "application/problem+json", w.Header().Get("Content-Type"), route)
	}
}
