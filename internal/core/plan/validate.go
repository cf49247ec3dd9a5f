package plan

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/rewrite"
)

// Problem is one thing that is wrong with a plan.
type Problem struct {
	// Place is a path into the document by ids, such as
	// /tables/outside/rules/national/match/called.
	Place  string `json:"place"`
	Reason string `json:"reason"`
}

func (p Problem) Error() string { return p.Place + ": " + p.Reason }

// maxRepeated is how much of a value a problem repeats, in bytes.
const maxRepeated = 200

// MaxNameLength bounds names, in bytes; notes may be ten times as long.
const MaxNameLength = 200

// Validate returns every problem of the plan, in the order of the document.
// A plan without problems can be compiled.
func (p Plan) Validate() []Problem { return p.ValidateAfter(Plan{}) }

// ValidateAfter is Validate on a plan that was made from one without problems:
// what is the same slice of memory in both is not checked again, unless
// something that it may refer to was added, taken out or moved to another
// switch.
func (p Plan) ValidateAfter(before Plan) []Problem {
	v := validator{plan: p, index: NewIndex(p), ids: map[named]string{}}
	v.sameFrame = v.index.sameFrame(NewIndex(before))
	v.before = NewIndex(before).Tables
	v.head()
	for _, kind := range described {
		kind.validate(&v)
		if kind == OfTrunk {
			v.toldApart()
		}
	}
	v.numbers(before)
	return v.problems
}

// RuleProblems returns what is wrong with a rule of its own, if it is put into a
// table; places begin at the rule. What is wrong elsewhere is left out.
func (p Plan) RuleProblems(table string, r Rule) []Problem {
	v := validator{plan: p, index: NewIndex(p), ids: map[named]string{}}
	for i := range p.Tables {
		for _, other := range p.Tables[i].Rules {
			if other.ID == r.ID && p.Tables[i].ID != table {
				v.ids[named{"rule", r.ID}] = "/tables/" + p.Tables[i].ID + "/rules/" + r.ID
			}
		}
	}
	if t := v.index.Tables[table]; t != nil {
		v.rule("", *t, r)
	}
	return v.fromHere()
}

// TableProblems returns what is wrong with a table's own settings; places begin
// at the table. Its rules are not looked at.
func (p Plan) TableProblems(t Table) []Problem {
	v := validator{plan: p, index: NewIndex(p), ids: map[named]string{}}
	t.Rules = nil
	v.table("", t)
	return v.fromHere()
}

// fromHere tells the places of problems from the object on.
func (v *validator) fromHere() []Problem {
	for i := range v.problems {
		v.problems[i].Place = strings.TrimPrefix(v.problems[i].Place, "/")
	}
	return v.problems
}

// SameSlice tells whether two slices are the same memory, so that neither can
// hold anything that the other does not.
func SameSlice[T any](a, b []T) bool {
	return len(a) == len(b) && (len(a) == 0 || &a[0] == &b[0])
}

type validator struct {
	plan  Plan
	index Index
	ids   map[named]string // its place
	// before are the tables of a valid plan that this one was made from, and
	// sameFrame tells whether all that can be referred to is as it was there.
	before    map[string]*Table
	sameFrame bool
	problems  []Problem
}

func place(kind, id string, i int) string {
	if id == "" {
		id = fmt.Sprint(i)
	}
	return "/" + kind + "/" + id
}

// bad notes a problem. What somebody wrote is repeated as far as a message can bear.
func (v *validator) bad(at, format string, args ...any) {
	for i, arg := range args {
		if text, ok := arg.(string); ok && len(text) > maxRepeated {
			args[i] = fmt.Sprintf("%s… (%d bytes)", text[:maxRepeated], len(text))
		}
	}
	v.problems = append(v.problems, Problem{at, fmt.Sprintf(format, args...)})
}

func (v *validator) head() {
	if v.plan.Format != Format {
		v.bad("/format", "%q is not a plan document; expected %q", v.plan.Format, Format)
	}
	if v.plan.Version == 0 {
		v.bad("/version", "is missing; this Switchback reads version %d", Version)
	} else if v.plan.Version != Version {
		v.bad("/version", "version %d is not supported; this Switchback reads version %d", v.plan.Version, Version)
	}
}

// named is an id among the objects of its kind.
type named struct{ kind, id string }

func (v *validator) takeID(kind, at, id string) {
	if first, taken := v.ids[named{kind, id}]; taken {
		v.bad(at+"/id", "duplicate code %q, used by %s", id, first)
		return
	}
	v.ids[named{kind, id}] = at
}

// wellFormedID is ^[a-z0-9][a-z0-9-]{0,62}$.
func wellFormedID(id string) bool {
	for i := range len(id) {
		c := id[i]
		if (c < 'a' || c > 'z') && (c < '0' || c > '9') && (c != '-' || i == 0) {
			return false
		}
	}
	return len(id) >= 1 && len(id) <= 63
}

