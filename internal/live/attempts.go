package live

import (
	"cmp"
	"slices"
	"strings"
	"sync"
	"time"
)

// AttemptSlot is the span of time by which attempts are counted; AttemptsFor is how long they
// are kept.
const (
	AttemptSlot = 15 * time.Minute
	AttemptsFor = 24 * time.Hour
)

// maxAttemptNames bounds the user agents, and the targets, that are counted in one slot. What
// exceeds it is counted in the slot, under no name.
const maxAttemptNames = 200

// Tally is how many attempts bore a name.
type Tally struct {
	Name  string `json:"name"`
	Count int64  `json:"count"`
}

// AttemptCount is how many attempts fell into a slot.
type AttemptCount struct {
	From  time.Time `json:"from"`
	Count int64     `json:"count"`
}

// AttemptHistory is what unknown sources attempted within AttemptsFor.
type AttemptHistory struct {
	Slots   []AttemptCount `json:"slots" nullable:"false" doc:"Slots of 15 min with attempts, in order of time"`
	Agents  []Tally        `json:"agents" nullable:"false" doc:"By User-Agent, the most first"`
	Targets []Tally        `json:"targets" nullable:"false" doc:"By user part of the Request-URI, the most first"`
}

// Attempts counts what unknown sources attempt: over time, by user agent and by target. It is
// safe for concurrent use.
type Attempts struct {
	mu    sync.Mutex
	slots []attemptSlot // in order of time
}

type attemptSlot struct {
	from            time.Time
	count           int64
	agents, targets map[string]int64
}

// Note counts an attempt. Agent and target are empty where the message was not read.
func (a *Attempts) Note(at time.Time, agent, target string) {
	a.mu.Lock()
	defer a.mu.Unlock()
	slot := a.slot(at.Truncate(AttemptSlot))
	slot.count++
	count(slot.agents, agent)
	count(slot.targets, target)
}

// slot is that of a time; a clock that was put back counts into the latest.
func (a *Attempts) slot(from time.Time) *attemptSlot {
	if n := len(a.slots); n > 0 && !a.slots[n-1].from.Before(from) {
		return &a.slots[n-1]
	}
	a.slots = append(slices.DeleteFunc(a.slots, func(s attemptSlot) bool { return from.Sub(s.from) >= AttemptsFor }),
		attemptSlot{from: from, agents: map[string]int64{}, targets: map[string]int64{}})
	return &a.slots[len(a.slots)-1]
}

func count(by map[string]int64, name string) {
	if name == "" {
		return
	}
	if _, known := by[name]; known || len(by) < maxAttemptNames {
		by[name]++
	}
}

// History returns what was attempted, with up to most agents and targets.
func (a *Attempts) History(now time.Time, most int) AttemptHistory {
	a.mu.Lock()
	defer a.mu.Unlock()
	out := AttemptHistory{Slots: []AttemptCount{}}
	agents, targets := map[string]int64{}, map[string]int64{}
	for _, s := range a.slots {
		if now.Sub(s.from) >= AttemptsFor {
			continue
		}
		out.Slots = append(out.Slots, AttemptCount{s.from, s.count})
		for name, n := range s.agents {
			agents[name] += n
		}
		for name, n := range s.targets {
			targets[name] += n
		}
	}
	out.Agents, out.Targets = top(agents, most), top(targets, most)
	return out
}

func top(by map[string]int64, most int) []Tally {
	list := make([]Tally, 0, len(by))
	for name, n := range by {
		list = append(list, Tally{name, n})
	}
	slices.SortFunc(list, func(a, b Tally) int { return cmp.Or(cmp.Compare(b.Count, a.Count), strings.Compare(a.Name, b.Name)) })
	return list[:min(len(list), most)]
}
