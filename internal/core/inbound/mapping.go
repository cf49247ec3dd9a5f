package inbound

import (
	"fmt"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
)

// MaxMembers bounds the block whose members are listed one by one.
const MaxMembers = 100_000

// Mapping is a mapping of a block on the numbers of a destination, as it is typed: by
// digit steps on the number as it is given, or by arithmetic.
type Mapping struct {
	First string `json:"first" maxLength:"40" doc:"E.164"`
	Last  string `json:"last,omitempty" maxLength:"40"`
	// Form is that in which the carrier gives the number to which the steps are done.
	Format      string         `json:"format,omitempty" enum:"plus,bare,international,national,national-bare,local,last-6,last-4,last-3"`
	Steps       []rewrite.Step `json:"steps,omitempty" maxItems:"20"`
	Extension   string         `json:"extension,omitempty" maxLength:"40" doc:"Without steps: first extension of the mapping"`
	Destination string         `json:"destination" maxLength:"63"`
}

// Run is members of a block in a row that the same becomes of: the numbers rise together.
type Run struct {
	From digits.Number `json:"from"`
	To   digits.Number `json:"to"`
	// Lands and LandsLast are the extensions of the first and of the last.
	Lands     digits.Number `json:"lands"`
	LandsLast digits.Number `json:"landsLast"`
	Count     int           `json:"count"`
	// State: lands, not-there (no such extension at the destination), taken (by Clash), or
	// fails (a step cannot act).
	State string `json:"state" enum:"lands,not-there,taken,fails"`
	Clash string `json:"clash,omitempty" doc:"Other inventory entry with the same target"`
	// Elsewhere is the destination that has such an extension.
	Elsewhere string `json:"elsewhere,omitempty"`
	Why       string `json:"why,omitempty"`
}

// Offer is arithmetic that maps the whole block on extensions that are there.
type Offer struct {
	First digits.Number `json:"first"`
	Last  digits.Number `json:"last"`
	// Off is how far what was typed is from it; 0 if it comes to the same.
	Off int64 `json:"off"`
	// Free: no other number lands there.
	Free bool `json:"free"`
}

// Mapped is what a mapping comes to.
type Mapped struct {
	Members  int     `json:"members"`
	Landing  int     `json:"landing" doc:"Numbers that reach an existing extension"`
	NotThere int     `json:"notThere"`
	Taken    int     `json:"taken"`
	Failing  int     `json:"failing"`
	Runs     []Run   `json:"runs" nullable:"false"`
	Offers   []Offer `json:"offers" nullable:"false"`
	// Right: every member lands, and on its own.
	Right bool `json:"right"`
}

// maxRuns bounds the runs that are listed.
const maxRuns = 200

// Map works a mapping out over its whole block.
func Map(p plan.Plan, m Mapping) (Mapped, error) {
	w, err := newWorkings(p, m)
	if err != nil {
		return Mapped{}, err
	}
	return w.mapped(), nil
}

// mapped goes through the whole block.
func (w *workings) mapped() Mapped {
	out := Mapped{Runs: []Run{}, Offers: []Offer{}, Members: w.size}
	var typed digits.Number // on which the first lands
	for i := range w.size {
		r := w.member(i)
		if i == 0 {
			typed = r.Lands
		}
		switch r.State {
		case "lands":
			out.Landing++
		case "taken":
			out.Landing, out.Taken = out.Landing+1, out.Taken+1
		case "not-there":
			out.NotThere++
		default:
			out.Failing++
		}
		if n := len(out.Runs); n > 0 && out.Runs[n-1].follows(r) {
			out.Runs[n-1].To, out.Runs[n-1].LandsLast, out.Runs[n-1].Count = r.To, r.Lands, out.Runs[n-1].Count+1
		} else if n < maxRuns {
			out.Runs = append(out.Runs, r)
		}
	}
	out.Right = out.Landing == w.size && out.Taken == 0 && w.eachOnItsOwn
	out.Offers = w.offers(typed)
	return out
}

// follows tells whether a member carries a run on.
func (r *Run) follows(n Run) bool {
	return r.State == n.State && r.Clash == n.Clash && r.Elsewhere == n.Elsewhere && r.Why == n.Why &&
		(r.State == "fails" || r.LandsLast.Len() == n.Lands.Len() && r.LandsLast.Nth(1) == n.Lands)
}

// workings are a mapping made ready.
type workings struct {
	plan         plan.Plan
	block        digits.Block
	size         int
	given        func(n digits.Number) numbering.Written // as the steps find it
	steps        []rewrite.Compiled
	region       numbering.Region
	extension    digits.Number
	destination  plan.Destination
	there        *digits.Pattern
	elsewhere    []place
	taken        []landing
	hit          map[digits.Number]bool
	eachOnItsOwn bool
}

type place struct {
	name string
	has  *digits.Pattern
}

