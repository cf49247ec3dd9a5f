package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

// NumbersEdit changes many rows of the inventory in one step, which one undo reverts.
type NumbersEdit struct {
	// IDs are the rows; without any, all that Where finds.
	IDs   []string     `json:"ids,omitempty" maxItems:"10000"`
	Where NumbersWhere `json:"where,omitzero"`
	// Set has the fields to write; what is missing stays as it is.
	Set    NumbersSet `json:"set,omitzero"`
	Delete bool       `json:"delete,omitempty" doc:"Deletes the rows instead"`
	// Found is how many rows the editor saw: if others are found now, nothing is changed.
	Found int `json:"found" minimum:"1"`
}

// NumbersWhere is what the rows are found by, as in a search.
type NumbersWhere struct {
	Text        string `json:"text,omitempty" maxLength:"200"`
	State       string `json:"state,omitempty" enum:",ordered,trial,active,porting,spare"`
	Carrier     string `json:"carrier,omitempty" maxLength:"63"`
	Site        string `json:"site,omitempty" maxLength:"200"`
	Destination string `json:"destination,omitempty" maxLength:"63"`
	Kind        string `json:"kind,omitempty" enum:",block,single"`
	Only        string `json:"only,omitempty" enum:",silent,early,unanswered"`
}

// NumbersSet are the fields that many rows can share; an empty text clears the field.
type NumbersSet struct {
	State       *string `json:"state,omitempty" enum:"ordered,trial,active,porting,spare"`
	Carrier     *string `json:"carrier,omitempty" maxLength:"63"`
	Site        *string `json:"site,omitempty" maxLength:"200"`
	Owner       *string `json:"owner,omitempty" maxLength:"200"`
	Destination *string `json:"destination,omitempty" maxLength:"63"`
}

func (e NumbersSet) apply(n inventory.Number) inventory.Number {
	for field, value := range map[*string]*string{&n.State: e.State, &n.Carrier: e.Carrier, &n.Site: e.Site, &n.Owner: e.Owner, &n.Destination: e.Destination} {
		if value != nil {
			*field = *value
		}
	}
	return n
}

// NumbersEdited says what an edit of many rows changed.
type NumbersEdited struct {
	Changed int `json:"changed"`
}

func (s *server) numberBulkRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "edit-numbers", Method: http.MethodPost, Path: "/api/draft/numbers-edit", Summary: "Change or delete many rows of the draft's inventory in one step", Errors: []int{404, 409, 422}},
		func(ctx context.Context, in *struct{ Body NumbersEdit }) (*struct{ Body NumbersEdited }, error) {
			edited, err := s.editNumbers(ctx, in.Body)
			if err != nil {
				return nil, s.told(err)
			}
			return &struct{ Body NumbersEdited }{edited}, nil
		})
}

func (s *server) editNumbers(ctx context.Context, in NumbersEdit) (out NumbersEdited, err error) {
	err = s.Store.EditNumbers(ctx, func(p plan.Plan) (inventory.List, error) {
		rows, err := s.rowsOf(p.Numbers, in)
		if err != nil {
			return p.Numbers, err
		}
		if len(rows) != in.Found {
			return p.Numbers, huma.Error409Conflict(fmt.Sprintf("nothing was changed: %d rows are found now, not %d; look at them again", len(rows), in.Found))
		}
		out.Changed = len(rows)
		if in.Delete {
			gone := make([]string, len(rows))
			for i, n := range rows {
				gone[i] = n.ID()
			}
			return p.Numbers.With(nil, gone)
		}
		for i := range rows {
			rows[i] = in.Set.apply(rows[i])
		}
		after, before := p, p
		if after.Numbers, err = p.Numbers.With(rows, nil); err != nil {
			return p.Numbers, err
		}
		if problems := after.ValidateAfter(before); len(problems) > 0 {
			if problems = fresh(before.Validate(), problems); len(problems) > 0 {
				return p.Numbers, badPlan("nothing was changed", problems[:min(len(problems), maxListed)])
			}
		}
		return after.Numbers, nil
	})
	return out, err
}

// rowsOf are the rows that an edit names or finds.
func (s *server) rowsOf(list inventory.List, in NumbersEdit) (rows []inventory.Number, err error) {
	if len(in.IDs) == 0 {
		w := in.Where
		found, err := s.find(list, NumberAsk{Text: w.Text, State: w.State, Carrier: w.Carrier, Site: w.Site, Destination: w.Destination, Kind: w.Kind, Only: w.Only})
		if err != nil {
			return nil, err
		}
		return found.Rows(0, found.Len()), nil
	}
	for _, id := range slices.Compact(slices.Sorted(slices.Values(in.IDs))) { // a row named twice is one row
		e, ok := list.Get(id)
		if !ok {
			return nil, huma.Error404NotFound("nothing was changed: the draft has no number " + id)
		}
		rows = append(rows, e.Number())
	}
	return rows, nil
}

// fresh are the problems that were not there before.
func fresh(before, after []plan.Problem) (list []plan.Problem) {
	had := map[plan.Problem]bool{}
	for _, p := range before {
		had[p] = true
	}
	for _, p := range after {
		if !had[p] {
			list = append(list, p)
		}
	}
	return list
}
