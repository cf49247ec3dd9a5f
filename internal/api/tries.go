package api

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/standin"
	"switchback.example/switchback/internal/store"
)

// TryAsk is a test call.
type TestAsk struct {
	Mode   string `json:"mode" enum:"dry,live"`
	Plan   string `json:"plan" enum:"live,draft" doc:"Which plan decides a dry try; a live one is always decided by the live plan"`
	From   string `json:"from" doc:"A trunk, a far end or an extension" maxLength:"200"`
	Called string `json:"called" maxLength:"200"`
	Caller string `json:"caller,omitempty" maxLength:"200"`
	// Simulate is what a dry call supposes of time, trunks and calendars; without it, those of the moment.
	Simulate plan.Simulated `json:"simulate,omitzero"`
	// DigitIntervalMs sends the digits of a live call one by one, so long after each other, by
	// RFC 3578; 0 sends the number whole.
	DigitIntervalMs int `json:"digitIntervalMs,omitempty" minimum:"0" maximum:"5000"`
	// TalkSeconds is how long an answered live call is held.
	TalkSeconds int `json:"talkSeconds,omitempty" minimum:"0" maximum:"60"`
	// Permitted decides a dry run as if the caller had every permission.
	Permitted bool `json:"permitted,omitempty"`
	// Emergency confirms a live call to an emergency number over real trunks: those who
	// answer there are the emergency services.
	Emergency bool `json:"emergency,omitempty"`
}

// Try is a test call and what came of it.
type Test struct {
	ID   string `json:"id" doc:"Of a live try: the Call-ID with which it left the stand-in; empty if it never left"`
	Mode string `json:"mode" enum:"dry,live"`
	// State: decided (dry), not-placed, running, or over.
	State string `json:"state" enum:"decided,not-placed,running,over"`
	// Why a call could not even be placed.
	Why    string          `json:"why"`
	From   string          `json:"from" doc:"Who placed it"`
	Events []standin.Event `json:"events" doc:"What the calling stand-in saw"`
	Status int             `json:"status" doc:"The final status that the caller got; 0 if none yet"`
	Result *decide.Result  `json:"result,omitempty" doc:"Of a dry try"`
	Call   *CallDetail     `json:"call,omitempty" doc:"Of a live try: the switch's record, once it has one"`
	Media  *MediaVerdict   `json:"media,omitempty" doc:"Of a live try that was answered, between stand-ins"`
}

// Source is where a try can start.
type Source struct {
	ID    string `json:"id"`
	Label string `json:"label"`
	Kind  string `json:"kind" enum:"trunk,extensions"`
	// From is what a try gives to begin there: the trunk's id, or an extension.
	From string `json:"from"`
	// Switch is the id of the switch by which its calls come, whose zone times are told in.
	Switch string `json:"switch"`
}

// defaultTalk is how long an answered live try is held.
const defaultTalk = 2 * time.Second

// recordPatience is how long the switch's record of a try that is over may
// still be on its way to the database.
const recordPatience = 2 * time.Second

func (s *server) tryRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "place-test-call", Method: http.MethodPost, Path: "/api/test-calls", Summary: "Place a test call, dry or live"},
		func(ctx context.Context, in *struct{ Body TestAsk }) (*struct{ Body Test }, error) {
			t, err := s.try(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			return &struct{ Body Test }{t}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-test-call", Method: http.MethodGet, Path: "/api/test-calls/{id}", Summary: "What has come of a live test call"},
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
		}) (*struct{ Body Test }, error) {
			t, err := s.liveTry(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			return &struct{ Body Test }{t}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "end-test-call", Method: http.MethodDelete, Path: "/api/test-calls/{id}", Summary: "Let the caller of a live test call hang up"},
		func(_ context.Context, in *struct {
			ID string `path:"id"`
		}) (*struct{}, error) {
			if s.Switchboard.EndPlaced(in.ID) {
				return nil, nil
			}
			by, _, ok := s.StandIns.Placed(in.ID)
			if !ok {
				return nil, huma.Error404NotFound("no test call of this name runs")
			}
			by.HangUp(in.ID)
			return nil, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-test-sources", Method: http.MethodGet, Path: "/api/sources", Summary: "Where a test call can start"},
		func(context.Context, *struct{}) (*struct{ Body []Source }, error) {
			return &struct{ Body []Source }{s.sources()}, nil
		})
}

