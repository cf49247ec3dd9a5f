package api

import (
	"context"
	"encoding/json"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/plan"
)

// Put is an object of the plan as it is to stand in the draft.
type Put[T any] struct {
	Is T `json:"is"`
	// Was is the object as it stood when the edit began; without it the object is
	// new. If it was changed since, the save is refused with 409 and the fields
	// that somebody else changed.
	Was *T `json:"was,omitempty"`
	// Before is the id of the object of this kind before which a new one stands; empty:
	// behind all others. The order counts for caller groups alone.
	Before string `json:"before,omitempty" maxLength:"63"`
}

// ObjectSaved says what a saved object brought with it.
type ObjectSaved struct {
	ID string `json:"id"`
	// Elsewhere is what is wrong in other objects of the draft since this one was
	// saved. The draft cannot go live until it is mended.
	Elsewhere []plan.Problem `json:"elsewhere" nullable:"false"`
}

// sort is what the editing of one kind of object needs to know of it.
type sort[T any] struct {
	kind plan.Kind
	path string // in the API, and of its problems in a plan
	name string // for people
	list func(*plan.Plan) *[]T
	id   func(T) (id, name string)
}

func (s *server) objectRoutes(a huma.API) {
	editing(s, a, sort[plan.Switch]{plan.KindSwitch, "switches", "switch", func(p *plan.Plan) *[]plan.Switch { return &p.Switches }, func(x plan.Switch) (string, string) { return x.ID, x.Name }})
	editing(s, a, sort[plan.FarEnd]{plan.KindFarEnd, "farEnds", "far end", func(p *plan.Plan) *[]plan.FarEnd { return &p.FarEnds }, func(x plan.FarEnd) (string, string) { return x.ID, x.Name }})
	editing(s, a, sort[plan.Trunk]{plan.KindTrunk, "trunks", "trunk", func(p *plan.Plan) *[]plan.Trunk { return &p.Trunks }, func(x plan.Trunk) (string, string) { return x.ID, x.Name }})
	editing(s, a, sort[plan.Path]{plan.KindPath, "paths", "path", func(p *plan.Plan) *[]plan.Path { return &p.Paths }, func(x plan.Path) (string, string) { return x.ID, x.Name }})
	editing(s, a, sort[plan.Destination]{plan.KindDestination, "destinations", "destination", func(p *plan.Plan) *[]plan.Destination { return &p.Destinations }, func(x plan.Destination) (string, string) { return x.ID, x.Name }})
	editing(s, a, sort[plan.Group]{plan.KindGroup, "groups", "caller group", func(p *plan.Plan) *[]plan.Group { return &p.Groups }, func(x plan.Group) (string, string) { return x.ID, x.Name }})
	huma.Register(a, huma.Operation{OperationID: "move-group", Method: http.MethodPost, Path: "/api/draft/groups/{id}/move", Summary: "Put a caller group at another place: a call belongs to the first that it matches", Errors: []int{404}},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"63"`
			Body RuleMove
		}) (*struct{ Body Accepted }, error) {
			if err := s.Store.MoveObject(ctx, plan.KindGroup, in.ID, in.Body.Before); err != nil {
				return nil, s.failed(err)
			}
			return s.accepted(ctx)
		})
	editing(s, a, sort[plan.Hours]{plan.KindHours, "hours", "calendar", func(p *plan.Plan) *[]plan.Hours { return &p.Hours }, func(x plan.Hours) (string, string) { return x.ID, x.Name }})
	editing(s, a, sort[plan.Check]{plan.KindCheck, "checks", "check", func(p *plan.Plan) *[]plan.Check { return &p.Checks }, func(x plan.Check) (string, string) { return x.ID, x.Name }})
}

// editing adds the routes that write objects of one kind into the draft and take
// them out.
func editing[T any](s *server, a huma.API, k sort[T]) {
	at := "/api/draft/" + k.path + "/{id}"
	huma.Register(a, huma.Operation{OperationID: "put-" + string(k.kind), Method: http.MethodPut, Path: at, Summary: "Write a " + k.name + " into the draft", Errors: []int{409, 422}},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"63"`
			Body Put[T]
		}) (*struct{ Body ObjectSaved }, error) {
			saved, err := putObject(ctx, s, k, in.ID, in.Body)
			if err != nil {
				return nil, err
			}
			return &struct{ Body ObjectSaved }{saved}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "delete-" + string(k.kind), Method: http.MethodDelete, Path: at, Summary: "Take a " + k.name + " out of the draft", Errors: []int{404, 409}},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body Accepted }, error) {
			if err := deleteObject(ctx, s, k, in.ID); err != nil {
				return nil, err
			}
			return s.accepted(ctx)
		})
}

