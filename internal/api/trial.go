package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/store"
)

// Trial is a plan that decides some calls while the live one decides the rest.
type Trial struct {
	Running bool             `json:"running"`
	Version int64            `json:"version" doc:"Of the draft that it was"`
	Scopes  []standing.Scope `json:"scopes" nullable:"false"`
	Since   *time.Time       `json:"since,omitempty"`
	By      string           `json:"by"`
	Calls   int64            `json:"calls" doc:"That it decided since this process began"`
	// Moved: the draft was edited since; what is tried is as it was.
	Moved bool `json:"moved"`
}

// TrialAsk asks for the draft to decide the calls of some.
type TrialAsk struct {
	Version int64            `json:"version" doc:"Of the draft that was looked at"`
	Scopes  []standing.Scope `json:"scopes" minItems:"1" maxItems:"50"`
}

func (s *server) trialRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "get-trial", Method: http.MethodGet, Path: "/api/trial", Summary: "The plan that is tried on some calls, if there is one"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body Trial }, error) {
			t, err := s.trial(ctx)
			return &struct{ Body Trial }{t}, err
		})
	huma.Register(a, huma.Operation{OperationID: "update-trial", Method: http.MethodPut, Path: "/api/trial", Summary: "Let the draft decide the calls of some first, or of others too", Errors: []int{409, 422}},
		func(ctx context.Context, in *struct{ Body TrialAsk }) (*struct{ Body Trial }, error) {
			if problems := s.scopeProblems(in.Body.Scopes); len(problems) > 0 {
				return nil, badPlan("the trial was not begun", problems)
			}
			problems, err := s.Switchboard.Try(ctx, in.Body.Version, in.Body.Scopes, user(s, ctx))
			switch {
			case errors.Is(err, store.ErrDraftMoved):
				return nil, huma.Error409Conflict(err.Error())
			case err != nil:
				return nil, s.failed(err)
			case len(problems) > 0:
				return nil, badPlan("the draft has problems; the live plan decides all calls", problems)
			}
			s.audit(ctx, fmt.Sprintf("let draft %d decide the calls of %s", in.Body.Version, scopesText(in.Body.Scopes)))
			t, err := s.trial(ctx)
			return &struct{ Body Trial }{t}, err
		})
	huma.Register(a, huma.Operation{OperationID: "delete-trial", Method: http.MethodDelete, Path: "/api/trial", Summary: "Let the live plan decide all calls again, at once"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body Trial }, error) {
			err := s.Switchboard.StopTrial(ctx)
			s.audit(ctx, "took the trial back")
			if err != nil {
				s.Log.Warn("the plan that was tried could not be dropped; it decides nothing any more", "error", err)
			}
			t, err := s.trial(ctx)
			return &struct{ Body Trial }{t}, err
		})
}

func (s *server) trial(ctx context.Context) (Trial, error) {
	out := Trial{Scopes: []standing.Scope{}}
	t := s.Plan.Trial()
	if t == nil {
		return out, nil
	}
	out = Trial{Running: true, Version: t.Version, Scopes: t.Scopes, Since: &t.Since, By: t.By, Calls: t.Calls.Load()}
	if version, err := s.Store.DraftVersion(ctx); err == nil { // without the database nobody edits it
		out.Moved = version != t.Version
	}
	return out, nil
}

// scopeProblems says what is wrong with whose calls are to be decided.
func (s *server) scopeProblems(scopes []standing.Scope) (bad []plan.Problem) {
	run := s.Plan.Current()
	if run == nil {
		return []plan.Problem{{Place: "scopes", Reason: "no plan is live yet"}}
	}
	index := plan.NewIndex(run.Snapshot.Plan())
	for i, scope := range scopes {
		at := fmt.Sprintf("scopes/%d/", i)
		set := 0
		if scope.Trunk != "" {
			if set++; index.Trunks[scope.Trunk] == nil {
				bad = append(bad, plan.Problem{Place: at + "trunk", Reason: "the live plan has no trunk " + scope.Trunk})
			}
		}
		if scope.Group != "" {
			set++ // it may be new in the draft
		}
		if scope.Extension != "" {
			set++
			if _, err := digits.ParseNumber(scope.Extension); err != nil {
				bad = append(bad, plan.Problem{Place: at + "extension", Reason: err.Error()})
			}
		}
		if set != 1 {
			bad = append(bad, plan.Problem{Place: at + "trunk", Reason: "name one trunk, one caller group or one extension"})
		}
	}
	return bad
}

func scopesText(scopes []standing.Scope) string {
	text := ""
	for i, s := range scopes {
		if i > 0 {
			text += ", "
		}
		switch {
		case s.Trunk != "":
			text += "trunk " + s.Trunk
		case s.Group != "":
			text += "group " + s.Group
		default:
			text += "extension " + s.Extension
		}
	}
	return text
}
