package live

import "sync"

// Side says whose account it is: the far end's with us, or ours with it.
type Side string

// The sides.
const (
	Theirs Side = "theirs"
	Ours   Side = "ours"
)

// SecretName is the name under which the secret of an account is kept.
func SecretName(trunk string, side Side, account string) string {
	return "trunk/" + trunk + "/" + string(side) + "/" + account
}

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
func (s *Secrets) Of(trunk string, side Side, account string) (secret string, ok bool) {
	s.mu.RLock()
	defer s.mu.RUnlock()
	secret, ok = s.list[SecretName(trunk, side, account)]
	return secret, ok
}

// Set sets the secret of an account; an empty one takes it away.
func (s *Secrets) Set(trunk string, side Side, account, secret string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	name := SecretName(trunk, side, account)
	if secret == "" {
		delete(s.list, name)
		return
	}
	s.list[name] = secret
}
