// Package decide is the heart: it compiles a plan to an immutable snapshot and
// decides one call at a time, telling every step in a typed trail.
//
// There is one evaluator. It is resumable: it offers a trunk and waits to be
// told what came of it, so that the same code decides a dry try, a live call
// and a check. It has no clock, no sockets and no state of the moment; what
// depends on them is reported to it.
package decide

import (
	"net/netip"
	"slices"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
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
}

type switchNode struct {
	plan.Switch
	region  numbering.Region
	trusted map[netip.Addr]*trunkNode
	called  map[netip.Addr]*trunkNode
}

type trunkNode struct {
	plan.Trunk
	ref       Ref
	farEnd    Ref
	sw        *switchNode
	mayGoBack bool
}

type tableNode struct {
	plan.Table
	ref   Ref
	rules []ruleNode // in effective order
	all   []int32    // their places: 0, 1, 2 …
	// index finds the rules that a number can match; nil for a table so small
	// that each rule is asked, and told.
	index *digits.Index
}

type ruleNode struct {
	plan.Rule
	ref            Ref
	called, caller *digits.Pattern
	calledSteps    []rewrite.Compiled
	callerSteps    []rewrite.Compiled
}

type pathNode struct {
	plan.Path
	ref     Ref
	choices []choiceNode
}

type choiceNode struct {
	trunk                    *trunkNode
	calledSteps, callerSteps []rewrite.Compiled
}

type destinationNode struct {
	plan.Destination
	ref     Ref
	trunk   *trunkNode
	number  digits.Number
	numbers *digits.Pattern
}

// Compile validates a plan and compiles it. With problems there is no
// snapshot.
func Compile(p plan.Plan) (*Snapshot, []plan.Problem) {
	if problems := p.Validate(); len(problems) > 0 {
		return nil, problems
	}
	s := &Snapshot{
		plan:         p,
		switches:     map[string]*switchNode{},
		trunks:       map[string]*trunkNode{},
		tables:       map[string]*tableNode{},
		paths:        map[string]*pathNode{},
		destinations: map[string]*destinationNode{},
	}
	for _, sw := range p.Switches {
		region, _ := numbering.NewRegion(sw.Region.Country, sw.Region.Area) // validated
		s.switches[sw.ID] = &switchNode{Switch: sw, region: region, trusted: map[netip.Addr]*trunkNode{}, called: map[netip.Addr]*trunkNode{}}
	}
	s.addTrunks(p)
	for _, t := range p.Tables {
		s.tables[t.ID] = compileTable(t)
	}
	for _, path := range p.Paths {
		s.paths[path.ID] = s.compilePath(path)
	}
	for _, d := range p.Destinations {
		number, _ := digits.ParseNumber(d.Number) // validated
		s.destinations[d.ID] = &destinationNode{
			Destination: d, ref: Ref{"destination", d.ID, d.Name}, trunk: s.trunks[d.Trunk],
			number: number, numbers: optionalPattern(d.Numbers),
		}
	}
	return s, nil
}

func (s *Snapshot) addTrunks(p plan.Plan) {
	index := plan.NewIndex(p)
	for _, t := range p.Trunks {
		n := &trunkNode{Trunk: t, ref: Ref{"trunk", t.ID, t.Name}, sw: s.switches[t.Switch]}
		if t.Peer != "" {
			peer := index.Switches[index.Trunks[t.Peer].Switch]
			n.farEnd = Ref{"switch", peer.ID, peer.Name}
		} else {
			far := index.FarEnds[t.FarEnd]
			n.farEnd = Ref{"farEnd", far.ID, far.Name}
			n.mayGoBack = far.Kind == plan.PhoneSystem
		}
		if t.MayGoBack != nil {
			n.mayGoBack = *t.MayGoBack
		}
		s.trunks[t.ID] = n
		for _, a := range t.SIP.Trusted {
			n.sw.trusted[netip.MustParseAddr(a)] = n // validated
		}
		n.sw.called[netip.MustParseAddrPort(t.SIP.Address).Addr()] = n // validated
	}
}

