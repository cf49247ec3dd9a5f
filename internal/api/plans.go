package api

import (
	"bytes"
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live"
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

// Imported reports on a plan document that was given as the draft.
type Imported struct {
	Applied bool   `json:"applied" doc:"False if it was only checked"`
	Version int64  `json:"version" doc:"Of the draft, after it"`
	Name    string `json:"name"`
	// Objects counts what the document holds, by kind.
	Objects map[plan.Kind]int `json:"objects"`
	// Changes are where the document and the draft before it differ, some
	// hundred at most; Differences counts them all.
	Changes     []plan.Change `json:"changes"`
	Differences int           `json:"differences"`
}

// MaxReported bounds how many changes one answer lists.
const MaxReported = 10_000

// maxImportReport bounds how many changes the report of an import lists.
const maxImportReport = 500

// Accepted says which version of the draft an edit made.
type Accepted struct {
	Version int64 `json:"version"`
}

func (s *server) planRoutes(a huma.API) {
	// There may be a million numbers: see /api/draft/numbers for them.
	huma.Register(a, huma.Operation{OperationID: "get-draft", Method: http.MethodGet, Path: "/api/draft", Summary: "The plan being edited, without its numbers"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body DraftPlan }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			d.Plan.Numbers = inventory.List{}
			return &struct{ Body DraftPlan }{DraftPlan{d.Plan, d.Version}}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-live", Method: http.MethodGet, Path: "/api/live", Summary: "The plan that carries calls, without its numbers"},
		func(context.Context, *struct{}) (*struct{ Body LivePlan }, error) {
			run, err := s.running()
			if err != nil {
				return nil, err
			}
			p := run.Snapshot.Plan()
			p.Numbers = inventory.List{}
			return &struct{ Body LivePlan }{LivePlan{p, run.Revision}}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-draft-document", Method: http.MethodGet, Path: "/api/draft/plan", Summary: "The whole plan being edited, as a plan document"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body plan.Plan }, error) {
			d, err := s.Store.Draft(ctx)
			return &struct{ Body plan.Plan }{d.Plan}, s.failed(err)
		})
	huma.Register(a, huma.Operation{OperationID: "get-live-document", Method: http.MethodGet, Path: "/api/live/plan", Summary: "The whole plan that carries calls, as a plan document"},
		func(context.Context, *struct{}) (*struct{ Body plan.Plan }, error) {
			run, err := s.running()
			if err != nil {
				return nil, err
			}
			return &struct{ Body plan.Plan }{run.Snapshot.Plan()}, nil
		})
	huma.Register(a, huma.Operation{
		OperationID: "import-draft", Method: http.MethodPut, Path: "/api/draft", MaxBodyBytes: document.MaxBytes,
		Summary: "Make a plan document the draft, whole or not at all",
		// plan.Read is stricter than the schema and tells line and column.
		SkipValidateBody: true,
		RequestBody: &huma.RequestBody{Required: true, Content: map[string]*huma.MediaType{
			"application/json": {Schema: &huma.Schema{Ref: "#/components/schemas/Plan"}},
		}},
	}, func(ctx context.Context, in *struct {
		Check   bool   `query:"check" doc:"Only report; leave the draft as it is"`
		RawBody []byte `contentType:"application/json"`
	}) (*struct{ Body Imported }, error) {
		report, err := s.importDraft(ctx, in.RawBody, !in.Check)
		if err != nil {
			return nil, err
		}
		return &struct{ Body Imported }{report}, nil
	})
}

// running is the live plan as it runs.
func (s *server) running() (*live.Running, error) {
	if run := s.Plan.Current(); run != nil {
		return run, nil
	}
	return nil, huma.Error404NotFound("no plan is live yet")
}

// importDraft makes a document the draft, whole or not at all.
func (s *server) importDraft(ctx context.Context, text []byte, apply bool) (Imported, error) {
	p, err := document.Read(bytes.NewReader(text))
	if err != nil {
		return Imported{}, huma.Error422UnprocessableEntity(err.Error())
	}
	if problems := p.Validate(); len(problems) > 0 {
		return Imported{}, badPlan("the plan has problems; the draft was left as it is", problems)
	}
	before, err := s.Store.Draft(ctx)
	if err != nil {
		return Imported{}, s.failed(err)
	}
	changes, count, err := plan.Diff(before.Plan, p)
	if err != nil {
		return Imported{}, s.failed(err)
	}
	report := Imported{
		Applied: apply, Version: before.Version, Name: p.Name, Objects: p.Count(),
		Changes: changes[:min(len(changes), maxImportReport)], Differences: count,
	}
	if !apply {
		return report, nil
	}
	if err := s.Store.ReplaceDraft(ctx, p); err != nil {
		return Imported{}, s.failed(err)
	}
	report.Version, err = s.Store.DraftVersion(ctx)
	return report, s.failed(err)
}

// accepted answers an edit with the draft's new version.
func (s *server) accepted(ctx context.Context) (*struct{ Body Accepted }, error) {
	version, err := s.Store.DraftVersion(ctx)
	if err != nil {
		return nil, s.failed(err)
	}
	return &struct{ Body Accepted }{Accepted{version}}, nil
}
