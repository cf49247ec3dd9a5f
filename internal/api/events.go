package api

import (
	"context"
	"encoding/json"
	"fmt"
	"net/http"
	"reflect"
	"strconv"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/live"
)

// Limits of the stream of events.
const (
	// maxStreams is how many may be open at one time.
	maxStreams = 200
	// streamLife is how long one lasts; the browser comes back by itself, and is
	// asked again who it is.
	streamLife = 10 * time.Minute
	// streamGather is how long news are gathered before they are sent.
	streamGather = 80 * time.Millisecond
	// streamBeat is how often something is sent where there is no news, so that
	// both ends notice when the other is gone.
	streamBeat = 10 * time.Second
	// streamPatience is how long a slow reader is waited for.
	streamPatience = 10 * time.Second
	// newsAtOnce bounds one event; with more, everything is to be looked at again.
	newsAtOnce = 500
)

// streams are the open ones, each with the session that it belongs to: it ends when that
// does. The zero streams are none.
type streams struct {
	mu   sync.Mutex
	open map[chan struct{}]string // the token, by what ends the stream
}

// begin opens one; ok is false if there are as many as may be.
func (s *streams) begin(token string) (ended chan struct{}, ok bool) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(s.open) >= maxStreams {
		return nil, false
	}
	if s.open == nil {
		s.open = map[chan struct{}]string{}
	}
	ended = make(chan struct{})
	s.open[ended] = token
	return ended, true
}

func (s *streams) over(ended chan struct{}) {
	s.mu.Lock()
	defer s.mu.Unlock()
	delete(s.open, ended)
}

// signedOut ends the streams of a session.
func (s *streams) signedOut(token string) {
	s.mu.Lock()
	defer s.mu.Unlock()
	for ended, of := range s.open {
		if of == token {
			delete(s.open, ended)
			close(ended)
		}
	}
}

func (s *server) eventRoutes(a huma.API) {
	news := a.OpenAPI().Components.Schemas.Schema(reflect.TypeFor[[]live.News](), true, "News")
	huma.Register(a, huma.Operation{
		OperationID: "stream-events", Method: http.MethodGet, Path: "/api/events", Errors: []int{http.StatusServiceUnavailable},
		Summary: "What changes, as server-sent events",
		Description: "Each event says what changed, not how. Its name is news, with a list of topics and ids, or reset: anything may have changed. " +
			"A client that gives the id of the last event that it had in Last-Event-ID, as browsers do, is told what changed since.",
		Responses: map[string]*huma.Response{"200": {
			Description: "A stream of events; the data of each named news is a list", Content: map[string]*huma.MediaType{"text/event-stream": {Schema: news}},
		}},
	}, func(ctx context.Context, in *struct {
		Last string `header:"Last-Event-ID" doc:"Id of the last event that was seen"`
	}) (*huma.StreamResponse, error) {
		token := s.sessions.Token(ctx)
		ended, ok := s.streams.begin(token)
		if !ok {
			return nil, huma.Error503ServiceUnavailable(fmt.Sprintf("%d streams of events are open already", maxStreams))
		}
		return &huma.StreamResponse{Body: func(ctx huma.Context) {
			defer s.streams.over(ended)
			s.stream(ctx, in.Last, token, ended)
		}}, nil
	})
}

// stillIn tells whether a session goes on. A database that is away ends nobody's.
func (s *server) stillIn(token string) bool {
	ctx, cancel := context.WithTimeout(context.Background(), streamBeat)
	defer cancel()
	session, err := s.sessions.Load(ctx, token) // into a context of its own: that of the request has the session as it was
	return err != nil || s.sessions.GetString(session, userKey) != ""
}

// stream sends news until the client, its sign-in or the process goes, or its life is over.
func (s *server) stream(ctx huma.Context, last, token string, ended <-chan struct{}) {
	ctx.SetHeader("Content-Type", "text/event-stream")
	ctx.SetHeader("Cache-Control", "no-store")
	ctx.SetStatus(http.StatusOK)
	w := eventWriter{ctx}
	at, resumed := s.resume(last)
	if resumed {
		at = w.news(s.Feed, at)
	} else {
		w.event(at, "reset", "[]")
	}
	over := time.After(streamLife)
	for at >= 0 {
		next, open := s.Feed.Changed()
		if !open {
			return
		}
		if _, now, _ := s.Feed.Since(at); now == at {
			select {
			case <-next:
			case <-ended:
				return
			case <-time.After(streamBeat):
				if !s.stillIn(token) || !w.write(": still here\n\n") {
					return
				}
				continue
			case <-over:
				return
			case <-ctx.Context().Done():
				return
			}
		}
		select { // a burst is one event
		case <-time.After(streamGather):
		case <-ended:
			return
		case <-ctx.Context().Done():
			return
		}
		at = w.news(s.Feed, at)
	}
}

// resume reads where a client left off.
func (s *server) resume(last string) (at int64, ok bool) {
	if n, err := strconv.ParseInt(last, 10, 64); err == nil {
		if _, _, complete := s.Feed.Since(n); complete {
			return n, true
		}
	}
	_, now, _ := s.Feed.Since(0)
	return now, false
}

// eventWriter writes events as the HTML standard defines them (section 9.2,
// server-sent events).
type eventWriter struct{ ctx huma.Context }

// news sends what changed since a point and returns the point that it leads to;
// -1 if the client is gone.
func (w eventWriter) news(feed *live.Feed, since int64) int64 {
	list, now, complete := feed.Since(since)
	name := "news"
	if !complete || len(list) > newsAtOnce {
		name, list = "reset", nil
	}
	text, err := json.Marshal(append([]live.News{}, list...))
	if err != nil || !w.event(now, name, string(text)) {
		return -1
	}
	return now
}

func (w eventWriter) event(id int64, name, data string) bool {
	return w.write(fmt.Sprintf("id: %d\nevent: %s\ndata: %s\n\n", id, name, data))
}

// write sends text at once. A client that does not read in time is given up, so
// that nobody slow holds anything up.
func (w eventWriter) write(text string) bool {
	body := w.ctx.BodyWriter()
	if rw, ok := body.(http.ResponseWriter); ok {
		control := http.NewResponseController(rw)
		_ = control.SetWriteDeadline(time.Now().Add(streamPatience)) // not there under a test's recorder
		if _, err := body.Write([]byte(text)); err != nil {
			return false
		}
		return control.Flush() == nil
	}
	_, err := body.Write([]byte(text))
	return err == nil
}
