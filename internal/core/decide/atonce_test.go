package decide_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/trail"
)

// Calls, findings, checks and the next compilation all stand on one snapshot, at once. Under
// the race detector this is the short pass over what the core shares: sets of numbers, patterns,
// calendars, the number library.
func TestManyUseOneSnapshotAtOnce(t *testing.T) {
	p := demoPlan(t)
	use := func(s *decide.Snapshot, from int) (said []string) {
		note := func(what ...any) { said = append(said, fmt.Sprint(what...)) }
		trails := make([]string, len(p.Checks))
		for i := range p.Checks {
			n := (i + from) % len(p.Checks) // each in another order
			trails[n] = trail.Text(s.Check(p.Checks[n], friday).Result.Steps)
		}
		note(trails)
		for _, table := range p.Tables {
			note(findings.InTable(s, table.ID, ""))
		}
		for _, trunk := range p.Trunks {
			note(findings.Exposure(s.Graph, trunk.ID))
		}
		hidden, err := findings.Hides(s)
		note(hidden, err)
		shadowed, err := findings.Shadowed(s.Graph)
		note(shadowed, err)
		return said
	}
	want := use(calltest.Compile(t, p), 0)
	shared := calltest.Compile(t, p)
	got := make([][]string, 6)
	var all sync.WaitGroup
	for i := range got {
		all.Go(func() {
			s := shared
			if i%3 == 2 {
				s, _ = shared.Compile(p) // which shares what has not changed
			}
			got[i] = use(s, i)
		})
	}
	all.Wait()
	for _, said := range got {
		assert.Equal(t, want, said)
	}
}
