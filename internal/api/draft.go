package api

import (
	"context"
	"crypto/rand"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/store"
)

// RulePut is a rule as it is to stand in the draft.
type RulePut struct {
	Table  string    `json:"table" doc:"Id of the table"`
	Before string    `json:"before,omitempty" doc:"New rule: id of the rule that it precedes; empty for the end"`
	Rule   plan.Rule `json:"rule" doc:"With an empty id the rule is new"`
	// Was is the rule as it stood when the edit began. If it was changed since,
	// the save is refused with 409 and the fields that somebody else changed.
	Was *plan.Rule `json:"was,omitempty"`
}

// RuleSaved says under which id a rule was saved.
type RuleSaved struct {
	ID string `json:"id"`
}

// RuleMove is where a rule is to stand.
type RuleMove struct {
	Before string `json:"before" doc:"Id of the rule that it precedes; empty for the end"`
}

// TablePut is a table's own settings; its rules stay as they are.
type TablePut struct {
	TableSettings
	// Was are the settings as they stood when the edit began. If they were
	// changed since, the save is refused with 409.
	Was *TableSettings `json:"was,omitempty"`
}

// TableSettings are a table's own settings.
type TableSettings struct {
	Name   string           `json:"name"`
	Format numbering.Format `json:"format,omitempty"`
	Order  string           `json:"order" enum:"specific-first,as-listed"`
	Note   string           `json:"note,omitempty"`
}

// NewTable is a table that is added without rules.
type NewTable struct {
	ID     string `json:"id" maxLength:"63"`
	Switch string `json:"switch" maxLength:"63"`
	TableSettings
}

// on puts the settings on a table.
func (t TableSettings) on(table plan.Table) plan.Table {
	table.Name, table.Format, table.Order, table.Note = t.Name, t.Format, t.Order, t.Note
	return table
}

func (s *server) draftRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "update-table", Method: http.MethodPut, Path: "/api/draft/tables/{id}", Summary: "Change a table's own settings in the draft"},
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
			Trying
			Body TablePut
		}) (*struct{ Body Accepted }, error) {
			return s.putTable(ctx, in.ID, in.Body, in.Try)
		})
	huma.Register(a, huma.Operation{OperationID: "create-table", Method: http.MethodPost, Path: "/api/draft/tables", Summary: "Add an empty table to the draft", Errors: []int{409, 422}},
		func(ctx context.Context, in *struct{ Body NewTable }) (*struct{ Body Accepted }, error) {
			return s.addTable(ctx, in.Body)
		})
	huma.Register(a, huma.Operation{OperationID: "delete-table", Method: http.MethodDelete, Path: "/api/draft/tables/{id}", Summary: "Take a table without rules out of the draft", Errors: []int{404, 409}},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body Accepted }, error) {
			return s.deleteTable(ctx, in.ID)
		})
	huma.Register(a, huma.Operation{OperationID: "get-table-order", Method: http.MethodGet, Path: "/api/draft/tables/{id}/order", Summary: "The rules of a table in match order, and why"},
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
		}) (*struct{ Body []compiled.Placed }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			t := plan.NewIndex(d.Plan).Tables[in.ID]
			if t == nil {
				return nil, huma.Error404NotFound("the draft has no table " + in.ID)
			}
			if problems := within(s.validate(d.Plan), "/tables/"+t.ID+"/"); len(problems) > 0 {
				return nil, badPlan("the table has problems, so it has no order", problems)
			}
			return &struct{ Body []compiled.Placed }{compiled.EffectiveOrder(*t, plan.NewIndex(d.Plan).TrunkGroups)}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "update-rule", Method: http.MethodPut, Path: "/api/draft/rules", Summary: "Write a rule into the draft"},
		func(ctx context.Context, in *struct {
			Trying
			Body RulePut
		}) (*struct{ Body RuleSaved }, error) {
			return s.putRule(ctx, in.Body, in.Try)
		})
	huma.Register(a, huma.Operation{OperationID: "move-rule", Method: http.MethodPost, Path: "/api/draft/rules/{id}/move", Summary: "Put a rule at another place of its table"},
		func(ctx context.Context, in *struct {
			ID   string `path:"id"`
			Body RuleMove
		}) (*struct{ Body Accepted }, error) {
			if err := s.Store.MoveObject(ctx, plan.KindRule, in.ID, in.Body.Before); err != nil {
				return nil, s.failed(err)
			}
			return s.accepted(ctx)
		})
	huma.Register(a, huma.Operation{OperationID: "delete-rule", Method: http.MethodDelete, Path: "/api/draft/rules/{id}", Summary: "Take a rule out of the draft"},
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
		}) (*struct{ Body Accepted }, error) {
			if err := s.Store.DeleteObject(ctx, plan.KindRule, in.ID); err != nil {
				return nil, s.failed(err)
			}
			return s.accepted(ctx)
		})
}

