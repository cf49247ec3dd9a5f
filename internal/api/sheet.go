package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/plan"
)

func (s *server) sheetRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "get-interconnect-sheet", Method: http.MethodGet, Path: "/api/trunks/{id}/sheet", Summary: "What the other side of a trunk must enter, as text to hand over"},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"63"`
			Plan string `query:"plan" enum:"live,draft" default:"live"`
		}) (*fileOutput, error) {
			p, err := s.planOf(ctx, in.Plan)
			if err != nil {
				return nil, err
			}
			text, ok := p.Sheet(in.ID)
			if !ok {
				return nil, huma.Error404NotFound("the " + in.Plan + " plan has no trunk " + in.ID)
			}
			return &fileOutput{"text/markdown; charset=utf-8", `attachment; filename="` + in.ID + `.md"`, []byte(text)}, nil
		})
}

// planOf is the live plan or the draft.
func (s *server) planOf(ctx context.Context, which string) (plan.Plan, error) {
	if which == "draft" {
		d, err := s.Store.Draft(ctx)
		return d.Plan, s.failed(err)
	}
	run := s.Plan.Current()
	if run == nil {
		return plan.Plan{}, huma.Error404NotFound("no plan is live yet")
	}
	return run.Snapshot.Plan(), nil
}
