package standin

import (
	"fmt"
	"slices"
	"sync"
)

// Set is the stand-ins that run together.
type Set struct {
	mu   sync.RWMutex // guards what follows
	list []*StandIn
	byID map[string]*StandIn
}

// NewSet checks configurations; nothing is started.
func NewSet(configs []Config) (*Set, error) {
	s := &Set{byID: map[string]*StandIn{}}
	for _, c := range configs {
		one, err := New(c)
		if err != nil {
			return nil, err
		}
		if s.byID[c.ID] != nil {
			return nil, fmt.Errorf("two stand-ins have the id %s", c.ID)
		}
		s.list = append(s.list, one)
		s.byID[c.ID] = one
	}
	return s, nil
}

// Start starts all of them; with an error none runs.
func (s *Set) Start() error {
	for _, one := range s.All() {
		if err := one.Start(); err != nil {
			s.Stop()
			return err
		}
	}
	return nil
}

// Stop stops all of them.
func (s *Set) Stop() {
	for _, one := range s.All() {
		one.Stop()
	}
}

// All returns them in the order of their configuration.
func (s *Set) All() []*StandIn {
	s.mu.RLock()
	defer s.mu.RUnlock()
	return slices.Clone(s.list)
}

// Find returns a stand-in by its id, nil if there is none.
func (s *Set) Find(id string) *StandIn {
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.byID[id]
}

// Heard is what a stand-in hears, or heard, in a call with a Call-ID.
func (s *Set) Heard(callID string) (h Listened, ok bool) {
	for _, one := range s.All() {
		if h, ok := one.Heard(callID); ok {
			return h, true
		}
	}
	return Listened{}, false
}

// Placed finds a placed call on any of them.
func (s *Set) Placed(callID string) (by *StandIn, v Placed, ok bool) {
	for _, one := range s.All() {
		if v, ok := one.Placed(callID); ok {
			return one, v, true
		}
	}
	return nil, Placed{}, false
}
