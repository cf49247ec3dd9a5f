package call

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"testing"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/media"
)

// world is what stands around a call: it knows what the call holds by what it has done, and
// throws at it what may happen and what may not.
type world struct {
	t       *testing.T
	seed    uint64
	r       *rand.Rand
	call    Call
	held    map[LegID]bool // legs that the call has to release
	open    map[request]bool
	asks    map[AskID]LegID // of the switch, that wait for a reply
	owed    map[AskID]LegID // accepted changes that wait for their acknowledgement
	running map[Timer]uint32
	asked   int // the plan was asked, and has not answered
	tried   int // trunks that wait for a report
	ended   int
	log     []happened
}

// happened is one line of a run's log.
type happened struct {
	state  State
	event  Event
	action Action // nil for the event itself
}

func (h happened) String() string {
	if h.action != nil {
		return "\n   " + words(h.action)
	}
	return fmt.Sprintf("\n%s of %d (%d) when %s", h.event.Kind, h.event.Leg, h.event.New, h.state)
}

type request struct {
	leg  LegID
	name uint32
}

func (w *world) require(ok bool, what string, args ...any) {
	if !ok {
		require.Fail(w.t, fmt.Sprintf(what, args...), "seed %d: %v", w.seed, w.log)
	}
}

func (w *world) on(e Event) {
	w.log = append(w.log, happened{state: w.call.State, event: e})
	switch e.Kind {
	case Offered, ReplaceAsked, Joined:
		if e.Kind != Offered || w.call.State == Idle {
			w.held[e.New] = true
		}
	case Released:
		w.lose(e.Leg, false)
	case Asked:
		w.open[request{e.Leg, e.Request}] = true
	case Replied:
		if w.asks[e.Ask] == e.Leg && e.Leg != 0 {
			delete(w.asks, e.Ask)
			if e.Verdict == Accepted {
				w.owed[e.Ask] = e.Leg
			}
		}
	case Chosen, Decided:
		if w.asked > 0 {
			w.asked--
			if e.Kind == Chosen && !e.Own {
				w.tried++
			}
		}
	}
	if t, is := e.Kind.timer(); is && w.running[t] == e.Start {
		delete(w.running, t)
	}
	var out []Action
	w.call, out = w.call.On(e)
	for _, a := range out {
		w.log = append(w.log, happened{action: a})
		w.take(a)
	}
}

// lose is a leg that is gone, or was released.
func (w *world) lose(id LegID, released bool) {
	delete(w.held, id)
	for r := range w.open {
		if r.leg == id {
			w.require(!released, "leg %d was released with a request that was not replied to", id)
			delete(w.open, r)
		}
	}
	for ask, leg := range w.asks {
		if leg == id {
			delete(w.asks, ask)
		}
	}
	for ask, leg := range w.owed {
		if leg == id {
			delete(w.owed, ask)
		}
	}
}

func (w *world) take(a Action) {
	if l, is := a.(OfLeg); is {
		switch a := a.(type) {
		case Release:
			w.lose(a.Leg, true)
			return
		case Dial:
			w.require(!w.held[a.Leg], "leg %d is dialled twice", a.Leg)
			w.held[a.Leg] = true
			return
		case Reply:
			w.require(w.open[request{a.Leg, a.Request}], "request %d of leg %d is replied to twice, or was never made", a.Request, a.Leg)
			delete(w.open, request{a.Leg, a.Request})
			return
		case RefuseTransfer:
			return
		case Ask:
			w.asks[a.Ask] = a.Leg
		case Confirm:
			delete(w.owed, a.Ask)
		}
		w.require(w.held[l.On()], "%s is for a leg that the call does not have", words(a))
		return
	}
	switch a := a.(type) {
	case Start:
		w.running[a.Timer] = a.Start
	case Stop:
		delete(w.running, a.Timer)
	case Next:
		w.asked++
	case Abandon:
		w.asked = 0
	case Report:
		w.tried--
		w.require(w.tried >= 0, "a trunk is reported that was not tried")
	case Give:
		w.lose(a.Leg, false)
	case End:
		w.ended++
	}
}

var session = media.NewSession(media.Audio{Formats: []media.Format{{Type: 8, Name: "PCMA"}}})

// next makes an event up: mostly one that may come now.
func (w *world) next() Event {
	r := w.r
	legs := []LegID{1, 2, 3, w.call.Leg(Near), w.call.Leg(Far), w.call.Leg(Third), w.call.Leg(Near), w.call.Leg(Far), w.call.Leg(Third)}
	e := Event{Kind: Kind(r.IntN(int(kinds))), Leg: legs[r.IntN(len(legs))], New: w.call.NewLeg(), Ways: 1 + r.IntN(2), Longest: 9, Want: Want(r.IntN(2)), Verdict: Verdict(r.IntN(6)), Own: r.IntN(8) == 0, Overlap: r.IntN(2) == 0}
	if r.IntN(3) == 0 { // the call goes on
		e.Kind = []Kind{Chosen, Chosen, Chosen, Decided, Proceeding, Alerting, Answered, Answered, Asked, Replied, Replied, Replied, Joined, NotJoined, Complete, TransferAsked, TransferAsked}[r.IntN(17)]
	}
	if due := slices.Sorted(maps.Keys(w.running)); len(due) > 0 && r.IntN(6) == 0 {
		e.Kind = DigitTimeout + Kind(due[r.IntN(len(due))])
	}
	if ends := e.Kind == Stopped || e.Kind == LongestTimeout || e.Kind == Released; ends && r.IntN(4) > 0 {
		e.Kind = Replied // let it live a while
	}
	if r.IntN(2) == 0 {
		e.Media = session
	}
	if r.IntN(10) == 0 {
		e.Unfit = "no codec is left"
	}
	if e.Kind.ofLeg() && e.Leg == 0 {
		e.Leg = 99
	}
	if !e.Kind.ofLeg() {
		e.Leg = 0
	}
	switch e.Kind {
	case Asked:
		e.Request = uint32(len(w.log) + 1)
	case Withdrawn, Confirmed:
		for q := range w.open {
			if q.leg == e.Leg {
				e.Request = max(e.Request, q.name)
			}
		}
		for _, a := range w.call.asks {
			if a.replied && r.IntN(2) == 0 {
				e.Leg, e.Request = a.from, a.request
			}
		}
	case Replied, Progress:
		if waiting := slices.Sorted(maps.Keys(w.asks)); len(waiting) > 0 && r.IntN(4) > 0 {
			e.Ask = waiting[r.IntN(len(waiting))]
			e.Leg = w.asks[e.Ask]
		}
	case TransferAsked:
		if r.IntN(2) == 0 {
			e.Call = "other"
		}
	}
	if t, is := e.Kind.timer(); is {
		e.Start = w.running[t]
	}
	return e
}

