package api

import (
	"context"
	"encoding/json"
	"net/http"
	"regexp"
	"slices"
	"strings"

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

// Trying is a save that is asked about before it is made.
type Trying struct {
	Try bool `query:"try" doc:"Say what is wrong and what the save would break, and save nothing."`
}

// ObjectSaved says what a saved object brought with it.
type ObjectSaved struct {
	ID string `json:"id"`
	// Elsewhere is what is wrong in other objects of the draft since this one was
	// saved. The draft cannot go live until it is mended.
	Elsewhere []plan.Problem `json:"elsewhere" nullable:"false"`
}

// resource is where the API has a kind of object: its list, in the words of a path.
func resource(field string) string {
	return strings.ToLower(upper.ReplaceAllString(field, "-$0"))
}

var upper = regexp.MustCompile(`[A-Z]`)

func (s *server) objectRoutes(a huma.API) {
	editing(s, a, plan.OfSwitch)
	editing(s, a, plan.OfFarEnd)
	editing(s, a, plan.OfTrunk)
	editing(s, a, plan.OfPath)
	editing(s, a, plan.OfDestination)
	editing(s, a, plan.OfCallerGroup)
	editing(s, a, plan.OfCalendar)
	editing(s, a, plan.OfCheck)
	huma.Register(a, huma.Operation{OperationID: "move-caller-group", Method: http.MethodPost, Path: "/api/draft/caller-groups/{id}/move", Summary: "Put a caller group at another place: a call belongs to the first that it matches", Errors: []int{404}},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"63"`
			Body RuleMove
		}) (*struct{ Body Accepted }, error) {
			if err := s.Store.MoveObject(ctx, plan.KindCallerGroup, in.ID, in.Body.Before); err != nil {
				return nil, s.failed(err)
			}
			return s.accepted(ctx)
		})
}

// editing adds the routes that write objects of one kind into the draft and take
// them out.
func editing[T any](s *server, a huma.API, k *plan.KindOf[T]) {
	at := "/api/draft/" + resource(k.Field) + "/{id}"
	one := strings.ReplaceAll(k.Name, " ", "-")
	huma.Register(a, huma.Operation{OperationID: "update-" + one, Method: http.MethodPut, Path: at, Summary: "Write a " + k.Name + " into the draft", Errors: []int{409, 422}},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
			Trying
			Body Put[T]
		}) (*struct{ Body ObjectSaved }, error) {
			saved, err := putObject(ctx, s, k, in.ID, in.Body, in.Try)
			if err != nil {
				return nil, err
			}
			return &struct{ Body ObjectSaved }{saved}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "delete-" + one, Method: http.MethodDelete, Path: at, Summary: "Take a " + k.Name + " out of the draft", Errors: []int{404, 409}},
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
// elsewhere is told, and does not stand in its way. A try saves nothing.
func putObject[T any](ctx context.Context, s *server, k *plan.KindOf[T], id string, in Put[T], try bool) (saved ObjectSaved, err error) {
	is, name := k.Key(&in.Is)
	if is != id {
		return saved, badPlan("the "+k.Name+" was not saved", []plan.Problem{{Place: "id", Reason: "is " + is + ", and " + id + " was asked for; an id stays what it is"}})
	}
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return saved, s.failed(err)
	}
	if in.Was == nil && find(k, &d.Plan, id) >= 0 {
		return saved, huma.Error409Conflict("the "+k.Name+" was not saved: the draft has one with this id already", &huma.ErrorDetail{Location: "id", Message: id + " is taken; choose another"})
	}
	before := s.validate(d.Plan)
	replaceIn(k, &d.Plan, id, in.Is)
	after := s.validate(d.Plan)
	place := "/" + k.Field + "/" + id + "/"
	if own := within(after, place); len(own) > 0 {
		return saved, badPlan("the "+k.Name+" was not saved", own)
	}
	saved = ObjectSaved{id, added(before, after)}
	if try {
		return saved, nil
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
	if err := s.put(ctx, plan.Object{Kind: k.Kind, ID: id, Name: name, Body: body}, in.Before, was); err != nil {
		return saved, err
	}
	return saved, nil
}

// deleteObject takes an object out that nothing else names.
func deleteObject[T any](ctx context.Context, s *server, k *plan.KindOf[T], id string) error {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return s.failed(err)
	}
	i := find(k, &d.Plan, id)
	if i < 0 {
		return huma.Error404NotFound("the draft has no " + k.Name + " " + id)
	}
	before := s.validate(d.Plan)
	list := k.List(&d.Plan)
	*list = slices.Delete(slices.Clone(*list), i, i+1)
	if missed := added(before, s.validate(d.Plan)); len(missed) > 0 {
		var errs []error
		for _, p := range missed {
			errs = append(errs, &huma.ErrorDetail{Location: p.Place, Message: p.Reason})
		}
		return huma.Error409Conflict("the "+k.Name+" was not deleted: the plan refers to it", errs...)
	}
	return s.failed(s.Store.DeleteObject(ctx, k.Kind, id))
}

// find is the place of an object in its list; -1 if it is not there.
func find[T any](k *plan.KindOf[T], p *plan.Plan, id string) int {
	return slices.IndexFunc(*k.List(p), func(x T) bool { has, _ := k.Key(&x); return has == id })
}

// replaceIn puts an object into a plan in place of the one with its id, or behind the
// others. The plan that shares the list keeps what it had.
func replaceIn[T any](k *plan.KindOf[T], p *plan.Plan, id string, is T) {
	list := k.List(p)
	i := find(k, p, id)
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
