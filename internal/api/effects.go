package api

import (
	"context"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
)

// RuleAsk is a rule as it is being edited.
type RuleAsk struct {
	Table string    `json:"table"`
	Rule  plan.Rule `json:"rule" doc:"With an empty id it is new and stands last"`
}

func (s *server) effectRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "findings", Method: http.MethodGet, Path: "/api/draft/tables/{id}/findings", Summary: "What is worth a look in a table of the draft, each with a number as witness"},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body []decide.Finding }, error) {
			snapshot, err := s.draftSnapshotNow(ctx)
			if err != nil {
				return nil, err
			}
			found := snapshot.FindInTable(in.ID, "")
			if found == nil {
				return nil, huma.Error404NotFound("the draft has no table " + in.ID)
			}
			return &struct{ Body []decide.Finding }{found[:min(len(found), MaxReported)]}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "hidden", Method: http.MethodGet, Path: "/api/draft/hidden", Summary: "Extensions that a prefix or a rule of the draft keeps from being dialled"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body []decide.Hidden }, error) {
			snapshot, err := s.draftSnapshotNow(ctx)
			if err != nil {
				return nil, err
			}
			hidden, err := snapshot.Hides()
			if err != nil {
				return nil, huma.Error422UnprocessableEntity(err.Error())
			}
			return &struct{ Body []decide.Hidden }{hidden}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "effect", Method: http.MethodPost, Path: "/api/draft/effect", Summary: "What a rule would do where it stands, before it is saved", Errors: []int{422}},
		func(ctx context.Context, in *struct{ Body RuleAsk }) (*struct{ Body decide.RuleEffect }, error) {
			out, err := s.effect(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			return &struct{ Body decide.RuleEffect }{out}, nil
		})
}

// newRule is the id of a rule that has none yet, while it is looked at.
const newRule = "rule-being-edited"

// effect puts the rule into a copy of the draft and asks what it does there.
func (s *server) effect(ctx context.Context, ask RuleAsk) (out decide.RuleEffect, err error) {
	snapshot, err := s.draftSnapshotNow(ctx)
	if err != nil {
		return out, err
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
		return out, huma.Error404NotFound("the draft has no table " + ask.Table)
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
		return out, badPlan("the rule cannot be looked at yet", problems)
	}
	out, _ = edited.Effect(ask.Table, ask.Rule.ID)
	return out, nil
}
