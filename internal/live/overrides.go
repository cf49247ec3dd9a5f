package live

import (
	"cmp"
	"maps"
	"slices"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/standing"
)

// Overrides are the calendars that are set by hand. It is safe for concurrent use.
type Overrides struct {
	feed *Feed

	mu      sync.Mutex
	active  map[string]standing.Override
	states  map[string]string   // what active comes to; nil when it must be made anew. Never changed.
	changed []standing.Override // that are not kept yet
	// told is called, without the lock, with each calendar that changes.
	told map[int]func(hours string)
	next int
}

// NewOverrides returns none, but for those that were kept.
func NewOverrides(feed *Feed, kept []standing.Override) *Overrides {
	o := &Overrides{feed: feed, active: map[string]standing.Override{}, told: map[int]func(string){}}
	for _, k := range kept {
		if k.Ended.IsZero() {
			o.active[k.Hours] = k
		}
	}
	return o
}

// Set puts a calendar in a state; an empty state lets it go by its own times again.
func (o *Overrides) Set(set standing.Override) {
	o.mu.Lock()
	if was, ok := o.active[set.Hours]; ok {
		was.Ended = set.Since
		o.changed = append(o.changed, was)
		delete(o.active, set.Hours)
	}
	if set.State != "" {
		o.active[set.Hours] = set
		o.changed = append(o.changed, set)
	}
	o.states = nil
	o.mu.Unlock()
	o.tell(set.Hours)
}

// Expire ends the overrides whose time is over.
func (o *Overrides) Expire(now time.Time) {
	var over []string
	o.mu.Lock()
	for id, v := range o.active {
		if !v.Holds(now) && !now.Before(v.Since) {
			v.Ended = v.Until
			o.changed = append(o.changed, v)
			delete(o.active, id)
			over = append(over, id)
		}
	}
	if len(over) > 0 {
		o.states = nil
	}
	o.mu.Unlock()
	for _, id := range over {
		o.tell(id)
	}
}

func (o *Overrides) tell(hours string) {
	o.feed.Tell(TopicHours, hours)
	o.mu.Lock()
	list := slices.Collect(maps.Values(o.told))
	o.mu.Unlock()
	for _, told := range list {
		told(hours)
	}
}

// Watch tells of each calendar that changes, until stop is called. told must not wait.
func (o *Overrides) Watch(told func(hours string)) (stop func()) {
	o.mu.Lock()
	defer o.mu.Unlock()
	id := o.next
	o.next++
	o.told[id] = told
	return func() {
		o.mu.Lock()
		defer o.mu.Unlock()
		delete(o.told, id)
	}
}

// At are the states that hold at a moment, by calendar. The map must not be changed.
func (o *Overrides) At(now time.Time) map[string]string {
	if o == nil {
		return nil
	}
	o.mu.Lock()
	defer o.mu.Unlock()
	for _, v := range o.active {
		if !v.Holds(now) { // it ran out, and nobody has noted it yet
			return statesOf(o.active, now)
		}
	}
	if o.states == nil && len(o.active) > 0 {
		o.states = statesOf(o.active, now)
	}
	return o.states
}

func statesOf(active map[string]standing.Override, now time.Time) map[string]string {
	out := map[string]string{}
	for id, v := range active {
		if v.Holds(now) {
			out[id] = v.State
		}
	}
	return out
}

// List is what holds at a moment, by calendar.
func (o *Overrides) List(now time.Time) []standing.Override {
	o.mu.Lock()
	defer o.mu.Unlock()
	out := []standing.Override{}
	for _, v := range o.active {
		if v.Holds(now) {
			out = append(out, v)
		}
	}
	slices.SortFunc(out, func(a, b standing.Override) int { return cmp.Compare(a.Hours, b.Hours) })
	return out
}

// Changed hands over what is not kept yet; Again takes it back.
func (o *Overrides) Changed() []standing.Override {
	o.mu.Lock()
	defer o.mu.Unlock()
	list := o.changed
	o.changed = nil
	return list
}

// Again takes back what could not be kept.
func (o *Overrides) Again(list []standing.Override) {
	o.mu.Lock()
	defer o.mu.Unlock()
	o.changed = append(list, o.changed...)
}
