package compiled

import (
	"cmp"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

// Table is a compiled table. What is costly to make is shared between the
// snapshots in which the table is the same.
type Table struct {
	plan.Table
	Ref       trail.Ref
	Effective []Rule // in effective order
	// Index finds the rules that a number can match.
	Index *digits.Index
	// SendsTo are the ids of the tables to which its enabled rules lead.
	SendsTo []string
}

// compileTable compiles a table, or takes over what it was compiled to before.
func compileTable(t plan.Table, groups map[string][]string, before *Table) *Table {
	n := &Table{Table: t, Ref: trail.Ref{Kind: "table", ID: t.ID, Name: t.Name}}
	if before != nil && before.Order == t.Order && plan.SameSlice(before.Rules, t.Rules) {
		n.Effective, n.Index, n.SendsTo = slices.Clone(before.Effective), before.Index, before.SendsTo
		return n
	}
	patterns := make([]*digits.Pattern, len(t.Rules))
	for i := range t.Rules {
		patterns[i] = calledPattern(t.Rules[i])
	}
	order := make([]int, len(t.Rules))
	for i := range order {
		order[i] = i
	}
	if t.Order == plan.SpecificFirst {
		order = newContainment(t.Rules, patterns, groups).specificFirst()
	}
	// What is left for wrong numbers is tried after all others, wherever it is listed.
	slices.SortStableFunc(order, func(a, b int) int { return cmp.Compare(last(t.Rules[a]), last(t.Rules[b])) })
	n.Effective = make([]Rule, len(t.Rules))
	known := knownSteps{}
	indexed := make([]*digits.Pattern, len(t.Rules))
	for place, i := range order {
		r := &t.Rules[i]
		n.Effective[place] = Rule{
			Row: r, Ref: trail.Ref{Kind: "rule", ID: r.ID, Name: r.Name},
			Disabled: r.Disabled, NoCaller: r.Match.NoCaller, Inventory: r.Then.Inventory, From: sources(&r.Match, groups), When: &r.Match.When,
			Called: patterns[i], Caller: optionalPattern(r.Match.Caller),
			CalledSteps: known.compile(r.CalledSteps), CallerSteps: known.compile(r.CallerSteps),
		}
		if to := r.Then.Table; to != "" && !r.Disabled && !slices.Contains(n.SendsTo, to) {
			n.SendsTo = append(n.SendsTo, to)
		}
		if indexed[place] = patterns[i]; r.Disabled {
			indexed[place] = digits.Nothing()
		}
	}
	n.Index = digits.NewIndex(indexed)
	return n
}

// last orders rules of last resort behind others.
func last(r plan.Rule) int {
	if r.CatchAll {
		return 1
	}
	return 0
}

// calledPattern is the called numbers of a validated rule; nil for all.
func calledPattern(r plan.Rule) *digits.Pattern {
	if r.Match.NoDigits {
		return noDigits
	}
	return optionalPattern(r.Match.Called)
}

// noDigits matches only the empty number.
var noDigits = func() *digits.Pattern {
	p, err := digits.CompileExpression("")
	if err != nil {
		panic(err) // a constant
	}
	return p
}()

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

// knownSteps are the digit steps of a table's rules, by their labels, which say
// all of them: rules that do the same share them, and so does the cache.
type knownSteps map[string][]rewrite.Compiled

func (k knownSteps) compile(steps []rewrite.Step) []rewrite.Compiled {
	if len(steps) == 0 {
		return nil
	}
	var key strings.Builder
	for _, s := range steps {
		key.WriteString(s.Label())
		key.WriteByte('\n')
	}
	if known, ok := k[key.String()]; ok {
		return known
	}
	k[key.String()] = compileSteps(steps)
	return k[key.String()]
}