// named checks what every object has: an id of its own, a name, a note.
func (v *validator) named(kind, at, id, name, note string) {
	if !wellFormedID(id) {
		v.bad(at+"/id", "invalid id %q; use 1 to 63 of a-z, 0-9 and -, beginning with a letter or digit", id)
	} else {
		v.takeID(kind, at, id)
	}
	if strings.TrimSpace(name) == "" {
		v.bad(at+"/name", "is missing")
	}
	if len(name) > MaxNameLength {
		v.bad(at+"/name", "is longer than %d bytes", MaxNameLength)
	}
	if len(note) > 10*MaxNameLength {
		v.bad(at+"/note", "is longer than %d bytes", 10*MaxNameLength)
	}
}

func (v *validator) sw(at string, s Switch) {
	v.named("switch", at, s.ID, s.Name, "")
	v.region(at+"/region", s.Region)
	v.oneOf(at+"/unknownSources/policy", s.UnknownSources.Policy, "", UnknownDrop, UnknownChallenge, UnknownForbid)
	for name, n := range map[string]struct{ is, most int }{
		"failedAttempts": {s.UnknownSources.FailedAttempts, 1000}, "windowMinutes": {s.UnknownSources.WindowMinutes, 1440}, "blockHours": {s.UnknownSources.BlockHours, 8760}, "callsPerSecond": {s.UnknownSources.CallsPerSecond, 10_000},
		"unknownPerSecond": {s.UnknownSources.UnknownPerSecond, 10_000}, "perSourcePerSecond": {s.UnknownSources.PerSourcePerSecond, 1000},
	} {
		if n.is < 0 || n.is > n.most {
			v.bad(at+"/unknownSources/"+name, "%d is out of range (0, default, to %d)", n.is, n.most)
		}
	}
	v.mediaPorts(at+"/media", s)
	if s.Listeners.SIP.TLSAddress != "" {
		if at5061, ok := v.address(at+"/listeners/sip/tlsAddress", s.Listeners.SIP.TLSAddress); ok && at5061.String() == s.Listeners.SIP.Address {
			v.bad(at+"/listeners/sip/tlsAddress", "duplicate address %s; TLS needs another port, usually 5061", s.Listeners.SIP.TLSAddress)
		}
	}
	v.oneOf(at+"/ownNumbers", s.OwnNumbers, "", OwnNumbersInside, OwnNumbersOutside)
	v.lastResort(at+"/lastResort", s.ID, s.LastResort)
	addr, ok := v.address(at+"/listeners/sip/address", s.Listeners.SIP.Address)
	for _, other := range v.plan.Switches {
		if ok && other.ID != s.ID && other.Listeners.SIP.Address == addr.String() {
			v.bad(at+"/listeners/sip/address", "duplicate address %s, used by switch %s", addr, other.ID)
		}
	}
}

func (v *validator) farEnd(at string, f FarEnd) {
	v.named("farEnd", at, f.ID, f.Name, f.Note)
	switch f.Kind {
	case PhoneSystem, Carrier, Gateway, PeerNetwork, Application:
	default:
		v.bad(at+"/kind", "unknown kind of far end %q", f.Kind)
	}
}

func (v *validator) trunk(at string, t Trunk) {
	v.named("trunk", at, t.ID, t.Name, t.Note)
	v.known(at+"/switch", "switch", t.Switch, v.index.Switches[t.Switch] != nil)
	v.otherSide(at, t)
	if t.Group != "" && !wellFormedID(t.Group) {
		v.bad(at+"/group", "invalid trunk group %q; use 1 to 63 of a-z, 0-9 and -", t.Group)
	}
	v.oneOf(at+"/profile", t.Profile, append([]string{""}, Profiles...)...)
	v.media(at+"/media", t)
	v.services(at+"/services", t)
	v.form(at+"/farEndSettings/inboundFormat", t.FarEndSettings.InboundFormat)
	v.form(at+"/farEndSettings/outboundFormat", t.FarEndSettings.OutboundFormat)
	for i, address := range t.FarEndSettings.ListenAddresses {
		v.address(fmt.Sprintf("%s/farEndSettings/listenAddresses/%d", at, i), address)
	}
	if t.Channels < 1 || t.Channels > 10_000 {
		v.bad(at+"/channels", "%d is out of range (1 to 10,000)", t.Channels)
	}
	if t.CostRank < 0 || t.CostRank > 100 {
		v.bad(at+"/costRank", "%d is out of range (0, cheapest, to 100)", t.CostRank)
	}
	if t.InboundTable != "" {
		v.onSwitch(at+"/inboundTable", "table", t.InboundTable, t.Switch, v.index.tableSwitch(t.InboundTable))
	}
	v.lastResort(at+"/lastResort", t.Switch, t.LastResort)
	v.tag(at+"/namePrefix", t.NamePrefix)
	v.ring(at+"/alertInfo", t.AlertInfo)
	v.overlap(at+"/overlap", t.Overlap)
	v.form(at+"/in/calledFormat", t.In.CalledFormat)
	v.form(at+"/in/callerFormat", t.In.CallerFormat)
	v.wholeNumbers(at+"/in/calledPrefix", t)
	v.contractPrefix(at+"/out/called", t.Out.Called)
	v.contractPrefix(at+"/out/caller", t.Out.Caller)
	v.contract(at+"/out/called", t.Out.Called)
	v.contract(at+"/out/caller", t.Out.Caller)
	v.oneOf(at+"/out/callerFallback", t.Out.CallerFallback, "", CallerRemoved, CallerAsIs)
	v.link(at+"/link", t)
	if k := t.Reserved; k.Emergency < 0 || k.In < 0 || k.Out < 0 || k.Emergency+k.In+k.Out > t.Channels {
		v.bad(at+"/reserved", "%d reserved channels exceed %d channels", k.Emergency+k.In+k.Out, t.Channels)
	}
	if t.CallsPerSecond < 0 || t.CallsPerSecond > 10_000 {
		v.bad(at+"/callsPerSecond", "%d is out of range (0, no limit, to 10,000)", t.CallsPerSecond)
	}
	if t.MaxCallSeconds < 0 || t.MaxCallSeconds > 604_800 {
		v.bad(at+"/maxCallSeconds", "%d is out of range (1 to 604,800 s, 0 for %d)", t.MaxCallSeconds, DefaultMaxCallSeconds)
	}
}