func newWorld(t *testing.T, seed uint64) *world {
	return &world{t: t, seed: seed, r: rand.New(rand.NewPCG(seed, 17)), held: map[LegID]bool{}, open: map[request]bool{}, asks: map[AskID]LegID{}, owed: map[AskID]LegID{}, running: map[Timer]uint32{}}
}

// stop ends the call, and looks whether anything is held.
func (w *world) stop() {
	w.on(Event{Kind: Stopped})
	w.require(w.call.State == Over && w.ended == 1, "it did not end once, but %d times", w.ended)
	w.require(len(w.held) == 0, "legs are held: %v", w.held)
	w.require(len(w.open) == 0, "requests wait: %v", w.open)
	w.require(len(w.running) == 0, "timers run: %v", w.running)
	w.require(w.tried == 0, "%d trunks were not reported", w.tried)
	w.require(!slices.ContainsFunc(w.call.asks[:], func(a ask) bool { return a.id != 0 }), "requests are kept")
	w.require(len(w.owed) == 0, "accepted changes were never acknowledged: %v", w.owed)
}

// Whatever happens in whatever order, nothing is held at the end: every leg was released or is
// gone, every request has its reply, no timer runs, the plan was told what came of each trunk.
func TestRandomRunsHoldNothing(t *testing.T) {
	for seed := range uint64(20_000) {
		w := newWorld(t, seed)
		w.on(Event{Kind: Offered, New: 1, Overlap: w.r.IntN(4) == 0, Media: session})
		for range 10 + w.r.IntN(60) {
			w.on(w.next())
		}
		w.stop()
	}
}

// ways lead to each state. A request of the caller waits where the call is connected.
var ways = map[State][]Event{
	Collecting:   {{Kind: Offered, New: 1, Overlap: true}, {Kind: Waiting, Wait: 9}},
	Choosing:     {{Kind: Offered, New: 1, Media: session}},
	Dialling:     {{Kind: Chosen, Ways: 2}},
	Trying:       {{Kind: Proceeding, Leg: 2}},
	Ringing:      {{Kind: Alerting, Leg: 2}},
	Connected:    {{Kind: Answered, Leg: 2}, {Kind: Asked, Leg: 1, Request: 5, Want: Inform}},
	Redirecting:  {{Kind: TransferAsked, Leg: 2}},
	Transferring: {{Kind: Chosen, Ways: 2}},
	TakingOver:   {{Kind: ReplaceAsked, Leg: 2, New: 3, Media: session}},
	Fetching:     {{Kind: TransferAsked, Leg: 2, Call: "other"}},
	Joining:      {{Kind: Joined, New: 3, Media: session}},
	Over:         {{Kind: Stopped}},
}

// before is the state from which the way to another leads.
var before = map[State]State{Dialling: Choosing, Trying: Dialling, Ringing: Trying, Connected: Ringing, Redirecting: Connected, Transferring: Redirecting, TakingOver: Connected, Fetching: Connected, Joining: Fetching, Over: Connected}

func (w *world) walkTo(s State) {
	if from, ok := before[s]; ok {
		w.walkTo(from)
	}
	for _, e := range ways[s] {
		w.on(e)
	}
	w.require(w.call.State == s, "the way to %s leads to %s", s, w.call.State)
}

// Every event in every state, of a leg in every role: what the table says is done, and nothing
// is held after it.
func TestEveryEventInEveryState(t *testing.T) {
	for s := Collecting; s < states; s++ {
		for k := range kinds {
			for role := range roles {
				if k.ofLeg() != (role != NoLeg) {
					continue
				}
				w := newWorld(t, 0)
				w.walkTo(s)
				e := Event{Kind: k, Leg: w.call.Leg(role), New: w.call.NewLeg(), Ways: 1, Media: session, Request: 8, Want: Inform}
				if role == Former {
					e.Leg = 99
				} else if k.ofLeg() && e.Leg == 0 {
					continue // the call has no such leg in this state
				}
				if timer, is := k.timer(); is {
					if e.Start = w.running[timer]; e.Start == 0 {
						require.NotEmpty(t, table[s][k][NoLeg], "%s when %s", k, s)
						continue
					}
				}
				state := w.call
				w.on(e)
				if Ignored(s, k, role) != "" {
					require.Equal(t, state, w.call, "%s of %s when %s is ignored: %s", k, role, s, Ignored(s, k, role))
				}
				if w.call.State != Over {
					w.stop()
				}
			}
		}
	}
}
