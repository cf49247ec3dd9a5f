package live

import (
	"sync"

	"switchback.example/switchback/internal/core/plan"
)

// Secrets are the secrets of accounts, in memory, so that nobody waits for the
// database to prove who they are. It is safe for concurrent use.
type Secrets struct {
	mu   sync.RWMutex
	list map[string]string
}

// NewSecrets returns secrets by name.
func NewSecrets(list map[string]string) *Secrets {
	if list == nil {
		list = map[string]string{}
	}
	return &Secrets{list: list}
}

// Of returns the secret of an account; ok is false if none is set.
func (s *Secrets) Of(trunk string, side plan.Side, account string) (secret string, ok bool) {
	s.mu.RLock()
	defer s.mu.RUnlock()
	secret, ok = s.list[plan.SecretName(trunk, side, account)]
	return secret, ok
}

// Set sets the secret of an account; an empty one takes it away.
func (s *Secrets) Set(trunk string, side plan.Side, account, secret string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	name := plan.SecretName(trunk, side, account)
	if secret == "" {
		delete(s.list, name)
		return
	}
	s.list[name] = secret
}