func (v *validator) otherSide(at string, t Trunk) {
	switch {
	case (t.FarEnd == "") == (t.OppositeTrunk == ""):
		v.bad(at+"/farEnd", "set either a far end or, for a switch-to-switch link, an opposite trunk")
	case t.FarEnd != "":
		v.known(at+"/farEnd", "far end", t.FarEnd, v.index.FarEnds[t.FarEnd] != nil)
	default:
		peer := v.index.Trunks[t.OppositeTrunk]
		v.known(at+"/oppositeTrunk", "trunk", t.OppositeTrunk, peer != nil)
		switch {
		case peer == nil:
		case t.OppositeTrunk == t.ID:
			v.bad(at+"/oppositeTrunk", "a trunk cannot be its own opposite trunk; set the trunk of the other switch")
		case peer.Switch == t.Switch:
			v.bad(at+"/oppositeTrunk", "trunk %s is also on switch %s; the opposite trunk is on another switch", t.OppositeTrunk, t.Switch)
		case peer.OppositeTrunk != t.ID:
			v.bad(at+"/oppositeTrunk", "trunk %s does not have %s as its opposite trunk", t.OppositeTrunk, t.ID)
		}
	}
}

func (v *validator) contract(at string, f Formats) {
	for _, field := range []struct {
		name string
		form numbering.Format
		full bool
	}{{"domestic", f.Domestic, true}, {"international", f.International, true}, {"emergency", f.Emergency, false}, {"short", f.Short, false}, {"extension", f.Extension, false}} {
		if field.form == "" || field.form == Refuse || field.full && field.form.Public() {
			continue
		}
		if field.full {
			v.bad(at+"/"+field.name, "%q is not allowed; use a public number format or refuse", field.form)
		} else {
			v.bad(at+"/"+field.name, "%q is not allowed for numbers that are never converted; use empty or refuse", field.form)
		}
	}
}

// contractPrefix checks the digits that stand before public numbers.
func (v *validator) contractPrefix(at string, f Formats) {
	n, err := digits.ParseNumber(f.Prefix)
	switch {
	case err != nil:
		v.bad(at+"/prefix", "%s", err)
	case n.Plus():
		v.bad(at+"/prefix", "prefix %q must not begin with +", f.Prefix)
	case !n.Empty() && (f.Domestic == numbering.E164 || f.International == numbering.E164):
		v.bad(at+"/prefix", "prefix %q does not fit numbers with +; choose a dialled format", f.Prefix)
	}
}

func (v *validator) form(at string, f numbering.Format) {
	if f != "" && !slices.Contains(numbering.Formats(), f) {
		v.bad(at, "unknown number format %q", f)
	}
}

func (v *validator) pattern(at, text string) {
	if text == "" {
		return
	}
	if _, err := digits.Compile(text); err != nil {
		v.bad(at, "%s", err)
	}
}

func (v *validator) steps(at string, steps []rewrite.Step) {
	for i, s := range steps {
		_, faults := s.Compile()
		for _, f := range faults {
			v.bad(fmt.Sprintf("%s/%d/%s", at, i, f.Field), "%s", f.Reason)
		}
	}
}

func (v *validator) known(at, what, id string, ok bool) {
	if id == "" {
		v.bad(at, "is missing")
	} else if !ok {
		v.bad(at, "unknown %s %q", what, id)
	}
}

// onSwitch checks a reference to something that must stand on the same switch.
func (v *validator) onSwitch(at, what, id, want, has string) {
	v.known(at, what, id, has != "")
	if has != "" && has != want {
		v.bad(at, "%s %s is on switch %s, not on %s", what, id, has, want)
	}
}

func (v *validator) address(at, s string) (netip.AddrPort, bool) {
	a, err := netip.ParseAddrPort(s)
	if err != nil || a.Port() == 0 {
		v.bad(at, "invalid address %q; use address and port such as 192.0.2.10:5060", s)
		return netip.AddrPort{}, false
	}
	return a, true
}
