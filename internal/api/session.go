package api

import (
	"context"
	"errors"
	"net"
	"net/http"
	"strings"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/store"
)

func isNotFound(err error) bool { return errors.Is(err, store.ErrNotFound) }

// SignIn is a name and a password.
type SignIn struct {
	Name     string `json:"name" minLength:"1" maxLength:"100"`
	Password string `json:"password" minLength:"1" maxLength:"200"`
}

// Session is who is signed in.
type Session struct {
	Name     string `json:"name"`
	Version  string `json:"version"`
	Instance string `json:"instance,omitempty" doc:"Name of this installation"`
}

type sessionOutput struct{ Body Session }

const userKey = "user"

func user(s *server, ctx context.Context) string { return s.sessions.GetString(ctx, userKey) }

// requireSignIn refuses operations to those who are not signed in, but for those by which
// one gets in.
func (s *server) requireSignIn(a huma.API) func(huma.Context, func(huma.Context)) {
	return func(ctx huma.Context, next func(huma.Context)) {
		if !unauthenticated[ctx.Operation().OperationID] && user(s, ctx.Context()) == "" {
			_ = huma.WriteErr(a, ctx, http.StatusUnauthorized, "sign in first")
			return
		}
		next(huma.WithValue(ctx, store.AuthorKey, user(s, ctx.Context())))
		s.tellEdit(ctx)
	}
}

// asking marks an operation that only asks, although what it asks is too much for a GET.
const asking = "asking"

// asks is the metadata of such an operation.
var asks = map[string]any{asking: true}

// tellEdit says what an operation that succeeded has changed for all who look.
func (s *server) tellEdit(ctx huma.Context) {
	op := ctx.Operation()
	asks := op.Method == http.MethodGet || op.Metadata[asking] != nil || ctx.Query("try") == "true"
	if asks || ctx.Status() >= 300 || s.Feed == nil {
		return
	}
	for prefix, topic := range map[string]live.Topic{
		"/api/draft": live.TopicDraft, "/api/changes": live.TopicDraft, "/api/revisions": live.TopicDraft, "/api/stand-ins": live.TopicStandIn,
	} {
		if strings.HasPrefix(op.Path, prefix) {
			s.Feed.Tell(topic, "")
		}
	}
}

func (s *server) sessionRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "sign-in", Method: http.MethodPost, Path: "/api/session", Summary: "Sign in"},
		func(ctx context.Context, in *struct {
			Body SignIn
			peer
		}) (*sessionOutput, error) {
			name := strings.TrimSpace(in.Body.Name)
			if err := s.checkPassword(ctx, in.address, name, in.Body.Password); err != nil {
				return nil, err
			}
			return s.enter(ctx, name)
		})
	huma.Register(a, huma.Operation{OperationID: "get-session", Method: http.MethodGet, Path: "/api/session", Summary: "Who is signed in"},
		func(ctx context.Context, _ *struct{}) (*sessionOutput, error) {
			return &sessionOutput{Session{user(s, ctx), Version, s.Instance}}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "sign-out", Method: http.MethodDelete, Path: "/api/session", Summary: "Sign out"},
		func(ctx context.Context, _ *struct{}) (*struct{}, error) {
			s.streams.signedOut(s.sessions.Token(ctx))
			return nil, s.failed(s.sessions.Destroy(ctx))
		})
}

// peer reads the address that a request came from.
type peer struct{ address string }

// Resolve implements huma.Resolver.
func (p *peer) Resolve(ctx huma.Context) []error {
	p.address = ctx.RemoteAddr()
	if host, _, err := net.SplitHostPort(p.address); err == nil {
		p.address = host
	}
	return nil
}
