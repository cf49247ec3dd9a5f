package call

import (
	"sync"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
)

// journeys know the calls that are being set up, by the name that they bear on all
// switches that they pass (Session-ID, RFC 7989): one that comes back from another switch
// goes round in a circle. It ends there, so that switches which send each other what they
// cannot place do not multiply it.
type journeys struct {
	mu    sync.Mutex
	calls map[string]*journey
	clean time.Time // when what is over was dropped last
}

// journey is where one call was on this switch.
type journey struct {
	been     []digits.Number // the numbers with which it came
	running  int
	attempts int
	until    time.Time // how long it is remembered after it failed; zero while it runs
}

// journeyLife is how long a call that failed is remembered: as long as another switch may
// still look for a way for it (timer B, RFC 3261 section 17.1.1.2).
const journeyLife = 32 * time.Second

// maxJourneys bounds the calls that are remembered; beyond it none is, and the hops end a
// circle.
const maxJourneys = 20_000

func newJourneys() *journeys { return &journeys{calls: map[string]*journey{}} }

// begin notes that a call came with a number. It is false for one from another switch that
// was here with it before. What began must be ended with over.
func (j *journeys) begin(name string, called digits.Number, fromSwitch bool, now time.Time) (on *journey, first bool) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.dropOver(now)
	known := j.calls[name]
	if known == nil {
		if len(j.calls) >= maxJourneys {
			return nil, true
		}
		known = &journey{}
		j.calls[name] = known
	}
	if fromSwitch {
		for _, n := range known.been {
			if n == called {
				return nil, false
			}
		}
	}
	known.until = time.Time{}
	known.running++
	if len(known.been) < decide.MaxSwitches {
		known.been = append(known.been, called)
	}
	return known, true
}

func (j *journeys) dropOver(now time.Time) {
	if now.Sub(j.clean) < time.Second {
		return
	}
	j.clean = now
	for name, known := range j.calls {
		if !known.until.IsZero() && !now.Before(known.until) {
			delete(j.calls, name)
		}
	}
}

// attempt counts an offer to a trunk. It is false after decide.MaxAttempts of them.
func (j *journeys) attempt(name string) bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	known := j.calls[name]
	if known == nil {
		return true
	}
	known.attempts++
	return known.attempts <= decide.MaxAttempts
}

// answered forgets a call that was answered: it may be sent on to where it was before.
func (j *journeys) answered(name string) {
	j.mu.Lock()
	defer j.mu.Unlock()
	delete(j.calls, name)
}

// over notes that a call has ended here.
func (j *journeys) over(on *journey) {
	if on == nil {
		return
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	if on.running--; on.running == 0 {
		on.until = time.Now().Add(journeyLife)
	}
}
