package api

import (
	"bytes"
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/plan"
)

// DraftPlan is the plan being edited.
type DraftPlan struct {
	Plan    plan.Plan `json:"plan"`
	Version int64     `json:"version" doc:"Rises with every edit"`
}

// LivePlan is the plan that carries calls.
type LivePlan struct {
	Plan     plan.Plan `json:"plan"`
	Revision int64     `json:"revision"`
}

// Accepted says which version of the draft an edit made.
type Accepted struct {
	Version int64 `json:"version"`
}

func (s *server) planRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "draft", Method: http.MethodGet, Path: "/api/draft", Summary: "The plan being edited"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body DraftPlan }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			return &struct{ Body DraftPlan }{DraftPlan{d.Plan, d.Version}}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "live", Method: http.MethodGet, Path: "/api/live", Summary: "The plan that carries calls"},
		func(context.Context, *struct{}) (*struct{ Body LivePlan }, error) {
			run := s.Plan.Current()
			if run == nil {
				return nil, huma.Error404NotFound("no plan is live yet")
			}
			return &struct{ Body LivePlan }{LivePlan{run.Snapshot.Plan(), run.Revision}}, nil
		})
	huma.Register(a, huma.Operation{
		OperationID: "import-draft", Method: http.MethodPut, Path: "/api/draft", MaxBodyBytes: plan.MaxDocument,
		Summary: "Make a plan document the draft, whole or not at all",
		// plan.Read is stricter than the schema and tells line and column.
		SkipValidateBody: true,
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{
			"application/json": {Schema: &huma.Schema{Ref: "#/components/schemas/Plan"}},
		}},
	}, func(ctx context.Context, in *struct {
		RawBody []byte `contentType:"application/json"`
	}) (*struct{ Body Accepted }, error) {
		p, err := plan.Read(bytes.NewReader(in.RawBody))
		if err != nil {
			return nil, huma.Error422UnprocessableEntity(err.Error())
		}
		if problems := p.Validate(); len(problems) > 0 {
			return nil, badPlan("the plan has problems; the draft was left as it is", problems)
		}
		if err := s.Store.ReplaceDraft(ctx, p); err != nil {
			return nil, s.failed(err)
		}
		return s.accepted(ctx)
	})
}

// accepted answers an edit with the draft's new version.
func (s *server) accepted(ctx context.Context) (*struct{ Body Accepted }, error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return nil, s.failed(err)
	}
	return &struct{ Body Accepted }{Accepted{d.Version}}, nil
}
