package api

import (
	"context"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/inbound"
	"switchback.example/switchback/internal/core/plan"
)

// RuleAsk is a rule as it is being edited.
type RuleAsk struct {
	Table string    `json:"table"`
	Rule  plan.Rule `json:"rule" doc:"With an empty id it is new and stands last"`
}

func (s *server) effectRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-rule-matches", Method: http.MethodGet, Path: "/api/tables/{id}/rule-matches", Summary: "How often the rules of a table matched calls"},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body []RuleMatches }, error) {
			list, err := s.ruleMatches(ctx, in.ID)
			return &struct{ Body []RuleMatches }{list}, err
		})
	huma.Register(a, huma.Operation{OperationID: "list-findings", Method: http.MethodGet, Path: "/api/draft/tables/{id}/findings", Summary: "Findings in a table of the draft, each with an example"},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body []findings.Finding }, error) {
			snapshot, err := s.draftSnapshotNow(ctx)
			if err != nil {
				return nil, err
			}
			found := findings.InTable(snapshot, in.ID, "")
			if found == nil {
				return nil, huma.Error404NotFound("the draft has no table " + in.ID)
			}
			return &struct{ Body []findings.Finding }{found[:min(len(found), MaxReported)]}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-hidden-destinations", Method: http.MethodGet, Path: "/api/draft/hidden-destinations", Summary: "Extensions that a prefix or a rule of the draft keeps from being dialled"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body []findings.Hidden }, error) {
			snapshot, err := s.draftSnapshotNow(ctx)
			if err != nil {
				return nil, err
			}
			hidden, err := findings.Hides(snapshot)
			if err != nil {
				return nil, huma.Error422UnprocessableEntity(err.Error())
			}
			return &struct{ Body []findings.Hidden }{hidden}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-rule-effect", Method: http.MethodPost, Metadata: asks, Path: "/api/draft/effect", Summary: "What a rule would do where it stands, before it is saved", Errors: []int{422}},
		func(ctx context.Context, in *struct{ Body RuleAsk }) (*struct{ Body findings.RuleEffect }, error) {
			out, err := s.effect(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			return &struct{ Body findings.RuleEffect }{out}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-rule-arrivals", Method: http.MethodPost, Metadata: asks, Path: "/api/draft/rule-arrivals", Summary: "What a rule makes of a public number in each form in which a carrier may send it", Errors: []int{422}},
		func(ctx context.Context, in *struct{ Body RuleArrivals }) (*struct{ Body RuleArrived }, error) {
			out, err := s.ruleArrivals(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			return &struct{ Body RuleArrived }{out}, nil
		})
}

// RuleArrivals asks what a rule does with a number in each form in which it may come.
type RuleArrivals struct {
	RuleAsk
	Number string `json:"number,omitempty" maxLength:"40" doc:"E.164; empty is a number that the rule matches"`
}

// RuleArrived is what becomes of a number by the trunks whose calls enter the table.
type RuleArrived struct {
	Number   string            `json:"number"`
	Arrivals []inbound.Arrival `json:"arrivals" nullable:"false"`
}

// ruleArrivals decides a number by a copy of the draft with the rule in it, in each form.
func (s *server) ruleArrivals(ctx context.Context, ask RuleArrivals) (out RuleArrived, err error) {
	out.Arrivals = []inbound.Arrival{}
	edited, err := s.withRule(ctx, &ask.RuleAsk)
	if err != nil {
		return out, err
	}
	n, err := digits.ParseNumber(ask.Number)
	if err != nil {
		return out, huma.Error422UnprocessableEntity(err.Error(), &huma.ErrorDetail{Location: "body.number", Message: err.Error()})
	}
	p := edited.Plan()
	var trunks []string
	for i := range p.Trunks {
		if t := &p.Trunks[i]; t.InboundTable == ask.Table && edited.LeadsOutside(t.ID) && t.OppositeTrunk == "" {
			trunks = append(trunks, t.ID)
		}
	}
	if n.Empty() {
		n = edited.SampleOf(ask.Table, ask.Rule.ID)
	}
	if !n.Plus() || len(trunks) == 0 {
		return out, nil // it takes no public numbers
	}
	now := time.Now()
	out.Number = n.String()
	out.Arrivals = inbound.Arrivals(edited, trunks, n, now, s.Overrides.At(now))
	return out, nil
}

// newRule is the id of a rule that has none yet, while it is looked at.
const newRule = "rule-being-edited"

// effect puts the rule into a copy of the draft and asks what it does there.
func (s *server) effect(ctx context.Context, ask RuleAsk) (out findings.RuleEffect, err error) {
	edited, err := s.withRule(ctx, &ask)
	if err != nil {
		return out, err
	}
	out, _ = findings.Effect(edited, ask.Table, ask.Rule.ID)
	return out, nil
}

// withRule is the draft with a rule in it as it is being edited.
func (s *server) withRule(ctx context.Context, ask *RuleAsk) (*decide.Snapshot, error) {
	snapshot, err := s.draftSnapshotNow(ctx)
	if err != nil {
		return nil, err
	}
	if ask.Rule.ID == "" {
		ask.Rule.ID = newRule
	}
	if ask.Rule.Name == "" {
		ask.Rule.Name = "this rule"
	}
	p := snapshot.Plan()
	at := slices.IndexFunc(p.Tables, func(t plan.Table) bool { return t.ID == ask.Table })
	if at < 0 {
		return nil, huma.Error404NotFound("the draft has no table " + ask.Table)
	}
	p.Tables = slices.Clone(p.Tables)
	rules := slices.Clone(p.Tables[at].Rules)
	if i := slices.IndexFunc(rules, func(r plan.Rule) bool { return r.ID == ask.Rule.ID }); i >= 0 {
		rules[i] = ask.Rule
	} else {
		rules = append(rules, ask.Rule)
	}
	p.Tables[at].Rules = rules
	edited, problems := snapshot.Compile(p)
	if len(problems) > 0 {
		if own := within(problems, "/tables/"+ask.Table+"/rules/"+ask.Rule.ID+"/"); len(own) > 0 {
			problems = own
		}
		return nil, badPlan("the rule cannot be looked at yet", problems)
	}
	return edited, nil
}

// RuleMatches is how often a rule matched.
type RuleMatches struct {
	Rule  string    `json:"rule"`
	Calls int64     `json:"calls" doc:"In the last 24 hours"`
	Last  time.Time `json:"last"`
}

// ruleMatches lists the rules of a table of the draft that matched within the last 90 days.
func (s *server) ruleMatches(ctx context.Context, table string) ([]RuleMatches, error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return nil, s.failed(err)
	}
	out, now := []RuleMatches{}, time.Now()
	if t := plan.NewIndex(d.Plan).Tables[table]; t != nil {
		for _, r := range t.Rules {
			if calls, last := s.RuleMatches.Of(r.ID, now); !last.IsZero() {
				out = append(out, RuleMatches{r.ID, calls, last})
			}
		}
	}
	return out, nil
}