func (s *server) sources() []Source {
	out := []Source{}
	if run := s.Plan.Current(); run != nil {
		p := run.Snapshot.Plan()
		index := plan.NewIndex(p)
		for _, d := range p.Destinations {
			if t := index.Trunks[d.Trunk]; d.Kind == "extensions" && t != nil {
				if p, err := digits.Compile(d.NumberPattern); err == nil {
					first, _ := p.Shortest()
					out = append(out, Source{d.NumberPattern, d.Name + " " + d.NumberPattern, "extensions", first.String(), t.Switch})
				}
			}
		}
		for _, t := range p.Trunks {
			out = append(out, Source{t.ID, t.Name, "trunk", t.ID, t.Switch})
		}
	}
	return out
}

func (s *server) try(ctx context.Context, ask TestAsk) (Test, error) {
	snapshot, err := s.snapshot(ctx, ask)
	if err != nil {
		return Test{}, err
	}
	call, err := snapshot.CallFrom(ask.From, ask.Called, ask.Caller)
	var bad *decide.InputError
	if errors.As(err, &bad) {
		return Test{}, huma.Error422UnprocessableEntity(bad.Reason, &huma.ErrorDetail{Location: "body." + bad.Field, Message: bad.Reason})
	}
	if ask.Mode == "live" {
		return s.place(ctx, snapshot, call, ask)
	}
	for field, ids := range map[string][]string{"down": ask.Simulate.Down, "full": ask.Simulate.Full} {
		for _, id := range ids {
			if !hasTrunk(snapshot, id) {
				reason := "the plan has no trunk " + id
				return Test{}, huma.Error422UnprocessableEntity(reason, &huma.ErrorDetail{Location: "body." + field, Message: reason})
			}
		}
	}
	call.Permitted = ask.Permitted
	if call.At, err = momentOf(ask.Simulate.Time); err != nil {
		return Test{}, huma.Error422UnprocessableEntity(err.Error(), &huma.ErrorDetail{Location: "body.at", Message: err.Error()})
	}
	if call.Overrides = ask.Simulate.Overrides; call.Overrides == nil && ask.Simulate.Time == "" {
		call.Overrides = s.Overrides.At(call.At) // as a call now
	}
	res, err := snapshot.Dry(call, decide.Suppose{Down: set(ask.Simulate.Down), Full: set(ask.Simulate.Full)})
	if err != nil {
		return Test{}, huma.Error422UnprocessableEntity(err.Error())
	}
	return Test{Mode: "dry", State: "decided", From: ask.From, Events: []standin.Event{}, Status: res.Cause.SIP, Result: &res}, nil
}

// momentOf reads a moment; empty is now.
func momentOf(text string) (time.Time, error) {
	if text == "" {
		return time.Now(), nil
	}
	at, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return at, fmt.Errorf("%q is no moment such as 2026-01-02T15:04:05Z", text)
	}
	return at, nil
}

func hasTrunk(s *decide.Snapshot, id string) bool {
	return plan.NewIndex(s.Plan()).Trunks[id] != nil
}

func set(list []string) map[string]bool {
	out := map[string]bool{}
	for _, v := range list {
		out[v] = true
	}
	return out
}

// snapshot is the plan that decides the try.
func (s *server) snapshot(ctx context.Context, ask TestAsk) (*decide.Snapshot, error) {
	run := s.Plan.Current()
	if run == nil {
		return nil, huma.Error404NotFound("no plan is live yet")
	}
	if ask.Mode == "dry" && ask.Plan == "draft" {
		return s.drafted(ctx, run.Snapshot)
	}
	return run.Snapshot, nil
}

// draftSnapshot keeps the compiled draft until it is edited.
type draftSnapshot struct {
	mu       sync.Mutex
	version  int64
	snapshot *decide.Snapshot
}

// drafted compiles the draft, with what it has in common with the one before or with the
// live plan.
func (s *server) drafted(ctx context.Context, live *decide.Snapshot) (*decide.Snapshot, error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return nil, s.failed(err)
	}
	k := &s.draft
	k.mu.Lock()
	defer k.mu.Unlock()
	if k.snapshot != nil && k.version == d.Version {
		return k.snapshot, nil
	}
	base := k.snapshot // the draft before shares most with this one
	if base == nil {
		base = live
	}
	if problems := s.validate(d.Plan); len(problems) > 0 {
		return nil, badPlan("the draft has problems, so it cannot decide a call", problems)
	}
	k.snapshot, k.version = base.CompileValid(d.Plan), d.Version
	return k.snapshot, nil
}

