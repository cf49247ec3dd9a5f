package api

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/store"
)

// CheckState is a check of the draft and how far it is proven.
type CheckState struct {
	Check plan.Check `json:"check"`
	// State: passed, failed, or stale: it never ran, or something changed since that
	// has a part in it.
	State string     `json:"state" enum:"passed,failed,stale"`
	Ran   *time.Time `json:"ran,omitempty"`
	Who   string     `json:"who,omitempty"`
	// Differences are those of the last run.
	Differences []decide.Difference `json:"differences" nullable:"false"`
	// Touched are what changed since the last run: the check itself, or objects of the
	// plan by their kinds and names.
	Touched []string `json:"touched" nullable:"false"`
}

// CheckList is every check of the draft.
type CheckList struct {
	Checks []CheckState `json:"checks" nullable:"false"`
	Passed int          `json:"passed"`
	Failed int          `json:"failed"`
	Stale  int          `json:"stale"`
	// Rules counts the enabled rules of the draft, and Covered those that the last run of a check
	// that passed matched.
	Rules     int                `json:"rules"`
	Covered   int                `json:"covered"`
	Uncovered []decide.Uncovered `json:"uncovered" nullable:"false" doc:"Rules that no passed check matches, some hundred at most"`
}

// maxUncovered bounds how many rules without a check are listed.
const maxUncovered = 200

// CheckAsk says which checks are run.
type CheckAsk struct {
	IDs []string `json:"ids,omitempty" doc:"Empty: all" maxItems:"10000"`
}

func (s *server) checkRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-checks", Method: http.MethodGet, Path: "/api/checks", Summary: "Checks of the draft with their states"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body CheckList }, error) {
			list, err := s.checks(ctx)
			if err != nil {
				return nil, err
			}
			return &struct{ Body CheckList }{list}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "run-checks", Method: http.MethodPost, Path: "/api/checks/run", Summary: "Run checks on the draft", Errors: []int{422}},
		func(ctx context.Context, in *struct{ Body CheckAsk }) (*struct{ Body CheckList }, error) {
			if err := s.runChecks(ctx, in.Body.IDs); err != nil {
				return nil, err
			}
			list, err := s.checks(ctx)
			if err != nil {
				return nil, err
			}
			return &struct{ Body CheckList }{list}, nil
		})
}

// runChecks runs checks of the draft dry, and keeps what came of them.
func (s *server) runChecks(ctx context.Context, ids []string) error {
	snapshot, err := s.draftSnapshotNow(ctx)
	if err != nil {
		return err
	}
	p := snapshot.Plan()
	prints := s.fingerprints(p)
	var runs []store.CheckRun
	now := time.Now()
	for _, c := range p.Checks {
		if len(ids) > 0 && !slices.Contains(ids, c.ID) {
			continue
		}
		done := snapshot.Check(c, now)
		touched := map[string]string{}
		for _, k := range decide.Passed(done.Result.Steps) {
			touched[string(k.Kind)+" "+k.ID] = prints.of(k)
		}
		runs = append(runs, store.CheckRun{ID: c.ID, Ran: now, Who: user(s, ctx), Asked: plan.FingerprintOf(c),
			CheckRunBody: store.CheckRunBody{Passed: done.Passed, Differences: done.Differences, Touched: touched, Matched: decide.Matched(done.Result.Steps)}})
	}
	return s.failed(s.Store.SaveCheckRuns(ctx, runs))
}

// checks holds the last runs against the draft as it is now.
func (s *server) checks(ctx context.Context) (CheckList, error) {
	out := CheckList{Checks: []CheckState{}, Uncovered: []decide.Uncovered{}}
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return out, s.failed(err)
	}
	runs, err := s.Store.CheckRuns(ctx)
	if err != nil {
		return out, s.failed(err)
	}
	prints, matched := s.fingerprints(d.Plan), map[string]bool{}
	for _, c := range d.Plan.Checks {
		state := CheckState{Check: c, State: "stale", Differences: []decide.Difference{}, Touched: []string{}}
		if run, ran := runs[c.ID]; ran {
			state.Ran, state.Who, state.Differences = &run.Ran, run.Who, run.Differences
			state.Touched = prints.changed(run, c)
			switch {
			case len(state.Touched) > 0:
			case run.Passed:
				state.State = "passed"
				for _, id := range run.Matched {
					matched[id] = true
				}
			default:
				state.State = "failed"
			}
		}
		switch state.State {
		case "passed":
			out.Passed++
		case "failed":
			out.Failed++
		default:
			out.Stale++
		}
		out.Checks = append(out.Checks, state)
	}
	out.Covered, out.Rules, out.Uncovered = decide.Coverage(d.Plan, matched)
	out.Uncovered = out.Uncovered[:min(maxUncovered, len(out.Uncovered))]
	return out, nil
}

// prints are fingerprints of the objects of one plan, each made once.
type prints struct {
	index plan.Index
	known map[plan.Key]string
}

func (s *server) fingerprints(p plan.Plan) prints {
	return prints{plan.NewIndex(p), map[plan.Key]string{}}
}

func (p prints) of(k plan.Key) string {
	print, ok := p.known[k]
	if !ok {
		print = p.index.Fingerprint(k)
		p.known[k] = print
	}
	return print
}

// changed names what a check's last run had a part in and that stands otherwise now.
func (p prints) changed(run store.CheckRun, c plan.Check) []string {
	out := []string{}
	if run.Asked != plan.FingerprintOf(c) {
		out = append(out, "the check itself")
	}
	for key, was := range run.Touched {
		kind, id, _ := strings.Cut(key, " ")
		if p.of(plan.Key{Kind: plan.Kind(kind), ID: id}) != was {
			out = append(out, key)
		}
	}
	slices.Sort(out)
	return out
}

// draftSnapshotNow is the compiled draft.
func (s *server) draftSnapshotNow(ctx context.Context) (*decide.Snapshot, error) {
	var live *decide.Snapshot
	if run := s.Plan.Current(); run != nil {
		live = run.Snapshot
	}
	return s.drafted(ctx, live)
}
