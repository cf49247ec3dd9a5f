package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/editor"
	"switchback.example/switchback/internal/core/plan"
)

func (s *server) editorRoutes(a huma.API) {
	kinds := editor.Kinds()
	huma.Register(a, huma.Operation{OperationID: "list-editors", Method: http.MethodGet, Path: "/api/editors", Summary: "How the objects of a plan are edited: settings with labels, options, defaults and units"},
		func(context.Context, *struct{}) (*struct{ Body []editor.Kind }, error) {
			return &struct{ Body []editor.Kind }{kinds}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-nameable", Method: http.MethodGet, Path: "/api/draft/nameable", Summary: "What the settings of an object can name, by the place of the setting"},
		func(ctx context.Context, in *struct {
			Kind   string `query:"kind" required:"true" enum:"switch,farEnd,trunk,path,destination,callerGroup,calendar"`
			ID     string `query:"id" maxLength:"63" doc:"The object; empty for a new one"`
			Switch string `query:"switch" maxLength:"63" doc:"The switch that it is on"`
		}) (*struct{ Body map[string][]plan.Named }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			return &struct{ Body map[string][]plan.Named }{editor.Nameable(d.Plan, plan.Kind(in.Kind), in.Switch, in.ID)}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-calendar-states", Method: http.MethodGet, Path: "/api/draft/calendar-states", Summary: "The states in which each calendar of the draft can be, by its id"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body map[string][]string }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			out := map[string][]string{}
			for i := range d.Plan.Calendars {
				out[d.Plan.Calendars[i].ID] = d.Plan.Calendars[i].States()
			}
			return &struct{ Body map[string][]string }{out}, nil
		})
}
