package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/editor"
)

func (s *server) editorRoutes(a huma.API) {
	kinds := editor.Kinds()
	huma.Register(a, huma.Operation{OperationID: "list-editors", Method: http.MethodGet, Path: "/api/editors", Summary: "How the objects of a plan are edited: settings with labels, options, defaults and units"},
		func(context.Context, *struct{}) (*struct{ Body []editor.Kind }, error) {
			return &struct{ Body []editor.Kind }{kinds}, nil
		})
}
