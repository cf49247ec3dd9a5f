package api

import (
	"context"
	"net/http"
	"slices"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/store"
)

// NumberAsk is what is looked for in the inventory.
type NumberAsk struct {
	Text        string `query:"text" maxLength:"200" doc:"Digits that a number holds, or words in any text of a row"`
	State       string `query:"state" enum:",ordered,trial,active,porting,spare"`
	Carrier     string `query:"carrier" maxLength:"63"`
	Site        string `query:"site" maxLength:"200"`
	Destination string `query:"destination" maxLength:"63"`
	Kind        string `query:"kind" enum:",block,single"`
	// Only is: silent (no call ever came for it, and it is not spare), early (calls come, though it is ordered or
	// spare), unanswered (in use, and nothing answers).
	Only  string `query:"only" enum:",silent,early,unanswered"`
	Sort  string `query:"sort" enum:",number,state,carrier,site,owner,destination,extension,note"`
	Down  bool   `query:"down" doc:"The other way round"`
	From  int    `query:"from" minimum:"0"`
	Limit int    `query:"limit" minimum:"1" maximum:"500" default:"100"`
}

// NumberRow is a row of the inventory with what is known of it.
type NumberRow struct {
	ID     string           `json:"id"`
	Number inventory.Number `json:"number"`
	// Answers is the name of what answers; empty if nothing does.
	Answers string     `json:"answers"`
	Calls   int64      `json:"calls" doc:"That came for it, as far as was learnt"`
	Last    *time.Time `json:"last,omitempty" doc:"When the last of them came"`
}

// NumbersPage is a stretch of what was found.
type NumbersPage struct {
	Version int64       `json:"version" doc:"Of the draft"`
	Total   int         `json:"total"`
	Found   int         `json:"found"`
	From    int         `json:"from"`
	Rows    []NumberRow `json:"rows" nullable:"false"`
}

// NumbersSummary is what there is to know of the whole inventory.
type NumbersSummary struct {
	Rows    int            `json:"rows"`
	States  map[string]int `json:"states"`
	Sites   []string       `json:"sites" nullable:"false" doc:"Some hundred at most"`
	Silent  int            `json:"silent" doc:"Rows, but for spare ones, for which no call ever came"`
	Early   int            `json:"early" doc:"Rows that are ordered or spare, and for which calls come"`
	Nobody  int            `json:"nobody" doc:"Rows in use that nothing answers"`
	Strange []Strange      `json:"strange" nullable:"false" doc:"Numbers that arrive and are not in the inventory, some hundred at most"`
	// StrangeCount counts all of them.
	StrangeCount int `json:"strangeCount"`
}

// Strange is a number that arrives and is not in the inventory.
type Strange struct {
	Number string    `json:"number"`
	Trunk  string    `json:"trunk"`
	Calls  int64     `json:"calls"`
	First  time.Time `json:"first"`
	Last   time.Time `json:"last"`
}

// maxListed bounds sites and strange numbers in a summary.
const maxListed = 300

func (s *server) numberRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-numbers", Method: http.MethodGet, Path: "/api/draft/numbers", Summary: "Search the draft's inventory of public numbers"},
		func(ctx context.Context, in *NumberAsk) (*struct{ Body NumbersPage }, error) {
			page, err := s.searchNumbers(ctx, *in)
			if err != nil {
				return nil, err
			}
			return &struct{ Body NumbersPage }{page}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-numbers-summary", Method: http.MethodGet, Path: "/api/draft/numbers-summary", Summary: "The inventory in figures, and what calls taught of it"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body NumbersSummary }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			return &struct{ Body NumbersSummary }{s.summarize(d.Plan)}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-number", Method: http.MethodGet, Path: "/api/draft/numbers/{id}", Summary: "One row of the draft's inventory", Errors: []int{404}},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body NumberRow }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			e, ok := d.Plan.Numbers.Get(in.ID)
			if !ok {
				return nil, huma.Error404NotFound("the draft has no number " + in.ID)
			}
			return &struct{ Body NumberRow }{s.numberRow(plan.NewIndex(d.Plan), e.Number())}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "update-number", Method: http.MethodPut, Path: "/api/draft/numbers", Summary: "Write a row into the draft's inventory", Errors: []int{409, 422}},
		func(ctx context.Context, in *struct {
			Trying
			Body Put[inventory.Number]
		}) (*struct{ Body ObjectSaved }, error) {
			saved, err := s.putNumber(ctx, in.Body, in.Try)
			if err != nil {
				return nil, err
			}
			return &struct{ Body ObjectSaved }{saved}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "delete-number", Method: http.MethodDelete, Path: "/api/draft/numbers/{id}", Summary: "Take a row out of the draft's inventory", Errors: []int{404}},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body Accepted }, error) {
			err := s.Store.EditNumbers(ctx, func(p plan.Plan) (inventory.List, error) {
				if _, ok := p.Numbers.Get(in.ID); !ok {
					return p.Numbers, huma.Error404NotFound("the draft has no number " + in.ID)
				}
				return p.Numbers.With(nil, []string{in.ID})
			})
			if err != nil {
				return nil, s.told(err)
			}
			return s.accepted(ctx)
		})
}

