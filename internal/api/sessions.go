package api

import (
	"sync"
	"time"

	"github.com/alexedwards/scs/v2"
)

// maxRemembered bounds how many sessions are remembered beside the database.
const maxRemembered = 10_000

// rememberedSessions keeps sessions in the database, and remembers those that
// it met, so that who is signed in stays signed in while the database is away.
type rememberedSessions struct {
	scs.Store
	mu   sync.Mutex
	seen map[string]rememberedSession
}

type rememberedSession struct {
	data   []byte
	expiry time.Time
}

func rememberSessions(inner scs.Store) *rememberedSessions {
	return &rememberedSessions{Store: inner, seen: map[string]rememberedSession{}}
}

// Find asks the database; where that fails, it answers from memory.
func (r *rememberedSessions) Find(token string) ([]byte, bool, error) {
	data, found, err := r.Store.Find(token)
	r.mu.Lock()
	defer r.mu.Unlock()
	switch {
	case err != nil:
		if s, ok := r.seen[token]; ok && time.Now().Before(s.expiry) {
			return s.data, true, nil
		}
	case found:
		r.remember(token, data, time.Now().Add(sessionLife))
	default:
		delete(r.seen, token)
	}
	return data, found, err
}

// Commit writes a session. While the database is away only a session that it
// knew is kept, in memory.
func (r *rememberedSessions) Commit(token string, data []byte, expiry time.Time) error {
	err := r.Store.Commit(token, data, expiry)
	r.mu.Lock()
	defer r.mu.Unlock()
	if _, known := r.seen[token]; err != nil && !known {
		return err
	}
	r.remember(token, data, expiry)
	return nil
}

// Delete ends a session in both places.
func (r *rememberedSessions) Delete(token string) error {
	r.mu.Lock()
	delete(r.seen, token)
	r.mu.Unlock()
	return r.Store.Delete(token)
}

func (r *rememberedSessions) remember(token string, data []byte, expiry time.Time) {
	if len(r.seen) >= maxRemembered {
		clear(r.seen)
	}
	r.seen[token] = rememberedSession{data, expiry}
}
