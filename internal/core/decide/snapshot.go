// Package decide is the heart: it compiles a plan to an immutable snapshot and
// decides one call at a time, telling every step in a typed trail.
//
// There is one evaluator. It is resumable: it offers a trunk and waits to be
// told what came of it, so that the same code decides a dry try, a live call
// and a check. It has no clock, no sockets and no state of the moment; what
// depends on them is reported to it.
package decide

import (
	"maps"
	"net/netip"
	"slices"
	"sync"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

// Snapshot is a compiled plan: immutable, safe for use by many goroutines. A
// call keeps the snapshot that it began with.
type Snapshot struct {
	plan         plan.Plan
	switches     map[string]*switchNode
	trunks       map[string]*trunkNode
	tables       map[string]*tableNode
	paths        map[string]*pathNode
	destinations map[string]*destinationNode
	groups       []*groupNode // in the order of the plan
	calendars    map[calendarKey]*hours.Calendar
	hours        map[string]string // names of calendars by id
	// asksCaller: some rule looks at the caller.
	asksCaller bool
	// trunkGroups are the trunks that bear each word.
	trunkGroups map[string][]string
	// reached remembers what was asked of digits that come one by one. It changes
	// nothing that can be seen but the time that it takes.
	reached *reached
}

// reached are sets of numbers by their source.
type reached struct {
	sync.Mutex
	sets map[dialledKey]remembered
	// longer are the numbers that tables take.
	longer map[longerKey]digits.Set
}

type switchNode struct {
	plan.Switch
	region   numbering.Region
	trusted  map[netip.Addr][]trusting
	networks []trusting
	called   map[netip.Addr]*trunkNode
	// certified are trunks that a certificate alone tells.
	certified []trusting
	// takesCredentials: some trunk proves itself by a secret.
	takesCredentials bool
}

type trunkNode struct {
	plan.Trunk
	ref      trail.Ref
	contract trail.Ref
	farEnd   trail.Ref
	sw       *switchNode
	entry    *tableNode // nil if nothing may call in
	sentOn   *tableNode // decides what its far end diverts and transfers
	outside  bool       // it leads to where others are called and billed
	ours     bool       // those who call by it are our own users, as emergency calls go
	// claims are by what its calls are identified, where is what they are sent to.
	claims   plan.Claims
	where    string
	calledIn *digits.Pattern
	before   digits.Number // of called numbers that come with their last digits
	// of the contract, before public numbers that leave
	calledPrefix, callerPrefix digits.Number
	mayGoBack                  bool
}

type pathNode struct {
	plan.Path
	ref     trail.Ref
	choices []choiceNode
}

type choiceNode struct {
	trunk                    *trunkNode
	weight                   int
	calledSteps, callerSteps []rewrite.Compiled
}

type destinationNode struct {
	plan.Destination
	ref     trail.Ref
	trunk   *trunkNode
	number  digits.Number
	form    numbering.Format // of number
	numbers *digits.Pattern
}

// dialledForm is the form in which an outside number of a plan is written, as its digits
// tell: international or national with their prefixes; with a + it is E.164 anyway.
func dialledForm(r *numbering.Region, n digits.Number) numbering.Format {
	for _, f := range []numbering.Format{numbering.International, numbering.National} {
		if ok, _ := r.Fits(n, f); ok && !n.Plus() && (f != numbering.National || r.National != "") {
			return f
		}
	}
	return numbering.AsDialled
}

// Compile validates a plan and compiles it. With problems there is no
// snapshot.
func Compile(p plan.Plan) (*Snapshot, []plan.Problem) { return (*Snapshot)(nil).Compile(p) }

// Compile makes the snapshot of a plan that may have much in common with the
// one of s: a table whose rules are the same rules in memory, and what they may
// refer to is too, is neither validated nor compiled again.
func (s *Snapshot) Compile(p plan.Plan) (*Snapshot, []plan.Problem) {
	var old Snapshot
	if s != nil {
		old = *s
	}
	if problems := p.ValidateAfter(old.plan); len(problems) > 0 {
		return nil, problems
	}
	return s.CompileValid(p), nil
}

// CompileValid is Compile for a plan that was found to be valid.
func (s *Snapshot) CompileValid(p plan.Plan) *Snapshot {
	var old Snapshot
	if s != nil {
		old = *s
	}
	n := &Snapshot{
		plan:         p,
		switches:     map[string]*switchNode{},
		trunks:       map[string]*trunkNode{},
		tables:       map[string]*tableNode{},
		paths:        map[string]*pathNode{},
		destinations: map[string]*destinationNode{},
		reached:      &reached{},
	}
	for _, sw := range p.Switches {
		region, _ := sw.Region.Compile() // validated
		n.switches[sw.ID] = &switchNode{Switch: sw, region: region, trusted: map[netip.Addr][]trusting{}, called: map[netip.Addr]*trunkNode{}}
	}
	n.addTrunks(p)
	for _, path := range p.Paths {
		n.paths[path.ID] = n.compilePath(path)
	}
	for _, d := range p.Destinations {
		number, _ := digits.ParseNumber(d.Number) // validated
		n.destinations[d.ID] = &destinationNode{
			Destination: d, ref: trail.Ref{Kind: "destination", ID: d.ID, Name: d.Name}, trunk: n.trunks[d.Trunk],
			number: number, form: numbering.Private, numbers: optionalPattern(d.NumberPattern),
		}
		if to := n.trunks[d.Trunk]; to.outside {
			n.destinations[d.ID].form = dialledForm(&to.sw.region, number)
		}
	}
	n.trunkGroups = plan.NewIndex(p).TrunkGroups
	sameGroups := maps.EqualFunc(n.trunkGroups, old.trunkGroups, slices.Equal)
	for i := range p.Tables {
		var before *tableNode
		if sameGroups {
			before = old.tables[p.Tables[i].ID]
		}
		n.tables[p.Tables[i].ID] = compileTable(p.Tables[i], n.trunkGroups, before)
	}
	n.addGroups(p)
	n.link()
	return n
}

// link points rules and trunks at the tables, paths and destinations of this
// snapshot.
func (s *Snapshot) link() {
	for _, t := range s.tables {
		for i := range t.rules {
			r := &t.rules[i]
			r.table, r.path, r.destination = s.tables[r.rule.Then.Table], s.paths[r.rule.Then.Path], s.destinations[r.rule.Then.Destination]
			r.forGroups = nil
			s.asksCaller = s.asksCaller || r.caller != nil || r.noCaller
			for _, g := range s.groups {
				if slices.Contains(r.rule.CallerGroups, g.ID) {
					r.forGroups = append(r.forGroups, g)
				}
			}
		}
	}
	for _, g := range s.groups {
		g.table = s.tables[g.InboundTable]
	}
	for _, t := range s.trunks {
		t.entry = s.tables[t.InboundTable]
		if t.sentOn = t.entry; t.Services.Table != "" {
			t.sentOn = s.tables[t.Services.Table]
		}
	}
}

func (s *Snapshot) addTrunks(p plan.Plan) {
	index := plan.NewIndex(p)
	for _, t := range p.Trunks {
		n := &trunkNode{Trunk: t, ref: trail.Ref{Kind: "trunk", ID: t.ID, Name: t.Name}, contract: trail.Ref{Kind: "contract", ID: t.ID, Name: "the number contract of " + t.Name}, sw: s.switches[t.Switch]}
		if t.OppositeTrunk != "" {
			peer := index.Switches[index.Trunks[t.OppositeTrunk].Switch]
			n.farEnd, n.ours = trail.Ref{Kind: "switch", ID: peer.ID, Name: peer.Name}, true
		} else {
			far := index.FarEnds[t.FarEnd]
			n.farEnd = trail.Ref{Kind: "farEnd", ID: far.ID, Name: far.Name}
			n.mayGoBack = far.Kind == plan.PhoneSystem
			n.ours = far.Kind != plan.Carrier && far.Kind != plan.PeerNetwork
			n.outside = far.Kind != plan.PhoneSystem && far.Kind != plan.Application
		}
		if t.Hairpin != nil {
			n.mayGoBack = *t.Hairpin
		}
		s.trunks[t.ID] = n
		n.claims = t.Link.Signalling().Claims()
		n.calledIn = optionalPattern(n.claims.CalledPattern)
		n.before, _ = digits.ParseNumber(t.In.CalledPrefix) // validated
		n.calledPrefix, _ = digits.ParseNumber(t.Out.Called.Prefix)
		n.callerPrefix, _ = digits.ParseNumber(t.Out.Caller.Prefix)
		n.sw.takesCredentials = n.sw.takesCredentials || n.claims.AcceptsDigest()
		if n.claims.ByCertificate() {
			n.sw.certified = append(n.sw.certified, trusting{trunk: n, certificate: true})
		}
		for _, a := range n.claims.Trusted {
			trust, _ := plan.ParseTrust(a) // validated
			if e := (trusting{Trust: trust, trunk: n}); trust.Single() {
				n.sw.trusted[trust.Network.Addr()] = append(n.sw.trusted[trust.Network.Addr()], e)
			} else {
				n.sw.networks = append(n.sw.networks, e)
			}
		}
		remote := t.Link.Signalling().Remote()
		n.where = remote.Where()
		for _, address := range append(remote.Servers, remote.Proxy) {
			if to, err := netip.ParseAddrPort(address); err == nil {
				n.sw.called[to.Addr().Unmap()] = n
			}
		}
	}
}

func (s *Snapshot) compilePath(p plan.Path) *pathNode {
	p.Timers = p.Timers.OrDefault()
	n := &pathNode{Path: p, ref: trail.Ref{Kind: "path", ID: p.ID, Name: p.Name}}
	for _, c := range p.Choices {
		n.choices = append(n.choices, choiceNode{s.trunks[c.Trunk], max(1, c.Weight), compileSteps(c.CalledSteps), compileSteps(c.CallerSteps)})
	}
	return n
}

// Plan returns the plan that the snapshot was made of. It must not be changed.
func (s *Snapshot) Plan() plan.Plan { return s.plan }

// Trunk returns a trunk of the plan.
func (s *Snapshot) Trunk(id string) (t *plan.Trunk, ok bool) {
	if n := s.trunks[id]; n != nil {
		return &n.Trunk, true
	}
	return nil, false
}

// Switch returns a switch of the plan.
func (s *Snapshot) Switch(id string) (sw plan.Switch, ok bool) {
	if n := s.switches[id]; n != nil {
		return n.Switch, true
	}
	return sw, false
}

// goesOn tells whether the path tries its next choice after a cause.
func (p *pathNode) goesOn(q cause.Q850) bool {
	switch {
	case slices.Contains(p.StopCauses, int(q)):
		return false
	case slices.Contains(p.FailoverCauses, int(q)):
		return true
	}
	return cause.GoesOn(q)
}