// putRule saves a rule that has no problems of its own; what is wrong
// elsewhere in the draft does not stand in its way. A try saves nothing.
func (s *server) putRule(ctx context.Context, in RulePut, try bool) (*struct{ Body RuleSaved }, error) {
	if in.Rule.ID == "" {
		in.Rule.ID = "rule-" + strings.ToLower(rand.Text()[:10])
	}
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return nil, s.failed(err)
	}
	if plan.NewIndex(d.Plan).Tables[in.Table] == nil {
		return nil, huma.Error422UnprocessableEntity("unknown table", &huma.ErrorDetail{Location: "body.table", Message: "unknown table " + in.Table})
	}
	problems := d.Plan.RuleProblems(in.Table, in.Rule)
	if len(problems) > 0 {
		return nil, badPlan("the rule was not saved", problems)
	}
	if try {
		return &struct{ Body RuleSaved }{RuleSaved{in.Rule.ID}}, nil
	}
	body, err := json.Marshal(in.Rule)
	if err != nil {
		return nil, s.failed(err)
	}
	o := plan.Object{Kind: plan.KindRule, ID: in.Rule.ID, Name: in.Rule.Name, Table: in.Table, Body: body}
	var was json.RawMessage
	if in.Was != nil {
		if was, err = json.Marshal(in.Was); err != nil {
			return nil, s.failed(err)
		}
	}
	if err := s.put(ctx, o, in.Before, was); err != nil {
		return nil, err
	}
	return &struct{ Body RuleSaved }{RuleSaved{in.Rule.ID}}, nil
}

// within picks the problems of one object and tells their places from there.
func within(problems []plan.Problem, place string) []plan.Problem {
	var own []plan.Problem
	for _, p := range problems {
		if rest, ok := strings.CutPrefix(p.Place, place); ok {
			own = append(own, plan.Problem{Place: rest, Reason: p.Reason})
		}
	}
	return own
}

// putTable saves a table's own settings. A try saves nothing.
func (s *server) putTable(ctx context.Context, id string, in TablePut, try bool) (*struct{ Body Accepted }, error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return nil, s.failed(err)
	}
	stands := plan.NewIndex(d.Plan).Tables[id]
	if stands == nil {
		return nil, huma.Error404NotFound("the draft has no table " + id)
	}
	t := *stands
	t.Rules = []plan.Rule{}
	var was json.RawMessage
	if in.Was != nil {
		if was, err = json.Marshal(in.Was.on(t)); err != nil {
			return nil, s.failed(err)
		}
	}
	t = in.on(t)
	if problems := d.Plan.TableProblems(t); len(problems) > 0 {
		return nil, badPlan("the table was not saved", problems)
	}
	if try {
		return s.accepted(ctx)
	}
	body, err := json.Marshal(t)
	if err != nil {
		return nil, s.failed(err)
	}
	if err := s.put(ctx, plan.Object{Kind: plan.KindTable, ID: id, Name: t.Name, Body: body}, "", was); err != nil {
		return nil, err
	}
	return s.accepted(ctx)
}

