package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inbound"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

// NumberLook is a row of the inventory as it is being edited.
type NumberLook struct {
	Is  inventory.Number  `json:"is"`
	Was *inventory.Number `json:"was,omitempty" doc:"As it stands in the draft; without it it is new"`
	// Member is one number of a block to look at; empty is the first.
	Member string `json:"member,omitempty" maxLength:"40"`
	Time   string `json:"time,omitempty" doc:"The moment, RFC 3339; empty is now" maxLength:"40"`
}

// NumberEffect is what a row would do.
type NumberEffect struct {
	// Problems stand in its way; without them it could be saved.
	Problems []plan.Problem `json:"problems" nullable:"false"`
	// Mapped is where each of its numbers lands; nil if it is not mapped on extensions.
	Mapped *inbound.Mapped `json:"mapped,omitempty"`
	// MapFault says why the mapping cannot be worked out.
	MapFault string `json:"mapFault,omitempty"`
	// Arrivals are what becomes of a number in each form in which it may be sent.
	Arrivals []inbound.Arrival `json:"arrivals" nullable:"false"`
	// Then is what happens when the one who answers does not.
	Then []inbound.Then `json:"then" nullable:"false"`
	// Shown says whom it may be shown for: callers whose calls leave with it are found by
	// trying them; here is only who answers it.
	Member string `json:"member"`
}

func (s *server) mappingRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "get-number-effect", Method: http.MethodPost, Metadata: asks, Path: "/api/draft/numbers-effect", Summary: "What a row of the inventory would do, before it is saved"},
		func(ctx context.Context, in *struct{ Body NumberLook }) (*struct{ Body NumberEffect }, error) {
			out, err := s.lookAtNumber(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			return &struct{ Body NumberEffect }{out}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "map-block", Method: http.MethodPost, Metadata: asks, Path: "/api/draft/mapping", Summary: "What a mapping of a block comes to, member by member, and the arithmetic that is right", Errors: []int{422}},
		func(ctx context.Context, in *struct{ Body inbound.Mapping }) (*struct{ Body inbound.Mapped }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			out, err := inbound.Map(d.Plan, in.Body)
			if err != nil {
				return nil, huma.Error422UnprocessableEntity(err.Error())
			}
			return &struct{ Body inbound.Mapped }{out}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "map-by-rule", Method: http.MethodPost, Metadata: asks, Path: "/api/draft/rule-mapping", Summary: "What the digit steps of a rule do to all its numbers, and the arithmetic that is right", Errors: []int{422}},
		func(ctx context.Context, in *struct{ Body RuleAsk }) (*struct{ Body RuleMapping }, error) {
			out, err := s.ruleMapping(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			return &struct{ Body RuleMapping }{out}, nil
		})
}

// RuleMapping is what the digit steps of a rule do to all its numbers.
type RuleMapping struct {
	// Mapped is nil of rules that map no block on a destination.
	Mapped *inbound.RuleMapped `json:"mapped,omitempty"`
}

// ruleMapping works a rule's digit steps out, as it is being edited.
func (s *server) ruleMapping(ctx context.Context, ask RuleAsk) (out RuleMapping, err error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return out, s.failed(err)
	}
	mapped, ok, err := inbound.MapRule(d.Plan, ask.Table, ask.Rule)
	if err != nil {
		return out, huma.Error422UnprocessableEntity(err.Error())
	}
	if ok {
		out.Mapped = &mapped
	}
	return out, nil
}

func (s *server) lookAtNumber(ctx context.Context, look NumberLook) (NumberEffect, error) {
	out := NumberEffect{Problems: []plan.Problem{}, Arrivals: []inbound.Arrival{}, Then: []inbound.Then{}}
	at, err := momentOf(look.Time)
	if err != nil {
		return out, huma.Error422UnprocessableEntity(err.Error(), &huma.ErrorDetail{Location: "body.at", Message: err.Error()})
	}
	draft, err := s.draftSnapshotNow(ctx)
	if err != nil {
		return out, err
	}
	after, problems, err := s.withNumber(draft.Plan(), Put[inventory.Number]{Is: look.Is, Was: look.Was})
	if e, ok := errorAs[*huma.ErrorModel](err); ok {
		out.Problems = append(out.Problems, plan.Problem{Place: "first", Reason: e.Detail})
		return out, nil
	}
	if err != nil {
		return out, s.failed(err)
	}
	own, _ := partNumbers(problems, look.Is)
	out.Problems = append(out.Problems, own...)
	if look.Is.Extension != "" {
		mapped, err := inbound.Map(after, inbound.Mapping{First: look.Is.First, Last: look.Is.Last, Extension: look.Is.Extension, Destination: look.Is.Destination})
		if err != nil {
			out.MapFault = err.Error()
		} else {
			out.Mapped = &mapped
		}
	}
	if len(own) > 0 {
		return out, nil
	}
	snapshot, problems := draft.Compile(after)
	if len(problems) > 0 { // elsewhere
		return out, nil
	}
	s.lookAtMember(&out, snapshot, look, at)
	return out, nil
}

// lookAtMember works out what becomes of one number of the row.
func (s *server) lookAtMember(out *NumberEffect, snapshot *decide.Snapshot, look NumberLook, at time.Time) {
	block, err := look.Is.Block()
	if err != nil {
		return
	}
	n := block.First
	if m, err := digits.ParseNumber(look.Member); err == nil && block.Contains(m) {
		n = m
	}
	out.Member = n.String()
	byHand := s.Overrides.At(at)
	trunks := inbound.TrunksOf(snapshot, look.Is)
	out.Arrivals = inbound.Arrivals(snapshot, trunks, n, at, byHand)
	for _, a := range out.Arrivals {
		if a.Declared && a.Lands != nil {
			out.Then = inbound.When(snapshot, a.Trunk.ID, a.Format.Number, at, byHand)
			break
		}
	}
}
