package api

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/impact"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Impact is what a draft changes, worked out before it goes live.
type Impact struct {
	Version int64        `json:"version" doc:"Of the draft"`
	Checks  ImpactChecks `json:"checks"`
	// Away is what becomes of the checks' calls, and of those that happened, while each
	// trunk is away in turn; Calls counts them.
	TrunkFailures []impact.Away `json:"trunkFailures" nullable:"false"`
	Calls         int           `json:"calls"`
	Replayed      impact.Again  `json:"replayed"`
	// Worth says how much of it deserves a look before going on: failed checks, calls that
	// newly find no way out without a trunk, and groups of past calls treated otherwise.
	Worth int `json:"worth"`
}

func (r *Impact) count() {
	r.Worth = len(r.Checks.Failed) + len(r.Replayed.Groups)
	for _, a := range r.TrunkFailures {
		for _, l := range a.Lost {
			if l.New {
				r.Worth++
			}
		}
	}
}

// known are the samples whose trunks a plan has.
func known(s *decide.Snapshot, samples []impact.Sample) (out []impact.Sample) {
	for _, c := range samples {
		if _, ok := s.Trunk(c.Call.Trunk); ok {
			out = append(out, c)
		}
	}
	return out
}

// ImpactChecks is how the checks of a draft came out.
type ImpactChecks struct {
	Passed int           `json:"passed"`
	Failed []ImpactCheck `json:"failed" nullable:"false"`
}

// ImpactCheck is a check that failed.
type ImpactCheck struct {
	ID          string              `json:"id"`
	Name        string              `json:"name"`
	Differences []decide.Difference `json:"differences" nullable:"false"`
}

// Bounds of an impact: the past calls that are decided again, and those of them that are
// tried with each trunk away.
const (
	maxPast     = 1000
	maxPastAway = 300
)

func (s *server) impactRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "get-impact", Method: http.MethodPost, Metadata: asks, Path: "/api/draft/impact", Summary: "Try the draft on its checks, with each trunk away, and on the last calls that happened"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body Impact }, error) {
			r, err := s.impactOf(ctx)
			if err != nil {
				return nil, err
			}
			return &struct{ Body Impact }{r}, nil
		})
}

func (s *server) impactOf(ctx context.Context) (out Impact, err error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return out, s.failed(err)
	}
	draft, err := s.draftSnapshotNow(ctx)
	if err != nil {
		return out, err
	}
	now := time.Now()
	out = Impact{Version: d.Version, Checks: ImpactChecks{Failed: []ImpactCheck{}}}
	samples := s.checkAll(&out.Checks, draft, now)
	past, err := s.pastCalls(ctx)
	if err != nil {
		return out, err
	}
	if run := s.Plan.Current(); run != nil {
		out.Replayed = impact.Decide(run.Snapshot, draft, past)
	}
	samples = append(samples, pastSamples(past)...)
	out.Calls = len(samples)
	if out.TrunkFailures, err = impact.TakeAway(draft, samples); err != nil {
		return out, s.failed(err)
	}
	if run := s.Plan.Current(); run != nil {
		before, err := impact.TakeAway(run.Snapshot, known(run.Snapshot, samples))
		if err != nil {
			return out, s.failed(err)
		}
		impact.MarkNew(out.TrunkFailures, before)
	}
	out.count()
	return out, nil
}

// checkAll runs every check, and makes a sample of each that passes and is answered.
func (s *server) checkAll(out *ImpactChecks, draft *decide.Snapshot, now time.Time) (samples []impact.Sample) {
	for _, c := range draft.Plan().Checks {
		res := draft.Check(c, now)
		if !res.Passed {
			out.Failed = append(out.Failed, ImpactCheck{c.ID, c.Name, res.Differences})
			continue
		}
		out.Passed++
		if sample, ok := checkSample(draft, c, now); ok && c.Expected.Outcome == string(trail.Answered) {
			samples = append(samples, sample)
		}
	}
	return samples
}

func checkSample(draft *decide.Snapshot, c plan.Check, now time.Time) (impact.Sample, bool) {
	call, err := draft.CallFrom(c.From, c.Called, c.Caller)
	if err != nil {
		return impact.Sample{}, false
	}
	call.At, call.Overrides = now, c.Simulate.Overrides
	if at, err := time.Parse(time.RFC3339, c.Simulate.Time); err == nil {
		call.At = at
	}
	return impact.Sample{Name: c.Name, Call: call, Suppose: decide.Suppose{Down: set(c.Simulate.Down), Full: set(c.Simulate.Full)}}, true
}

// pastCalls are the last calls that happened, the newest first.
func (s *server) pastCalls(ctx context.Context) ([]impact.Past, error) {
	kept, err := s.Store.LastTrails(ctx, maxPast)
	if err != nil {
		return nil, s.failed(err)
	}
	out := make([]impact.Past, 0, len(kept))
	for _, c := range kept {
		p := impact.Past{ID: c.ID, Started: c.Started}
		if json.Unmarshal(c.Trail, &p.Trail) == nil { // one that cannot be read is none
			out = append(out, p)
		}
	}
	return out, nil
}

// pastSamples are past calls to be tried with each trunk away, alike ones once.
func pastSamples(past []impact.Past) (out []impact.Sample) {
	known := map[string]bool{}
	for _, p := range past {
		call, _, ok := p.Call()
		key := fmt.Sprint(call.Trunk, " ", call.Called, " ", call.Caller)
		if !ok || known[key] || len(out) == maxPastAway {
			continue
		}
		known[key] = true
		out = append(out, impact.Sample{Name: "happened " + p.Started.UTC().Format("2006-01-02 15:04"), Call: call})
	}
	return out
}
