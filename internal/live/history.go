package live

import (
	"slices"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/standing"
)

// History remembers what trunks were over the day. It is safe for concurrent use.
type History struct {
	mu     sync.Mutex
	states map[string][]standing.TrunkState
	fresh  []standing.TrunkState // that are to be kept
}

// NewHistory returns a history with what a process before this one kept.
func NewHistory(kept []standing.TrunkState) *History {
	h := &History{states: map[string][]standing.TrunkState{}}
	for _, t := range kept {
		h.states[t.Trunk] = append(h.states[t.Trunk], t)
	}
	return h
}

// Observe notes what a trunk is; nothing happens if it was that already.
func (h *History) Observe(t standing.TrunkState) {
	h.mu.Lock()
	defer h.mu.Unlock()
	list := h.states[t.Trunk]
	if n := len(list); n > 0 && list[n-1].Word == t.Word && list[n-1].Cause == t.Cause {
		return
	}
	// What a day needs is the last state before it, too.
	for len(list) > 1 && t.At.Sub(list[1].At) > standing.HistoryFor {
		list = list[1:]
	}
	h.states[t.Trunk] = append(list, t)
	h.fresh = append(h.fresh, t)
}

// Fresh returns what came since it was last asked.
func (h *History) Fresh() []standing.TrunkState {
	h.mu.Lock()
	defer h.mu.Unlock()
	out := h.fresh
	h.fresh = nil
	return out
}

// Again says that what Fresh returned could not be kept.
func (h *History) Again(list []standing.TrunkState) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.fresh = append(list, h.fresh...)
}

// Span is a stretch of time in which a trunk was one thing.
type Span struct {
	From, To time.Time
	Word     standing.Word
	Cause    string
}

// Day returns what a trunk was in the day before a time, oldest first; where
// nothing is known there is no span.
func (h *History) Day(trunk string, now time.Time) []Span {
	h.mu.Lock()
	defer h.mu.Unlock()
	begin := now.Add(-standing.HistoryFor)
	out := []Span{}
	list := h.states[trunk]
	for i, t := range list {
		to := now
		if i+1 < len(list) {
			to = list[i+1].At
		}
		if from := later(t.At, begin); from.Before(to) {
			out = append(out, Span{from, to, t.Word, t.Cause})
		}
	}
	return out
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

// Since says since when a trunk has had its present word, whatever the causes
// were.
func (h *History) Since(trunk string) (at time.Time, ok bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	list := h.states[trunk]
	if len(list) == 0 {
		return at, false
	}
	word := list[len(list)-1].Word
	for _, t := range slices.Backward(list) {
		if t.Word != word {
			break
		}
		at = t.At
	}
	return at, true
}

// Availability is the share of the time that Switchback ran and the trunk was in
// service, in which its far end was proved to be there; known is false if there
// was no such time.
func Availability(day []Span) (share float64, known bool) {
	var proved, all time.Duration
	for _, s := range day {
		if s.Word == standing.Off || s.Word == standing.Draining || s.Word == standing.Stopped {
			continue
		}
		d := s.To.Sub(s.From)
		if all += d; s.Word.Proved() {
			proved += d
		}
	}
	if all <= 0 {
		return 0, false
	}
	return float64(proved) / float64(all), true
}
