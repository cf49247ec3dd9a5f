// Package decide is the heart: it compiles a plan to an immutable snapshot and
// decides one call at a time, telling every step in a typed trail.
//
// There is one evaluator. It is resumable: it offers a trunk and waits to be
// told what came of it, so that the same code decides a dry try, a live call
// and a check. It has no clock, no sockets and no state of the moment; what
// depends on them is reported to it.
package decide

import (
	"sync"

	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
)

// Snapshot is a compiled plan that calls are decided by: immutable, safe for use by many
// goroutines. A call keeps the snapshot that it began with.
type Snapshot struct {
	*compiled.Graph
	reached *reached
}

// reached remembers what was asked of digits that come one by one, by its source. It changes
// nothing that can be seen but the time that it takes.
type reached struct {
	sync.Mutex
	sets map[dialledKey]remembered
	// longer are the numbers that tables take.
	longer map[longerKey]digits.Set
}

// Compile validates a plan and compiles it. With problems there is no
// snapshot.
func Compile(p plan.Plan) (*Snapshot, []plan.Problem) { return (*Snapshot)(nil).Compile(p) }

// Compile makes the snapshot of a plan that may have much in common with the
// one of s: a table whose rules are the same rules in memory, and what they may
// refer to is too, is neither validated nor compiled again.
func (s *Snapshot) Compile(p plan.Plan) (*Snapshot, []plan.Problem) {
	if problems := p.ValidateAfter(s.former().Source); len(problems) > 0 {
		return nil, problems
	}
	return s.CompileValid(p), nil
}

// CompileValid is Compile for a plan that was found to be valid.
func (s *Snapshot) CompileValid(p plan.Plan) *Snapshot {
	return &Snapshot{compiled.Compile(s.former(), p), &reached{}}
}

// former is what a plan may have in common with; an empty plan where there is nothing.
func (s *Snapshot) former() *compiled.Graph {
	if s == nil {
		return &compiled.Graph{}
	}
	return s.Graph
}