func newWorkings(p plan.Plan, m Mapping) (*workings, error) {
	n := inventory.Number{First: m.First, Last: m.Last, State: inventory.Active, Extension: ""}
	if faults := n.Check(); len(faults) > 0 {
		return nil, fmt.Errorf("%s: %s", faults[0].Field, faults[0].Reason)
	}
	block, _ := n.Block() // checked
	w, err := over(p, block, m.Destination)
	if err != nil {
		return nil, err
	}
	index := plan.NewIndex(p)
	if t := index.Trunks[w.destination.Trunk]; t != nil && index.Switches[t.Switch] != nil {
		if w.region, err = index.Switches[t.Switch].Region.Compile(); err != nil {
			return nil, err
		}
	}
	w.given = func(n digits.Number) numbering.Written {
		for _, f := range FormsOf(&w.region, n) {
			if f.Name == m.Format {
				return numbering.As(f.Number, formOf[f.Name])
			}
		}
		return numbering.As(n, numbering.E164)
	}
	if err := w.take(m); err != nil {
		return nil, err
	}
	w.findTaken(func(e inventory.Entry) bool {
		// Itself, or a number of the block that has a row of its own.
		return e.ID() == n.ID() || !e.IsBlock() && w.block.Contains(e.First())
	})
	return w, nil
}

// over makes ready what is asked of each member of a block that is mapped on a destination.
func over(p plan.Plan, block digits.Block, destination string) (*workings, error) {
	w := &workings{plan: p, block: block, hit: map[digits.Number]bool{}, eachOnItsOwn: true}
	size := w.block.Size()
	if !size.IsInt64() || size.Int64() > MaxMembers {
		return nil, fmt.Errorf("the block has %s numbers; up to %d are supported", size, MaxMembers)
	}
	w.size = int(size.Int64())
	d := plan.NewIndex(p).Destinations[destination]
	if d == nil {
		return nil, fmt.Errorf("destination: unknown destination %q", destination)
	}
	w.destination = *d
	var err error
	if d.NumberPattern == "" {
		return nil, fmt.Errorf("destination: %s has one number only, so no block mapping", d.Name)
	}
	if w.there, err = digits.Compile(d.NumberPattern); err != nil {
		return nil, err
	}
	for _, other := range p.Destinations {
		if has, err := digits.Compile(other.NumberPattern); err == nil && other.ID != d.ID && other.NumberPattern != "" {
			w.elsewhere = append(w.elsewhere, place{other.Name, has})
		}
	}
	return w, nil
}

func (w *workings) take(m Mapping) (err error) {
	if err := w.compile(m.Steps); err != nil || len(w.steps) > 0 {
		return err
	}
	w.extension, err = digits.ParseNumber(m.Extension)
	switch {
	case err != nil:
		return fmt.Errorf("extension: %w", err)
	case w.extension.Empty():
		return fmt.Errorf("extension: set the first extension, or digit steps")
	case !w.block.Fits(w.extension):
		return fmt.Errorf("extension: %s is too short for %d numbers", w.extension, w.size)
	}
	return nil
}

func (w *workings) compile(steps []rewrite.Step) error {
	for i, s := range steps {
		c, faults := s.Compile()
		if len(faults) > 0 {
			return fmt.Errorf("steps/%d/%s: %s", i, faults[0].Field, faults[0].Reason)
		}
		w.steps = append(w.steps, c)
	}
	return nil
}

// member is what becomes of one number of the block.
func (w *workings) member(i int) Run {
	n := w.block.First.Nth(uint64(i))
	r := Run{From: n, To: n, Count: 1}
	lands, why := w.land(n)
	if why != "" {
		r.State, r.Why = "fails", why
		return r
	}
	r.Lands, r.LandsLast = lands, lands
	if w.hit[lands] {
		w.eachOnItsOwn = false
	}
	w.hit[lands] = true
	switch {
	case !w.there.Matches(lands):
		r.State = "not-there"
		for _, p := range w.elsewhere {
			if p.has.Matches(lands) {
				r.Elsewhere = p.name
				break
			}
		}
	default:
		r.State = "lands"
		if r.Clash = w.clash(lands); r.Clash != "" {
			r.State = "taken"
		}
	}
	return r
}

func (w *workings) land(n digits.Number) (lands digits.Number, why string) {
	if len(w.steps) == 0 {
		return digits.Shift(n, w.block.First, w.extension).After(), ""
	}
	given := w.given(n)
	for i := range w.steps {
		after, ok := w.steps[i].Apply(&w.region, given)
		if !ok {
			return lands, w.steps[i].Err(w.steps[i].Explain(&w.region, given)).Error()
		}
		given = after
	}
	return given.Number, ""
}

// formOf is the form of a number that is written in one of the ways of FormsOf.
var formOf = map[string]numbering.Format{
	"plus": numbering.E164, "bare": numbering.E164Bare, "international": numbering.International, "national": numbering.National,
	"national-bare": numbering.NationalBare, "local": numbering.Local,
}