func (s *server) addTable(ctx context.Context, in NewTable) (*struct{ Body Accepted }, error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return nil, s.failed(err)
	}
	if plan.NewIndex(d.Plan).Tables[in.ID] != nil {
		return nil, huma.Error409Conflict("the table was not added: the draft has one with this id already", &huma.ErrorDetail{Location: "id", Message: in.ID + " is taken; choose another"})
	}
	t := in.on(plan.Table{ID: in.ID, Switch: in.Switch, Rules: []plan.Rule{}})
	if problems := d.Plan.TableProblems(t); len(problems) > 0 {
		return nil, badPlan("the table was not added", problems)
	}
	body, err := json.Marshal(t)
	if err != nil {
		return nil, s.failed(err)
	}
	if err := s.put(ctx, plan.Object{Kind: plan.KindTable, ID: t.ID, Name: t.Name, Body: body}, "", nil); err != nil {
		return nil, err
	}
	return s.accepted(ctx)
}

// deleteTable takes a table out that is empty and that nothing names.
func (s *server) deleteTable(ctx context.Context, id string) (*struct{ Body Accepted }, error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return nil, s.failed(err)
	}
	t := plan.NewIndex(d.Plan).Tables[id]
	if t != nil && len(t.Rules) > 0 {
		return nil, huma.Error409Conflict(fmt.Sprintf("the table was not deleted: it has %d rules; delete them first", len(t.Rules)))
	}
	if err := deleteObject(ctx, s, plan.OfTable, id); err != nil {
		return nil, err
	}
	return s.accepted(ctx)
}

// put writes an object into the draft, unless somebody else changed it since it
// was what was says.
func (s *server) put(ctx context.Context, o plan.Object, before string, was json.RawMessage) error {
	err := s.Store.PutObject(ctx, o, before, was)
	var stale *store.StaleError
	if errors.As(err, &stale) {
		return s.stale(o, was, stale)
	}
	return s.failed(err)
}

// validate returns the problems of a plan that is mostly the live one, which
// has none.
func (s *server) validate(p plan.Plan) []plan.Problem {
	before, ok := s.valid.get()
	if !ok {
		run := s.Plan.Current()
		if run == nil {
			return p.Validate()
		}
		before = run.Snapshot.Plan()
	}
	problems := p.ValidateAfter(before)
	if len(problems) == 0 {
		s.valid.set(p)
	}
	return problems
}

// validPlan remembers the last plan that was found to have no problems: what it has in
// common with the next is not looked at again.
type validPlan struct {
	mu   sync.Mutex
	plan *plan.Plan
}

func (v *validPlan) get() (p plan.Plan, ok bool) {
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.plan == nil {
		return p, false
	}
	return *v.plan, true
}

func (v *validPlan) set(p plan.Plan) {
	v.mu.Lock()
	defer v.mu.Unlock()
	v.plan = &p
}

// stale tells what somebody else made of an object since it was read.
func (s *server) stale(o plan.Object, was json.RawMessage, stale *store.StaleError) error {
	detail := fmt.Sprintf("the %s was not saved: %s", o.Kind, stale)
	if stale.Current == nil {
		return huma.Error409Conflict(detail)
	}
	o.Body = was
	changes, err := plan.DiffObjects([]plan.Object{o}, []plan.Object{{Kind: o.Kind, ID: o.ID, Table: o.Table, Body: stale.Current.Body}})
	if err != nil {
		return s.failed(err)
	}
	var errs []error
	for _, c := range changes {
		for _, f := range c.Fields {
			errs = append(errs, &huma.ErrorDetail{Location: f.Field, Message: fmt.Sprintf("changed meanwhile from %q to %q", f.Before, f.After)})
		}
	}
	return huma.Error409Conflict(detail, errs...)
}
