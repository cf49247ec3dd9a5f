// Package impact works out what a plan changes before it is live: which calls lose their route when
// one trunk fails, and how calls of the past would be decided now.
//
// It decides calls only by asking the evaluator, places none, and changes no plan.
package impact

import (
	"slices"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/trail"
)

// Sample is a call on which a plan is tried, by a name.
type Sample struct {
	Name    string
	Call    decide.Call
	Suppose decide.Suppose
}

// Away is what becomes of the samples while a trunk is away.
type Away struct {
	Trunk trail.Ref `json:"trunk"`
	// Uses counts the samples that go out by it while it is there, and Moved those of them
	// that then go by another.
	Uses  int    `json:"uses"`
	Moved int    `json:"moved"`
	Lost  []Lost `json:"lost" nullable:"false"`
}

// Lost is a call that finds no way out without a trunk.
type Lost struct {
	Name      string `json:"name"`
	From      string `json:"from" doc:"The trunk by which it came"`
	Called    string `json:"called"`
	Caller    string `json:"caller"`
	Emergency bool   `json:"emergency,omitempty"`
	// New: by the live plan it would find a way.
	New    bool          `json:"new,omitempty"`
	Why    string        `json:"why"`
	Result decide.Result `json:"result"`
}

// MaxLost bounds the lost calls that are listed of one trunk.
const MaxLost = 200

// TakeAway takes each trunk away in turn that carries some of the samples, and lists those
// that are then not answered. Far ends that are there answer.
func TakeAway(s *decide.Snapshot, samples []Sample) ([]Away, error) {
	uses := map[string][]int{}
	for i, c := range samples {
		res, err := s.Dry(c.Call, c.Suppose)
		if err != nil {
			return nil, err
		}
		if res.Outcome != trail.Answered {
			continue
		}
		for _, a := range res.Attempts {
			if !a.Skipped && !slices.Contains(uses[a.Trunk], i) {
				uses[a.Trunk] = append(uses[a.Trunk], i)
			}
		}
	}
	out := []Away{}
	p := s.Plan()
	for i := range p.Trunks {
		t := &p.Trunks[i]
		if len(uses[t.ID]) == 0 {
			continue
		}
		a := Away{Trunk: trail.Ref{Kind: "trunk", ID: t.ID, Name: t.Name}, Uses: len(uses[t.ID]), Lost: []Lost{}}
		for _, at := range uses[t.ID] {
			c := samples[at]
			res, err := s.Dry(c.Call, without(c.Suppose, t.ID))
			if err != nil {
				return nil, err
			}
			if res.Outcome == trail.Answered {
				a.Moved++
			} else if len(a.Lost) < MaxLost {
				a.Lost = append(a.Lost, Lost{
					c.Name, c.Call.Trunk, c.Call.Called.String(), c.Call.Caller.String(), s.IsEmergencyCall(c.Call), false, res.Why(), res,
				})
			}
		}
		out = append(out, a)
	}
	return out, nil
}

// MarkNew marks the lost calls of a draft that the live plan does not lose without the
// same trunk.
func MarkNew(draft, live []Away) {
	lost := map[[4]string]bool{}
	for _, a := range live {
		for _, l := range a.Lost {
			lost[[4]string{a.Trunk.ID, l.Name, l.From, l.Called}] = true
		}
	}
	for i := range draft {
		for j := range draft[i].Lost {
			l := &draft[i].Lost[j]
			l.New = !lost[[4]string{draft[i].Trunk.ID, l.Name, l.From, l.Called}]
		}
	}
}

// without supposes that one trunk more is down.
func without(s decide.Suppose, trunk string) decide.Suppose {
	down := map[string]bool{trunk: true}
	for id := range s.Down {
		down[id] = true
	}
	s.Down = down
	return s
}
