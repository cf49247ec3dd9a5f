package standin

import (
	"errors"
	"fmt"
	"slices"
)

// Change is what is to become of a running configuration; what is nil or empty stays.
type Change struct {
	CallsTo   string   // address and port
	ListensOn []string // all of its addresses, its own first
	User      string   // with the switch, whose secret stays
	OurUser   string   // the switch's name with it
	// TakesNoise lets comfort noise pass that it refused; Encrypts turns SRTP on or off.
	TakesNoise *bool
	Encrypts   *bool
}

// apply makes the change; an error says what this stand-in has no setting for.
func (c Config) apply(change Change) (Config, error) {
	if change.CallsTo != "" {
		c.Switch = change.CallsTo
	}
	if len(change.ListensOn) > 0 {
		c.Address, c.Also = change.ListensOn[0], slices.Clone(change.ListensOn[1:])
	}
	if change.User != "" {
		if c.Registers == nil {
			return c, errors.New("has no account with the switch; it knows no secret")
		}
		c.Registers = &Account{change.User, c.Registers.Secret}
	}
	if change.OurUser != "" {
		if len(c.Accounts) != 1 {
			return c, errors.New("keeps no single account for the switch")
		}
		c.Accounts = []Account{{change.OurUser, c.Accounts[0].Secret}}
	}
	if change.TakesNoise != nil {
		c.RefusesNoise = !*change.TakesNoise
	}
	if change.Encrypts != nil {
		if c.Secure == nil {
			return c, errors.New("uses UDP, where SRTP keys are readable")
		}
		secure := *c.Secure
		secure.Encrypts = *change.Encrypts
		c.Secure = &secure
	}
	return c, nil
}

// Change sets a stand-in otherwise. It starts anew, so that its running calls end; if
// it cannot start so, it runs on as it was, and the error says why.
func (s *Set) Change(id string, change Change) (*StandIn, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	was := s.byID[id]
	if was == nil {
		return nil, fmt.Errorf("there is no stand-in %s", id)
	}
	config, err := was.Config.apply(change)
	if err != nil {
		return nil, fmt.Errorf("stand-in %s: %w", id, err)
	}
	is, err := New(config)
	if err != nil {
		return nil, err
	}
	if was.Running() {
		was.Stop()
		if err := is.Start(); err != nil {
			return nil, errors.Join(err, was.Start())
		}
	}
	s.byID[id] = is
	s.list[slices.Index(s.list, was)] = is
	return is, nil
}
