package api

import (
	"bytes"
	"context"
	"net"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
)

// CallDetail is a call with its explanation and its messages.
type CallDetail struct {
	record.Summary
	Release  string           `json:"release" doc:"How an answered call ended"`
	Revision int64            `json:"revision"`
	Legs     []record.Leg     `json:"legs"`
	Result   decide.Result    `json:"result"`
	Stamps   []int64          `json:"stamps" doc:"Time of each step, in milliseconds after the start"`
	Ladder   record.Ladder    `json:"ladder"`
	Missing  int              `json:"missing" doc:"Messages whose recording has expired"`
	Note     string           `json:"note" doc:"Why no message can be shown; empty otherwise"`
	Joined   []record.Summary `json:"joined" doc:"The same call as other switches have it, by its Session-ID"`
}

func (s *server) callRoutes(a huma.API) {
	s.searchRoutes(a)
	s.callFileRoutes(a)
	huma.Register(a, huma.Operation{OperationID: "get-call", Method: http.MethodGet, Path: "/api/calls/{id}", Summary: "One call: trail, legs and messages"},
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
		}) (*struct{ Body CallDetail }, error) {
			d, err := s.callDetail(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			return &struct{ Body CallDetail }{d}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-active-calls", Method: http.MethodGet, Path: "/api/active-calls", Summary: "Calls that run now, from memory: the database has no part in it"},
		func(context.Context, *struct{}) (*struct{ Body []RunningCall }, error) {
			return &struct{ Body []RunningCall }{s.runningCalls()}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-capture", Method: http.MethodGet, Path: "/api/calls/{id}/capture", Summary: "The messages of a call as a pcapng file"},
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
		}) (*fileOutput, error) {
			c, err := s.Store.Call(ctx, in.ID)
			if err != nil {
				return nil, s.failed(err)
			}
			messages, _, err := s.messages(ctx, c)
			if err != nil {
				return nil, err
			}
			var file bytes.Buffer
			if err := record.WriteCapture(&file, messages); err != nil {
				return nil, s.failed(err)
			}
			return &fileOutput{"application/x-pcapng", `attachment; filename="call-` + c.ID + `.pcapng"`, file.Bytes()}, nil
		})
}

// callDetail reads a call: from memory while it runs, even if the database is
// away.
func (s *server) callDetail(ctx context.Context, id string) (CallDetail, error) {
	if c, recent := s.Recorder.Recent(id); recent {
		return s.recentDetail(ctx, c), nil
	}
	c, err := s.Store.Call(ctx, id)
	if err != nil {
		return CallDetail{}, s.failed(err)
	}
	return s.detail(ctx, c)
}

// recentDetail is detail for a call in memory; without the database it lacks
// only its messages.
func (s *server) recentDetail(ctx context.Context, c record.Call) CallDetail {
	d, err := s.detail(ctx, c)
	if err != nil {
		d = s.withoutMessages(c)
		d.Note = "the database does not answer, so the messages cannot be shown yet; the call itself goes on"
	}
	return d
}

type fileOutput struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

func (s *server) detail(ctx context.Context, c record.Call) (CallDetail, error) {
	messages, missing, err := s.messages(ctx, c)
	if err != nil {
		return CallDetail{}, err
	}
	d := s.withoutMessages(c)
	d.Ladder, d.Missing = conversation(c, messages).Ladder(s.nameOf()), missing
	same, err := s.Store.Session(ctx, c.Session)
	if err != nil {
		return CallDetail{}, s.failed(err)
	}
	for _, other := range same {
		if other.ID != c.ID {
			d.Joined = append(d.Joined, record.Summarize(other))
		}
	}
	return d, nil
}

// conversation is the messages of a call, which are all of it.
func conversation(c record.Call, messages []record.Message) (out record.Conversation) {
	for _, one := range record.Conversations(messages, func(string) string { return c.ID }) {
		out = one
	}
	return out
}

func (s *server) withoutMessages(c record.Call) CallDetail {
	return CallDetail{
		Summary: record.Summarize(c), Release: c.Release, Revision: c.Revision,
		Legs: append([]record.Leg{}, c.Legs...), Stamps: append([]int64{}, c.Stamps...),
		Result: decide.Summarize(append([]trail.Step{}, c.Trail...)),
		Ladder: record.Conversation{}.Ladder(s.nameOf()), Joined: []record.Summary{},
	}
}

// messages reads the recorded messages of a call.
func (s *server) messages(ctx context.Context, c record.Call) (messages []record.Message, missing int, err error) {
	places, err := s.Store.Messages(ctx, c)
	if err != nil {
		return nil, 0, s.failed(err)
	}
	messages, missing, err = s.Archive.Read(places)
	if err != nil {
		s.Log.Error("recorded messages cannot be read", "call", c.ID, "error", err)
		return nil, 0, huma.Error500InternalServerError("the recorded messages of this call cannot be read; the log has the details")
	}
	return messages, missing, nil
}

// serversOf are the addresses to which a trunk's calls go: those of the plan, and
// those that its name stands for.
func (s *server) serversOf(t plan.Trunk) []string {
	list := t.Link.Signalling().Remote().Servers
	for _, target := range s.Trunks.State(t.ID).Lookup.Targets {
		list = append(list, target.Address)
	}
	return list
}

// nameOf names addresses as the live plan knows them.
func (s *server) nameOf() func(address string) string {
	names := map[string]string{}
	host := func(address string) string {
		if h, _, err := net.SplitHostPort(address); err == nil {
			return h
		}
		return address
	}
	if run := s.Plan.Current(); run != nil {
		p := run.Snapshot.Plan()
		index := plan.NewIndex(p)
		for _, t := range p.Trunks {
			name := t.Name
			if far := index.FarEnds[t.FarEnd]; far != nil {
				name = far.Name
			}
			for _, address := range s.serversOf(t) {
				names[host(address)] = name
			}
			for _, a := range t.Link.Signalling().Claims().Trusted {
				names[a] = name
			}
			for a := range s.Trunks.State(t.ID).Sources {
				names[a.String()] = name
			}
		}
		for _, sw := range p.Switches {
			names[host(sw.Listeners.SIP.Address)] = "Switch " + sw.Name
		}
	}
	return func(address string) string {
		if n, ok := names[host(address)]; ok {
			return n
		}
		return address
	}
}