// place starts a live try at the stand-in's own socket.
func (s *server) place(ctx context.Context, snapshot *decide.Snapshot, call decide.Call, ask TestAsk) (Test, error) {
	farEnd := plan.NewIndex(snapshot.Plan()).Trunks[call.Trunk].FarEnd
	by := s.StandIns.Find(farEnd)
	if by == nil {
		return s.placeInSwitch(ctx, snapshot, call, ask)
	}
	talk := defaultTalk
	if ask.TalkSeconds > 0 {
		talk = time.Duration(ask.TalkSeconds) * time.Second
	}
	id, err := by.Place(standin.Dial{Called: call.Called.String(), Caller: call.Caller.String(), Talk: talk, OneByOne: time.Duration(ask.DigitIntervalMs) * time.Millisecond})
	if err != nil {
		return Test{Mode: "live", State: "not-placed", Why: err.Error(), From: by.Name, Events: []standin.Event{}}, nil
	}
	return s.liveTry(ctx, id)
}

// placeInSwitch starts a live try in the switch itself, where no stand-in plays the far
// end from which it is to come.
func (s *server) placeInSwitch(ctx context.Context, snapshot *decide.Snapshot, call decide.Call, ask TestAsk) (Test, error) {
	trunk, _ := snapshot.Trunk(call.Trunk) // it was found there
	if call.At = time.Now(); snapshot.IsEmergencyCall(call) && !ask.Emergency {
		const why = "emergency number on a real trunk: the call reaches the emergency services; confirm that they expect it"
		return Test{}, huma.Error422UnprocessableEntity(why, &huma.ErrorDetail{Location: "body.emergency", Message: "must be confirmed"})
	}
	talk := time.Duration(max(ask.TalkSeconds, int(placedTalk/time.Second))) * time.Second
	leg, err := s.Switchboard.PlaceCall(*trunk, call, talk)
	if err != nil {
		return Test{Mode: "live", State: "not-placed", Why: err.Error(), From: inSwitch, Events: []standin.Event{}}, nil
	}
	return s.liveTry(ctx, leg)
}

// inSwitch is who placed a test call that began in the switch.
const inSwitch = "the switch"

// placedTalk is how long such a call is held after the answer, at least: as long as it
// takes to hear the tone.
const placedTalk = 5 * time.Second

// placedBy is what is known of who placed a test call; ok is false if nobody did.
func (s *server) placedBy(id string) (t Test, overAt time.Time, ok bool) {
	t = Test{ID: id, Mode: "live", State: "running", From: inSwitch, Events: []standin.Event{}}
	if strings.HasPrefix(id, call.PlacedPrefix) {
		return t, overAt, true
	}
	by, placed, ok := s.StandIns.Placed(id)
	if !ok {
		return t, overAt, false
	}
	t.From, t.Events, t.Status = by.Name, placed.Events, placed.Status
	if placed.Over {
		t.State = "over"
	}
	return t, placed.OverAt, true
}

func (s *server) liveTry(ctx context.Context, id string) (Test, error) {
	t, overAt, ok := s.placedBy(id)
	if !ok {
		return Test{}, huma.Error404NotFound("no test call has this name")
	}
	if c, recent := s.Recorder.RecentByLeg(id); recent {
		t = withRecord(t, s.recentDetail(ctx, c))
		t.Media = s.sound(ctx, id, c)
		if !s.Recorder.Failing() {
			t.State = "running" // its messages are on the way to the index
		}
		return t, nil
	}
	c, err := s.Store.CallByLeg(ctx, record.LegID(plan.ProtocolSIP, id), record.LegID("", id)) // of a stand-in, or of the switch itself
	switch {
	case errors.Is(err, store.ErrNotFound):
		if t.State == "over" && time.Since(overAt) < recordPatience {
			t.State = "running" // its record is on the way
		}
		return t, nil
	case err != nil: // what the caller saw is known without the database
		s.Log.Warn("the record of the test call cannot be read", "error", err)
		t.Why = "the database does not answer, so the switch's record of this call cannot be shown yet; the call itself goes on"
		return t, nil
	}
	d, err := s.detail(ctx, c)
	t.Media = s.sound(ctx, id, c)
	if t.From == inSwitch && !d.Running {
		t.State = "over"
	}
	return withRecord(t, d), err
}

// withRecord adds the switch's record to a try, which is over once both are.
func withRecord(t Test, d CallDetail) Test {
	t.Call = &d
	t.Why = d.Note
	if d.Running {
		t.State = "running"
	}
	return t
}
