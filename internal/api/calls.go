package api

import (
	"bytes"
	"context"
	"net"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
)

// CallSummary is one line of the list of calls.
type CallSummary struct {
	ID        string     `json:"id"`
	Switch    string     `json:"switch"`
	Started   time.Time  `json:"started"`
	Answered  *time.Time `json:"answered,omitempty"`
	Ended     *time.Time `json:"ended,omitempty"`
	Running   bool       `json:"running"`
	TrunkIn   string     `json:"trunkIn" doc:"Name of the trunk by which it came"`
	CalledIn  string     `json:"calledIn" doc:"The called number as it came"`
	Caller    string     `json:"caller" doc:"The caller as they came"`
	TrunkOut  string     `json:"trunkOut" doc:"Name of the last trunk tried; empty if none was"`
	CalledOut string     `json:"calledOut" doc:"The called number as it left"`
	Attempts  int        `json:"attempts"`
	Outcome   string     `json:"outcome" enum:"answered,refused,failed,abandoned,running"`
	Q850      int        `json:"q850"`
	SIP       int        `json:"sip"`
	Why       string     `json:"why"`
	// Sound is what came from both sides through the switch; empty where that is not known.
	// Silent is the far end from which nothing came, where it is one-way.
	Media  string `json:"media,omitempty" enum:"both-ways,one-way,none"`
	Silent string `json:"silent,omitempty"`
	// LastResort: nobody answered the number, and the last resort took the call.
	LastResort bool `json:"lastResort,omitempty"`
	// Trial: a plan on trial decided it.
	Trial bool `json:"trial,omitempty"`
}

// CallDetail is a call with its explanation and its messages.
type CallDetail struct {
	CallSummary
	Release  string        `json:"release" doc:"How an answered call ended"`
	Revision int64         `json:"revision"`
	Legs     []record.Leg  `json:"legs"`
	Result   decide.Result `json:"result"`
	Stamps   []int64       `json:"stamps" doc:"Time of each step, in milliseconds after the start"`
	Ladder   record.Ladder `json:"ladder"`
	Missing  int           `json:"missing" doc:"Messages whose recording has expired"`
	Note     string        `json:"note" doc:"Why the messages cannot be shown at all; empty if they can"`
	Joined   []CallSummary `json:"joined" doc:"The same call as other switches have it, by its Session-ID"`
}

func (s *server) callRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-calls", Method: http.MethodGet, Path: "/api/calls", Summary: "Recent calls, newest first"},
		func(ctx context.Context, in *struct {
			Limit int `query:"limit" minimum:"1" maximum:"1000" default:"200"`
		}) (*struct{ Body []CallSummary }, error) {
			list, err := s.Store.Calls(ctx, in.Limit)
			if err != nil {
				return nil, s.failed(err)
			}
			out := []CallSummary{}
			for _, c := range list {
				out = append(out, summary(c))
			}
			return &struct{ Body []CallSummary }{out}, nil
		})
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

func summary(c record.Call) CallSummary {
	r := decide.Summarize(c.Trail)
	out := CallSummary{
		ID: c.ID, Switch: c.Switch, Started: c.Started, Answered: orNil(c.Answered), Ended: orNil(c.Ended), Running: c.Running(),
		Attempts: len(r.Attempts), Outcome: string(r.Outcome), Q850: int(r.Cause.Q850), SIP: r.Cause.SIP,
	}
	sound, silent := c.SoundOf()
	out.Media, out.Silent, out.LastResort = string(sound), silent, c.LastResort()
	for _, step := range c.Trail {
		switch {
		case step.Received != nil && out.TrunkIn == "":
			out.Trial = step.Received.Trial
			if out.TrunkIn = step.Received.Trunk.Name; out.TrunkIn == "" {
				out.TrunkIn = step.Received.By // a call of no trunk, or of several
			}
			out.CalledIn = step.Received.Called.Number.String() + step.Received.CalledText
			out.Caller = step.Received.Caller.Number.String() + step.Received.CallerText
		case step.Sent != nil:
			out.TrunkOut, out.CalledOut = step.Sent.Trunk.Name, step.Sent.Called.Number.String()
		case step.Ended != nil:
			out.Why = step.Ended.Why
		}
	}
	if out.Outcome == "" {
		out.Outcome = "running"
	}
	return out
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
			d.Joined = append(d.Joined, summary(other))
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
		CallSummary: summary(c), Release: c.Release, Revision: c.Revision,
		Legs: append([]record.Leg{}, c.Legs...), Stamps: append([]int64{}, c.Stamps...),
		Result: decide.Summarize(append([]trail.Step{}, c.Trail...)),
		Ladder: record.Conversation{}.Ladder(s.nameOf()), Joined: []CallSummary{},
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