// told passes problem documents on, and makes one of other errors.
func (s *server) told(err error) error {
	if p, ok := errorAs[huma.StatusError](err); ok {
		return p
	}
	return s.failed(err)
}

// putNumber writes a row, in place of the one that it was; its numbers may be others
// now. A try saves nothing.
func (s *server) putNumber(ctx context.Context, in Put[inventory.Number], try bool) (saved ObjectSaved, err error) {
	saved = ObjectSaved{ID: in.Is.ID(), Elsewhere: []plan.Problem{}}
	put := func(p plan.Plan) (inventory.List, error) {
		after, problems, err := s.withNumber(p, in)
		if err != nil {
			return p.Numbers, err
		}
		own, elsewhere := partNumbers(problems, in.Is)
		if len(own) > 0 {
			return p.Numbers, badPlan("the number was not saved", own)
		}
		saved.Elsewhere = append([]plan.Problem{}, elsewhere...)
		return after.Numbers, nil
	}
	if try {
		var d store.Draft
		if d, err = s.Store.Draft(ctx); err == nil {
			_, err = put(d.Plan)
		}
	} else {
		err = s.Store.EditNumbers(ctx, put)
	}
	if err != nil {
		return saved, s.told(err)
	}
	return saved, nil
}

// withNumber is the plan with a row put in, and what is then wrong with it.
func (s *server) withNumber(p plan.Plan, in Put[inventory.Number]) (plan.Plan, []plan.Problem, error) {
	if faults := in.Is.Check(); len(faults) > 0 {
		p.Numbers = inventory.New([]inventory.Number{in.Is})
		return p, p.Validate(), nil
	}
	var gone []string
	id := in.Is.ID()
	if in.Was != nil {
		was := in.Was.ID()
		stands, ok := p.Numbers.Get(was)
		switch {
		case !ok:
			return p, nil, huma.Error409Conflict("the number was not saved: it was deleted from the draft meanwhile")
		case stands.Number() != *in.Was:
			return p, nil, huma.Error409Conflict("the number was not saved: it was changed in the draft in the meantime; look at it again")
		case was != id:
			gone = append(gone, was)
		}
	}
	if _, taken := p.Numbers.Get(id); taken && (in.Was == nil || in.Was.ID() != id) {
		return p, nil, huma.Error409Conflict("the number was not saved: the draft has "+in.Is.Name()+" already", &huma.ErrorDetail{Location: "first", Message: in.Is.Name() + " is there already; open that row"})
	}
	numbers, err := p.Numbers.With([]inventory.Number{in.Is}, gone)
	if err != nil {
		return p, nil, err
	}
	before := p
	p.Numbers = numbers
	return p, p.ValidateAfter(before), nil
}

// partNumbers parts the problems of a row from those elsewhere.
func partNumbers(problems []plan.Problem, n inventory.Number) (own, elsewhere []plan.Problem) {
	if own = within(problems, "/numbers/"+n.ID()+"/"); len(own) > 0 {
		return own, nil
	}
	return nil, problems[:min(len(problems), maxListed)]
}

func (s *server) numberRow(index plan.Index, n inventory.Number) NumberRow {
	r := NumberRow{ID: n.ID(), Number: n}
	if d := index.Destinations[n.Destination]; d != nil {
		r.Answers = d.Name
	}
	if b, err := n.Block(); err == nil {
		if sum := s.Arrivals.In(b); sum.Calls > 0 {
			r.Calls, r.Last = sum.Calls, &sum.Last
		}
	}
	return r
}

