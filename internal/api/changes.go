package api

import (
	"context"
	"errors"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/store"
)

// Changes is the draft against the live plan.
type Changes struct {
	Version  int64 `json:"version" doc:"Of the draft; a go-live names it"`
	Revision int64 `json:"revision" doc:"Of the live plan"`
	// Changes lists MaxReported of them at most; Count counts them all.
	Changes  []DraftChange  `json:"changes"`
	Count    int            `json:"count"`
	Undoable int            `json:"undoable" doc:"How many of your own edits of the draft can be undone"`
	Problems []plan.Problem `json:"problems" doc:"What must be mended before the draft can go live"`
}

// DraftChange is a change of the draft, and who made it.
type DraftChange struct {
	plan.Change
	By string `json:"by,omitempty" doc:"Who edited the object last"`
}

// GoLive asks for the draft to be made live.
type GoLive struct {
	Version int64  `json:"version" doc:"Of the draft that was looked at"`
	Note    string `json:"note" maxLength:"1000"`
}

// Revision is a plan that is or was live.
type Revision struct {
	ID      int64     `json:"id"`
	Created time.Time `json:"created"`
	Who     string    `json:"who"`
	Note    string    `json:"note"`
	Changes int       `json:"changes"`
}

// Comparison is a revision against the live plan.
type Comparison struct {
	Revision int64         `json:"revision"`
	Live     int64         `json:"live"`
	Changes  []plan.Change `json:"changes" doc:"From the revision to the live plan"`
}

func (s *server) changeRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "get-revision", Method: http.MethodGet, Path: "/api/revisions/{id}/plan", Summary: "The plan of a revision, as a plan document"},
		func(ctx context.Context, in *struct {
			ID int64 `path:"id"`
		}) (*struct{ Body plan.Plan }, error) {
			p, err := s.Store.Revision(ctx, in.ID)
			if err != nil {
				return nil, s.failed(err)
			}
			return &struct{ Body plan.Plan }{p}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "compare-revision", Method: http.MethodGet, Path: "/api/revisions/{id}/changes", Summary: "What came after a revision, up to the live plan"},
		func(ctx context.Context, in *struct {
			ID int64 `path:"id"`
		}) (*struct{ Body Comparison }, error) {
			c, err := s.compareRevision(ctx, in.ID)
			if err != nil {
				return nil, s.failed(err)
			}
			return &struct{ Body Comparison }{c}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "restore-revision", Method: http.MethodPost, Path: "/api/revisions/{id}/restore", Summary: "Make a revision the draft"},
		func(ctx context.Context, in *struct {
			ID int64 `path:"id"`
		}) (*struct{ Body Accepted }, error) {
			if err := s.bringBack(ctx, in.ID); err != nil {
				return nil, s.failed(err)
			}
			return s.accepted(ctx)
		})
	huma.Register(a, huma.Operation{OperationID: "list-changes", Method: http.MethodGet, Path: "/api/changes", Summary: "What the draft changes"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body Changes }, error) {
			changes, count, version, err := s.Store.Changes(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			undoable, err := s.Store.Undoable(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			authors, err := s.Store.Authors(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			listed := []DraftChange{}
			for _, c := range changes[:min(len(changes), MaxReported)] {
				listed = append(listed, DraftChange{c, authors[plan.Key{Kind: c.Kind, ID: c.ID}]})
			}
			out := Changes{Version: version, Changes: listed, Count: count, Undoable: undoable, Problems: append([]plan.Problem{}, s.validate(d.Plan)...)}
			if run := s.Plan.Current(); run != nil {
				out.Revision = run.Revision
			}
			return &struct{ Body Changes }{out}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "discard-draft", Method: http.MethodPost, Path: "/api/changes/discard", Summary: "Give the draft up"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body Accepted }, error) {
			if err := s.Store.DiscardDraft(ctx); err != nil {
				return nil, s.failed(err)
			}
			return s.accepted(ctx)
		})
	huma.Register(a, huma.Operation{OperationID: "undo-edit", Method: http.MethodPost, Path: "/api/draft/undo", Summary: "Take your own last edit of the draft back", Errors: []int{409}},
		func(ctx context.Context, _ *struct{}) (*struct{ Body Accepted }, error) {
			err := s.Store.Undo(ctx)
			var overtaken *store.OvertakenError
			if errors.Is(err, store.ErrNothingToUndo) || errors.As(err, &overtaken) {
				return nil, huma.Error409Conflict(err.Error())
			}
			if err != nil {
				return nil, s.failed(err)
			}
			return s.accepted(ctx)
		})
	huma.Register(a, huma.Operation{OperationID: "go-live", Method: http.MethodPost, Path: "/api/live", Summary: "Make the draft live", Errors: []int{409, 422}},
		func(ctx context.Context, in *struct{ Body GoLive }) (*struct{ Body Revision }, error) {
			r, problems, err := s.Switchboard.GoLive(ctx, in.Body.Version, user(s, ctx), in.Body.Note)
			switch {
			case errors.Is(err, store.ErrDraftMoved):
				return nil, huma.Error409Conflict(err.Error())
			case err != nil:
				return nil, s.failed(err)
			case len(problems) > 0:
				return nil, badPlan("the draft has problems; the live plan stays", problems)
			}
			return &struct{ Body Revision }{revision(r)}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-revisions", Method: http.MethodGet, Path: "/api/revisions", Summary: "Plans that were live, newest first"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body []Revision }, error) {
			list, err := s.Store.Revisions(ctx, 100)
			if err != nil {
				return nil, s.failed(err)
			}
			out := []Revision{}
			for _, r := range list {
				out = append(out, revision(r))
			}
			return &struct{ Body []Revision }{out}, nil
		})
}

// bringBack makes a revision the draft, with the checks of today: what they learnt since is
// no part of the plan that was.
func (s *server) bringBack(ctx context.Context, id int64) error {
	p, err := s.Store.Revision(ctx, id)
	if err != nil {
		return err
	}
	today, err := s.Store.Draft(ctx)
	if err != nil {
		return err
	}
	p.Checks = today.Plan.Checks
	return s.Store.ReplaceDraft(ctx, p)
}

func revision(r store.Revision) Revision {
	return Revision{r.ID, r.Created, r.Who, r.Note, r.Changes}
}

func (s *server) compareRevision(ctx context.Context, id int64) (Comparison, error) {
	then, err := s.Store.Revision(ctx, id)
	if err != nil {
		return Comparison{}, err
	}
	live, revision, err := s.Store.Live(ctx)
	if err != nil {
		return Comparison{}, err
	}
	changes, _, err := plan.Diff(then, live)
	return Comparison{id, revision, changes}, err
}
