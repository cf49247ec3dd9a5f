// Package inbound works out what becomes of public numbers: in each form in which a
// carrier may send them, member by member of a block, and what a mapping that was typed
// comes to beside the arithmetic that is right.
//
// It decides calls only by asking the evaluator, and changes no plan.
package inbound

import (
	"slices"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Form is one way in which a carrier may write a number.
type Format struct {
	Name   string        `json:"name" enum:"plus,bare,international,national,national-bare,local,last-6,last-4,last-3"`
	Number digits.Number `json:"number"`
}

// FormsOf are the ways in which a public number is written for a region: whole numbers
// first, then the last digits. Ways that come to the same digits are listed once.
func FormsOf(region *numbering.Region, n digits.Number) []Format {
	var out []Format
	add := func(name string, w digits.Number, ok bool) {
		if ok && !w.Empty() && !slices.ContainsFunc(out, func(f Format) bool { return f.Number == w }) {
			out = append(out, Format{name, w})
		}
	}
	whole := numbering.As(n, numbering.E164)
	read := region.Read(whole.Number, whole.Format)
	put := func(f numbering.Format) (digits.Number, bool) {
		w, _ := region.Put(&read, f)
		return w.Number, w.Format == f
	}
	add("plus", n, true)
	bare, ok := put(numbering.E164Bare)
	add("bare", bare, ok)
	for _, f := range []struct {
		name string
		form numbering.Format
	}{{"international", numbering.International}, {"national", numbering.National}, {"national-bare", numbering.NationalBare}} {
		w, ok := put(f.form)
		add(f.name, w, ok)
	}
	local, ok := numbering.WithoutArea(n)
	add("local", local, ok)
	for _, last := range []struct {
		name string
		keep int
	}{{"last-6", 6}, {"last-4", 4}, {"last-3", 3}} {
		add(last.name, n.Last(last.keep), n.Len() > last.keep+1)
	}
	return out
}

// Arrival is what becomes of a number as a trunk brings it in one form.
type Arrival struct {
	Trunk  trail.Ref `json:"trunk"`
	Format Format    `json:"format"`
	// Declared: it is the form in which the trunk says that it gives called numbers.
	Declared bool          `json:"declared"`
	Outcome  trail.Outcome `json:"outcome" enum:"answered,refused,failed,abandoned"`
	// Lands is the destination or the trunk by which the call went on, and As the called
	// number there; none if it was refused.
	Lands *trail.Ref `json:"lands,omitempty"`
	As    string     `json:"as,omitempty"`
	// Resort: the last resort took it.
	Resort bool   `json:"resort,omitempty"`
	Rule   string `json:"rule,omitempty" doc:"Last rule matched"`
	Why    string `json:"why"`
	// Same: it goes where the number goes in the declared form.
	Same bool `json:"same"`
}

// Arrivals are what becomes of a number in each form, by each of some trunks of the
// snapshot, at a moment.
func Arrivals(s *decide.Snapshot, trunks []string, n digits.Number, at time.Time, byHand map[string]string) []Arrival {
	out := []Arrival{}
	for _, id := range trunks {
		t, ok := s.Trunk(id)
		if !ok {
			continue
		}
		sw, _ := s.Switch(t.Switch)
		region, err := sw.Region.Compile()
		if err != nil {
			continue
		}
		declared := -1
		first := len(out)
		for _, f := range FormsOf(&region, n) {
			a := arrive(s, id, f, at, byHand)
			a.Trunk = trail.Ref{Kind: "trunk", ID: t.ID, Name: t.Name}
			if a.Declared = declares(t, f, n); a.Declared {
				declared = len(out)
			}
			out = append(out, a)
		}
		for i := first; i < len(out); i++ {
			if declared >= 0 {
				out[i].Same = out[i].goesLike(out[declared])
			}
		}
	}
	return out
}

// declares tells whether a trunk says that numbers come in a form.
func declares(t *plan.Trunk, f Format, n digits.Number) bool {
	if t.In.CalledPrefix != "" {
		return t.In.CalledPrefix+f.Number.String() == n.String()
	}
	return nameOf[t.In.CalledFormat] == f.Name
}

// nameOf is how a form that a trunk declares is called here.
var nameOf = map[numbering.Format]string{
	numbering.E164: "plus", numbering.E164Bare: "bare", numbering.International: "international",
	numbering.National: "national", numbering.NationalBare: "national-bare", numbering.Local: "local",
}

func arrive(s *decide.Snapshot, trunk string, f Format, at time.Time, byHand map[string]string) Arrival {
	a := Arrival{Format: f}
	res, err := s.Dry(decide.Call{Trunk: trunk, Called: f.Number, At: at, Overrides: byHand}, decide.Suppose{})
	if err != nil {
		a.Outcome, a.Why = trail.Refused, err.Error()
		return a
	}
	a.Outcome, a.Why = res.Outcome, res.Why()
	for _, step := range res.Steps {
		switch {
		case step.Resorted != nil:
			a.Resort, a.Why = true, step.Resorted.Why
		case step.Delivered != nil:
			a.Lands = &step.Delivered.Destination
		case step.TookPath != nil:
			a.Lands = &step.TookPath.Path
		case step.LookedUp != nil && step.LookedUp.Winner != nil:
			a.Rule = step.LookedUp.Winner.Name
		case step.SetCalendar != nil:
			a.Lands = &step.SetCalendar.Calendar
		}
	}
	if a.Lands != nil {
		a.As = res.Called
	}
	return a
}

// TrunksOf are the trunks that may bring a number: those of its carrier or, if it names
// none, all that lead outside and may call in.
func TrunksOf(s *decide.Snapshot, n inventory.Number) []string {
	var out []string
	p := s.Plan()
	for i := range p.Trunks {
		t := &p.Trunks[i]
		if t.InboundTable == "" || !s.LeadsOutside(t.ID) || t.OppositeTrunk != "" {
			continue
		}
		if n.Carrier == "" || t.FarEnd == n.Carrier {
			out = append(out, t.ID)
		}
	}
	return out
}

// Then is what becomes of a call whose one who answers does not.
type Then struct {
	When    string        `json:"when" enum:"busy,away,silent"`
	Outcome trail.Outcome `json:"outcome" enum:"answered,refused,failed,abandoned"`
	Status  int           `json:"status" doc:"SIP status sent to the caller, if the call ends"`
	// Trunk and Called are by which way and as what it then goes on; empty if it ends.
	Trunk  string `json:"trunk,omitempty"`
	Called string `json:"called,omitempty"`
	Why    string `json:"why"`
}

// When says what becomes of a call to a number by a trunk while who answers is busy, does
// not answer, or cannot be reached at all.
func When(s *decide.Snapshot, trunk string, called digits.Number, at time.Time, byHand map[string]string) []Then {
	call := decide.Call{Trunk: trunk, Called: called, At: at, Overrides: byHand}
	base, err := s.Dry(call, decide.Suppose{})
	if err != nil || len(base.Attempts) == 0 {
		return []Then{}
	}
	first := base.Attempts[0].Trunk
	out := []Then{}
	for _, then := range []struct {
		when  string
		hears decide.Report
	}{
		{"busy", decide.Report{Kind: trail.ReportRefused, Status: 486}},
		{"away", decide.Report{Kind: trail.ReportUnanswered, Progress: true}},
		{"silent", decide.Report{Kind: trail.ReportNoResponse}},
	} {
		res, err := s.Dry(call, decide.Suppose{Hears: map[string]decide.Report{first: then.hears}})
		if err != nil {
			continue
		}
		t := Then{When: then.when, Outcome: res.Outcome, Status: res.Cause.SIP, Why: res.Why()}
		if last := res.Attempts[len(res.Attempts)-1]; len(res.Attempts) > 1 && !last.Skipped {
			t.Trunk, t.Called = last.Trunk, last.Called
		}
		out = append(out, t)
	}
	return out
}