// putObject saves an object that has no problems of its own; what becomes wrong
// elsewhere is told, and does not stand in its way.
func putObject[T any](ctx context.Context, s *server, k sort[T], id string, in Put[T]) (saved ObjectSaved, err error) {
	is, name := k.id(in.Is)
	if is != id {
		return saved, badPlan("the "+k.name+" was not saved", []plan.Problem{{Place: "id", Reason: "is " + is + ", and " + id + " was asked for; an id stays what it is"}})
	}
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return saved, s.failed(err)
	}
	if in.Was == nil && k.find(&d.Plan, id) >= 0 {
		return saved, huma.Error409Conflict("the "+k.name+" was not saved: the draft has one with this id already", &huma.ErrorDetail{Location: "id", Message: id + " is taken; choose another"})
	}
	before := s.validate(d.Plan)
	k.set(&d.Plan, id, in.Is)
	after := s.validate(d.Plan)
	place := "/" + k.path + "/" + id + "/"
	if own := within(after, place); len(own) > 0 {
		return saved, badPlan("the "+k.name+" was not saved", own)
	}
	body, err := json.Marshal(in.Is)
	if err != nil {
		return saved, s.failed(err)
	}
	var was json.RawMessage
	if in.Was != nil {
		if was, err = json.Marshal(in.Was); err != nil {
			return saved, s.failed(err)
		}
	}
	if err := s.put(ctx, plan.Object{Kind: k.kind, ID: id, Name: name, Body: body}, in.Before, was); err != nil {
		return saved, err
	}
	return ObjectSaved{id, added(before, after)}, nil
}

// deleteObject takes an object out that nothing else names.
func deleteObject[T any](ctx context.Context, s *server, k sort[T], id string) error {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return s.failed(err)
	}
	i := k.find(&d.Plan, id)
	if i < 0 {
		return huma.Error404NotFound("the draft has no " + k.name + " " + id)
	}
	before := s.validate(d.Plan)
	list := k.list(&d.Plan)
	*list = slices.Delete(slices.Clone(*list), i, i+1)
	if missed := added(before, s.validate(d.Plan)); len(missed) > 0 {
		var errs []error
		for _, p := range missed {
			errs = append(errs, &huma.ErrorDetail{Location: p.Place, Message: p.Reason})
		}
		return huma.Error409Conflict("the "+k.name+" was not taken out: the plan still needs it", errs...)
	}
	return s.failed(s.Store.DeleteObject(ctx, k.kind, id))
}

// find is the place of an object in its list; -1 if it is not there.
func (k sort[T]) find(p *plan.Plan, id string) int {
	return slices.IndexFunc(*k.list(p), func(x T) bool { has, _ := k.id(x); return has == id })
}

// set puts an object into a plan in place of the one with its id, or behind the
// others. The plan that shares the list keeps what it had.
func (k sort[T]) set(p *plan.Plan, id string, is T) {
	list := k.list(p)
	i := k.find(p, id)
	*list = slices.Clone(*list)
	if i < 0 {
		*list = append(*list, is)
		return
	}
	(*list)[i] = is
}

// added are the problems that were not there before.
func added(before, after []plan.Problem) []plan.Problem {
	out := []plan.Problem{}
	for _, p := range after {
		if !slices.Contains(before, p) {
			out = append(out, p)
		}
	}
	return out
}
