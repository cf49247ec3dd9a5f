package api

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"net/http"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/store"
)

// FirstStart lets the first person in, once, by a token that only the one sees who
// started the program. The zero FirstStart lets nobody in.
type FirstStart struct {
	mu   sync.Mutex
	hash [sha256.Size]byte
	open bool
}

// Open makes a token, in place of any before.
func (f *FirstStart) Open() (token string) {
	b := make([]byte, 32)
	_, _ = rand.Read(b) // never fails
	token = base64.RawURLEncoding.EncodeToString(b)
	f.mu.Lock()
	defer f.mu.Unlock()
	f.hash, f.open = sha256.Sum256([]byte(token)), true
	return token
}

// fits tells whether a token is the one.
func (f *FirstStart) fits(token string) bool {
	hash := sha256.Sum256([]byte(token))
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.open && subtle.ConstantTimeCompare(hash[:], f.hash[:]) == 1
}

func (f *FirstStart) isOpen() bool {
	f.mu.Lock()
	defer f.mu.Unlock()
	return f.open
}

func (f *FirstStart) close() {
	f.mu.Lock()
	defer f.mu.Unlock()
	f.open = false
}

// FirstPerson is who is to use the program first, and the token of the link.
type FirstPerson struct {
	Token    string `json:"token" minLength:"1" maxLength:"200"`
	Name     string `json:"name" minLength:"1" maxLength:"100"`
	Password string `json:"password" minLength:"1" maxLength:"200" doc:"At least 12 characters"`
}

// FirstStartState says whether the program waits for its first person.
type FirstStartState struct {
	Open bool `json:"open"`
	// Version is that of the program, for the page by which people sign in.
	Version string `json:"version"`
	// Instance is its name, for the same page.
	Instance string `json:"instance,omitempty" doc:"Name of this installation"`
}

// unauthenticated are the operations for those who are not signed in.
var unauthenticated = map[string]bool{"sign-in": true, "get-first-start": true, "create-first-person": true}

func (s *server) firstStartRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "get-first-start", Method: http.MethodGet, Path: "/api/first-start", Summary: "Whether the program waits for its first person"},
		func(_ context.Context, _ *struct{}) (*struct{ Body FirstStartState }, error) {
			return &struct{ Body FirstStartState }{FirstStartState{s.First != nil && s.First.isOpen(), Version, s.Instance}}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "create-first-person", Method: http.MethodPost, Path: "/api/first-start", Summary: "Create the first person, by the link of the first start, and sign them in", Errors: []int{403, 409, 422, 429}},
		func(ctx context.Context, in *struct {
			Body FirstPerson
			peer
		}) (*sessionOutput, error) {
			if wait := s.wait(in.address); wait > 0 {
				return nil, tooMany(wait)
			}
			if s.First == nil || !s.First.fits(in.Body.Token) {
				s.wrongPassword(ctx, in.address, "")
				return nil, huma.Error403Forbidden("this link is not valid, or it was used; start the program anew for another, or use 'switchback user add'")
			}
			name := strings.TrimSpace(in.Body.Name)
			err := s.Store.AddFirstUser(ctx, name, in.Body.Password)
			switch {
			case errors.Is(err, store.ErrTaken):
				s.First.close()
				return nil, huma.Error409Conflict("the first person was created already; sign in")
			case store.IsChosenBadly(err):
				return nil, huma.Error422UnprocessableEntity(err.Error())
			case err != nil:
				return nil, s.failed(err)
			}
			s.First.close()
			s.Log.Info("the first person was created", "name", name)
			return s.enter(ctx, name)
		})
}

// enter opens a session.
func (s *server) enter(ctx context.Context, name string) (*sessionOutput, error) {
	if err := s.sessions.RenewToken(ctx); err != nil {
		return nil, s.failed(err)
	}
	s.sessions.Put(ctx, userKey, name)
	return &sessionOutput{Session{name, Version, s.Instance}}, nil
}

// tooMany refuses who failed too often.
func tooMany(wait time.Duration) error {
	return huma.ErrorWithHeaders(
		huma.Error429TooManyRequests("too many wrong passwords from here; try again in "+wait.Round(time.Second).String()),
		http.Header{"Retry-After": {strconv.Itoa(int(wait.Seconds()) + 1)}})
}
