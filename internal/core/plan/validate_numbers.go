package plan

import (
	"fmt"
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
)

// numbers checks the inventory of public numbers: each row, and that no two claim the
// same number, but for a single number inside a block. Pages that the valid plan before
// had too are not looked at again, unless what they name may be otherwise.
func (v *validator) numbers(before Plan) {
	for _, n := range v.plan.Numbers.Bad() {
		for _, f := range n.Check() {
			v.bad(numberPlace(n.ID())+"/"+f.Field, "%s%s", f.Reason, v.extensionHint(n, f))
		}
	}
	known := map[*inventory.Page]bool{}
	if v.sameFrame && v.sameNumbers(before) {
		for _, p := range before.Numbers.Pages() {
			known[p] = true
		}
	}
	landing := landings{v: v, patterns: map[string]*digits.Pattern{}}
	var last inventory.Entry
	for _, p := range v.plan.Numbers.Pages() {
		for i := range p.Len() {
			e := p.At(i)
			if !known[p] {
				v.number(e, &landing)
			}
			if len(v.problems) > MaxNumberProblems {
				return
			}
			last = v.apart(last, e)
			if known[p] && i == 0 {
				last = p.At(p.Len() - 1)
				break
			}
		}
	}
}

// MaxNumberProblems is after how many problems the inventory is looked at no further.
const MaxNumberProblems = 10_000

// sameNumbers tells whether destinations have the numbers that they had.
func (v *validator) sameNumbers(before Plan) bool {
	was := NewIndex(before).Destinations
	for id, d := range v.index.Destinations {
		if w := was[id]; w == nil || w.NumberPattern != d.NumberPattern || w.Number != d.Number {
			return false
		}
	}
	return true
}

func numberPlace(id string) string { return "/numbers/" + id }

// extensionHint says of a number that is none of the public ones where it is known.
func (v *validator) extensionHint(n inventory.Number, f inventory.Fault) string {
	first, err := digits.ParseNumber(n.First)
	if f.Field != "first" || err != nil || first.Plus() {
		return ""
	}
	for _, d := range v.plan.Destinations {
		if d.holds(first) {
			return fmt.Sprintf("; %s is an extension of %s", first, d.Name)
		}
	}
	return ""
}

// holds tells whether a number is one of the destination.
func (d Destination) holds(n digits.Number) bool {
	if d.NumberPattern == "" {
		return d.Number == n.String()
	}
	p, err := digits.Compile(d.NumberPattern)
	return err == nil && p.Matches(n)
}

// apart checks that a row claims nothing that the one before it does, and returns which
// of both reaches farther. An overlap is told at both: either may be the one that is new.
func (v *validator) apart(before, e inventory.Entry) inventory.Entry {
	if before.Zero() || before.IsBlock() != e.IsBlock() {
		return e
	}
	first, _ := digits.Pack(e.First())
	last, _ := digits.Pack(before.Last())
	switch {
	case before.ID() == e.ID():
		v.bad(numberPlace(e.ID())+"/first", "duplicate entry %s", e.Name())
	case last >= first:
		v.bad(numberPlace(e.ID())+"/first", "%s overlaps %s", e.Name(), before.Name())
		v.bad(numberPlace(before.ID())+"/first", "%s overlaps %s", before.Name(), e.Name())
	}
	if end, _ := digits.Pack(e.Last()); end < last {
		return before
	}
	return e
}

func (v *validator) number(e inventory.Entry, landing *landings) {
	at := numberPlace(e.ID())
	if c := e.Carrier(); c != "" && v.index.FarEnds[c] == nil {
		v.known(at+"/carrier", "far end", c, false)
	}
	if d := e.Destination(); d != "" && v.index.Destinations[d] == nil {
		v.known(at+"/destination", "destination", d, false)
	}
	if b := e.Busy(); b != "" {
		if _, err := digits.ParseNumber(b); err != nil {
			v.bad(at+"/busy", "%s", err)
		} else if e.Destination() == "" {
			v.bad(at+"/busy", "forward on busy needs a destination")
		}
	}
	v.tag(at+"/tag", e.Tag())
	v.ring(at+"/ring", e.Ring())
	if !e.Extension().Empty() {
		landing.check(at, e)
	}
}

// tag checks a name tag: it goes into a display name.
func (v *validator) tag(at, tag string) {
	if strings.ContainsAny(tag, "\"\\\r\n\t") || strings.TrimSpace(tag) != tag {
		v.bad(at, "%q contains a quotation mark, a backslash or outer spaces", tag)
	}
	if len(tag) > MaxTag {
		v.bad(at, "is longer than %d bytes", MaxTag)
	}
}

// MaxTag is the longest name tag, in bytes.
const MaxTag = 40

// ring checks a value of Alert-Info: an address in angle brackets, perhaps with
// parameters (RFC 3261 sections 20.4 and 25.1).
func (v *validator) ring(at, ring string) {
	if ring == "" {
		return
	}
	address, params, ok := strings.Cut(strings.TrimPrefix(ring, "<"), ">")
	switch {
	case !strings.HasPrefix(ring, "<") || !ok || !strings.Contains(address, ":") || strings.ContainsAny(address, " \"<") || params != "" && !strings.HasPrefix(params, ";"):
		v.bad(at, "invalid Alert-Info %q; use a URI in angle brackets such as <urn:alert:source:external>", ring)
	case strings.ContainsAny(ring, "\r\n,"):
		v.bad(at, "%q contains a comma or a line break", ring)
	case len(ring) > 200:
		v.bad(at, "is longer than 200 bytes")
	}
}

// landings checks that numbers land on extensions that are there.
type landings struct {
	v        *validator
	patterns map[string]*digits.Pattern // of destinations; nil for one without
}

func (l *landings) pattern(id string) *digits.Pattern {
	p, known := l.patterns[id]
	if !known {
		if d := l.v.index.Destinations[id]; d != nil && d.NumberPattern != "" {
			p, _ = digits.Compile(d.NumberPattern) // checked where it stands
		}
		l.patterns[id] = p
	}
	return p
}

func (l *landings) check(at string, e inventory.Entry) {
	d := l.v.index.Destinations[e.Destination()]
	p := l.pattern(e.Destination())
	switch {
	case e.Destination() == "":
		l.v.bad(at+"/extension", "needs a destination")
	case d == nil:
	case p == nil:
		l.v.bad(at+"/extension", "%s has one number only; clear the extension", d.Name)
	case e.Gaps():
	case !e.IsBlock():
		if !p.Matches(e.Extension()) {
			l.v.bad(at+"/extension", "%s has no %s; its numbers: %s", d.Name, e.Extension(), d.NumberPattern)
		}
	default:
		target, _ := Mapped(e.Block(), e.Extension())
		if count, runs := p.Missing(target, 3); count.Sign() > 0 {
			l.v.bad(at+"/extension", "maps %s to %s to %s to %s; %s of these are not at %s (%s)", e.First(), e.Last(), target.First, target.Last, count, d.Name, runsText(runs))
		}
	}
}

// Mapped is the block of extensions on which a block is mapped by arithmetic.
func Mapped(b digits.Block, first digits.Number) (target digits.Block, ok bool) {
	if !b.Fits(first) {
		return target, false
	}
	return digits.Block{First: first, Last: digits.Shift(b.Last, b.First, first).After()}, true
}

func runsText(runs []digits.Block) string {
	var out []string
	for _, r := range runs {
		if r.First == r.Last {
			out = append(out, r.First.String())
		} else {
			out = append(out, r.First.String()+" to "+r.Last.String())
		}
	}
	return strings.Join(out, ", ")
}
