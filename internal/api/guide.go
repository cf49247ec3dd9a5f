package api

import (
	"context"
	"encoding/json"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/guide"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// GuideStart is what the guide knows of a switch before it is asked.
type GuideStart struct {
	Country       string            `json:"country"`
	Area          string            `json:"area"`
	National      string            `json:"national" doc:"Prefix before national numbers"`
	International string            `json:"international" doc:"Prefix before a country code"`
	Emergency     []string          `json:"emergency" nullable:"false"`
	Classes       []numbering.Class `json:"classes" nullable:"false" doc:"Those that the country has"`
}

// GuideTake is what was chosen of the proposals, to enter the draft all at once.
type GuideTake struct {
	// Tables are those that the rules need and that are not there yet.
	Tables []plan.Table `json:"tables" nullable:"false" maxItems:"10"`
	Rules  []TakenRule  `json:"rules" nullable:"false" minItems:"1" maxItems:"200"`
}

// TakenRule is a rule and its table.
type TakenRule struct {
	Table string    `json:"table" maxLength:"63"`
	Rule  plan.Rule `json:"rule"`
}

// GuideOutbound is what is proposed, and what it does to the example numbers of the country.
type GuideOutbound struct {
	Proposals []guide.Proposal `json:"proposals" nullable:"false"`
	guide.Proven
	// Undecided says why the example numbers could not be decided; empty if they were.
	Undecided string `json:"undecided,omitempty"`
}

func (s *server) guideRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "get-guide", Method: http.MethodGet, Path: "/api/guide/{switch}", Summary: "What is known of the numbering plan where a switch of the draft is"},
		func(ctx context.Context, in *struct {
			Switch string `path:"switch" maxLength:"63"`
		}) (*struct{ Body GuideStart }, error) {
			region, err := s.region(ctx, in.Switch)
			if err != nil {
				return nil, err
			}
			return &struct{ Body GuideStart }{guideStart(region)}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "propose-outbound", Method: http.MethodPost, Path: "/api/guide/outbound", Summary: "Rules for calls out, proposed from the numbering plan of the country"},
		func(ctx context.Context, in *struct{ Body guide.Ask }) (*struct{ Body GuideOutbound }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			list, err := guide.Outbound(d.Plan, in.Body)
			if err != nil {
				return nil, huma.Error422UnprocessableEntity(err.Error())
			}
			out := GuideOutbound{Proposals: list}
			if out.Proven, err = guide.Prove(d.Plan, in.Body, list); err != nil {
				out.Undecided = err.Error()
			}
			return &struct{ Body GuideOutbound }{out}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "apply-guide", Method: http.MethodPost, Path: "/api/guide/take", Summary: "Write proposed rules into the draft, all or none", Errors: []int{409, 422}},
		func(ctx context.Context, in *struct{ Body GuideTake }) (*struct{ Body Accepted }, error) {
			if err := s.takeRules(ctx, in.Body); err != nil {
				return nil, err
			}
			return s.accepted(ctx)
		})
}

func guideStart(region numbering.Region) GuideStart {
	out := GuideStart{Country: region.Country, Area: region.Area, National: region.National, International: region.International, Emergency: []string{}, Classes: []numbering.Class{}}
	for _, n := range region.Emergency() {
		out.Emergency = append(out.Emergency, n.String())
	}
	for _, c := range numbering.Classes() {
		switch c {
		case numbering.ClassEmergency, numbering.ClassService, numbering.ClassInternational:
			out.Classes = append(out.Classes, c)
		default:
			if numbers, err := region.Numbers(c); err == nil && !numbers.Empty() {
				out.Classes = append(out.Classes, c)
			}
		}
	}
	return out
}

// takeRules writes tables and rules into the draft, if the whole of it fits.
func (s *server) takeRules(ctx context.Context, in GuideTake) error {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return s.failed(err)
	}
	p := d.Plan
	p.Tables = slices.Clone(p.Tables)
	index := plan.NewIndex(p)
	var objects []plan.Object
	add := func(kind plan.Kind, id, name, table string, object any) error {
		body, err := json.Marshal(object)
		objects = append(objects, plan.Object{Kind: kind, ID: id, Name: name, Table: table, Body: body})
		return err
	}
	for _, t := range in.Tables {
		if index.Tables[t.ID] != nil {
			return huma.Error409Conflict("nothing was taken: the draft has a table "+t.ID+" already", &huma.ErrorDetail{Location: "tables", Message: t.ID + " is taken"})
		}
		t.Rules = []plan.Rule{}
		if err := add(plan.KindTable, t.ID, t.Name, "", t); err != nil {
			return s.failed(err)
		}
		p.Tables = append(p.Tables, t)
	}
	for _, taken := range in.Rules {
		at := slices.IndexFunc(p.Tables, func(t plan.Table) bool { return t.ID == taken.Table })
		if at < 0 {
			return huma.Error422UnprocessableEntity("nothing was added: unknown table " + taken.Table)
		}
		for _, t := range p.Tables {
			if slices.ContainsFunc(t.Rules, func(r plan.Rule) bool { return r.ID == taken.Rule.ID }) {
				return huma.Error409Conflict("nothing was added: the draft has a rule "+taken.Rule.ID+" already; delete it first, or omit this one", &huma.ErrorDetail{Location: "rules/" + taken.Rule.ID, Message: "exists already"})
			}
		}
		p.Tables[at].Rules = append(slices.Clone(p.Tables[at].Rules), taken.Rule)
		if err := add(plan.KindRule, taken.Rule.ID, taken.Rule.Name, taken.Table, taken.Rule); err != nil {
			return s.failed(err)
		}
	}
	if problems := added(s.validate(d.Plan), s.validate(p)); len(problems) > 0 {
		return badPlan("nothing was added", problems)
	}
	return s.failed(s.Store.PutObjects(ctx, objects))
}