// foundNumbers remembers what was found last, so that further stretches of it cost
// nothing.
type foundNumbers struct {
	mu   sync.Mutex
	list []foundBefore
}

type foundBefore struct {
	list  inventory.List
	ask   NumberAsk
	found *inventory.Found
}

// maxFound bounds the searches that are remembered.
const maxFound = 8

func (f *foundNumbers) get(list inventory.List, ask NumberAsk) *inventory.Found {
	f.mu.Lock()
	defer f.mu.Unlock()
	for _, b := range f.list {
		if b.ask == ask && b.list.Same(list) {
			return b.found
		}
	}
	return nil
}

func (f *foundNumbers) keep(b foundBefore) {
	if b.ask.Only != "" {
		return // what calls teach changes under way
	}
	f.mu.Lock()
	defer f.mu.Unlock()
	f.list = append([]foundBefore{b}, f.list[:min(len(f.list), maxFound-1)]...)
}

func (s *server) searchNumbers(ctx context.Context, ask NumberAsk) (page NumbersPage, err error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return page, s.failed(err)
	}
	found, err := s.find(d.Plan.Numbers, ask)
	if err != nil {
		return page, huma.Error422UnprocessableEntity(err.Error())
	}
	page = NumbersPage{Version: d.Version, Total: d.Plan.Numbers.Len(), Found: found.Len(), From: ask.From, Rows: []NumberRow{}}
	index := plan.NewIndex(d.Plan)
	for _, n := range found.Rows(ask.From, ask.Limit) {
		page.Rows = append(page.Rows, s.numberRow(index, n))
	}
	return page, nil
}

// find finds numbers in order; what was found before is only put in another order.
func (s *server) find(list inventory.List, ask NumberAsk) (*inventory.Found, error) {
	sort, down := ask.Sort, ask.Down
	ask.From, ask.Limit, ask.Down = 0, 0, false
	if found := s.found.get(list, ask); found != nil {
		return found.Sorted("", down)
	}
	ask.Sort = ""
	found := s.found.get(list, ask)
	if found == nil {
		found = list.Search(inventory.Query{Text: ask.Text, State: ask.State, Carrier: ask.Carrier, Site: ask.Site, Destination: ask.Destination, Kind: ask.Kind, Only: s.only(ask.Only)})
		s.found.keep(foundBefore{list, ask, found})
	}
	if sort == "" {
		return found.Sorted("", down)
	}
	sorted, err := found.Sorted(sort, false)
	if err != nil {
		return nil, err
	}
	ask.Sort = sort
	s.found.keep(foundBefore{list, ask, sorted})
	return sorted.Sorted("", down)
}

// only is a filter by what calls taught.
func (s *server) only(word string) func(inventory.Entry) bool {
	switch word {
	case "silent":
		return func(e inventory.Entry) bool {
			return e.State() != inventory.Spare && s.Arrivals.In(e.Block()).Calls == 0
		}
	case "early":
		return func(e inventory.Entry) bool { return !e.Answered() && s.Arrivals.In(e.Block()).Calls > 0 }
	case "unanswered":
		return func(e inventory.Entry) bool { return e.Answered() && e.Destination() == "" }
	}
	return nil
}

func (s *server) summarize(p plan.Plan) NumbersSummary {
	out := NumbersSummary{Rows: p.Numbers.Len(), States: map[string]int{}, Sites: []string{}, Strange: []Strange{}}
	sites := map[string]bool{}
	silent, early := s.only("silent"), s.only("early")
	for _, page := range p.Numbers.Pages() {
		for i := range page.Len() {
			e := page.At(i)
			out.States[e.State()]++
			if site := e.Site(); site != "" && len(sites) < maxListed {
				sites[site] = true
			}
			switch {
			case e.Answered() && e.Destination() == "":
				out.Nobody++
			case silent(e):
				out.Silent++
			case early(e):
				out.Early++
			}
		}
	}
	for site := range sites {
		out.Sites = append(out.Sites, site)
	}
	slices.Sort(out.Sites)
	list, count := s.Arrivals.Where(maxListed, func(n digits.Number) bool {
		_, ok := p.Numbers.Find(n)
		return !ok
	})
	out.StrangeCount = count
	for _, a := range list {
		out.Strange = append(out.Strange, strange(a))
	}
	return out
}

func strange(a standing.Arrival) Strange {
	return Strange{a.Number.String(), a.Trunk, a.Calls, a.First, a.Last}
}