func compileTable(t plan.Table) *tableNode {
	n := &tableNode{Table: t, ref: Ref{"table", t.ID, t.Name}}
	for _, r := range t.Rules {
		n.rules = append(n.rules, ruleNode{
			Rule: r, ref: Ref{"rule", r.ID, r.Name},
			called: optionalPattern(r.Match.Called), caller: optionalPattern(r.Match.Caller),
			calledSteps: compileSteps(r.Called), callerSteps: compileSteps(r.Caller),
		})
	}
	if t.Policy == plan.SpecificFirst {
		listed := n.rules
		n.rules = make([]ruleNode, len(listed))
		for i, at := range newContainment(t.Rules).specificFirst() {
			n.rules[i] = listed[at]
		}
	}
	n.all = make([]int32, len(n.rules))
	for i := range n.all {
		n.all[i] = int32(i)
	}
	if len(n.rules) > maxLost {
		n.index = indexOf(n.rules)
	}
	return n
}

// indexOf indexes rules by their called numbers.
func indexOf(rules []ruleNode) *digits.Index {
	patterns := make([]*digits.Pattern, len(rules))
	for i, r := range rules {
		if patterns[i] = r.called; r.Match.NoDigits {
			patterns[i] = noDigits
		}
	}
	return digits.NewIndex(patterns)
}

// noDigits matches only the empty number.
var noDigits = func() *digits.Pattern {
	p, err := digits.CompileExpression("")
	if err != nil {
		panic(err) // a constant
	}
	return p
}()

// candidates returns the rules that may take a called number, and whether one
// that is not among them would take a longer one.
func (t *tableNode) candidates(called digits.Number) (places []int32, goesOn bool) {
	if t.index == nil {
		return t.all, false
	}
	return t.index.Candidates(called)
}

func (s *Snapshot) compilePath(p plan.Path) *pathNode {
	p.Timers = p.Timers.OrDefault()
	n := &pathNode{Path: p, ref: Ref{"path", p.ID, p.Name}}
	for _, c := range p.Choices {
		n.choices = append(n.choices, choiceNode{s.trunks[c.Trunk], compileSteps(c.Called), compileSteps(c.Caller)})
	}
	return n
}

// optionalPattern compiles a validated pattern; nil matches anything.
func optionalPattern(text string) *digits.Pattern {
	if text == "" {
		return nil
	}
	return digits.MustCompile(text)
}

func compileSteps(steps []rewrite.Step) []rewrite.Compiled {
	var out []rewrite.Compiled
	for _, s := range steps {
		c, _ := s.Compile() // validated
		out = append(out, c)
	}
	return out
}

// Plan returns the plan that the snapshot was made of. It must not be changed.
func (s *Snapshot) Plan() plan.Plan { return s.plan }

// Identify says which trunk of a switch a message from an address belongs to.
// ok is false for an address that no trunk of the switch trusts.
func (s *Snapshot) Identify(switchID string, from netip.Addr) (trunk plan.Trunk, ok bool) {
	sw := s.switches[switchID]
	if sw == nil {
		return plan.Trunk{}, false
	}
	t := sw.trusted[from.Unmap()]
	if t == nil {
		return plan.Trunk{}, false
	}
	return t.Trunk, true
}

// Knows tells which trunk of a switch an address belongs to, be it trusted for
// calls or only called.
func (s *Snapshot) Knows(switchID string, from netip.Addr) (trunkID string, ok bool) {
	if t, ok := s.Identify(switchID, from); ok {
		return t.ID, true
	}
	if sw := s.switches[switchID]; sw != nil {
		if t := sw.called[from.Unmap()]; t != nil {
			return t.ID, true
		}
	}
	return "", false
}

// goesOn tells whether the path tries its next choice after a cause.
func (p *pathNode) goesOn(q cause.Q850) bool {
	switch {
	case slices.Contains(p.Stop, int(q)):
		return false
	case slices.Contains(p.GoOn, int(q)):
		return true
	}
	return cause.GoesOn(q)
}
