package call

import (
	"sync/atomic"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/media"
	relay "switchback.example/switchback/internal/live/media"
)

// Handle is how a leg tells its call what happens to it. The call may become another one, when
// two calls are connected.
type Handle struct {
	call atomic.Pointer[Call]
	id   core.LegID // of that call's; the call alone uses it
}

// Post runs something in the order of the call's events. It may be called from anywhere, and does
// not wait.
func (h *Handle) Post(f func()) {
	for !h.call.Load().owner.postFor(h, f) { // it was handed over meanwhile
	}
}

// Tell tells what has happened. It may be called from Post and from Do alone.
func (h *Handle) Tell(e core.Event) {
	e.Leg = h.id
	h.call.Load().tell(e)
}

// Digits tells that more digits came: the number so far, as it is asked now, with the media that
// came with it.
func (h *Handle) Digits(asked decide.Call, dialled string, m *media.Session) {
	c := h.call.Load()
	c.more(asked, dialled)
	h.Tell(core.Event{Kind: core.Digits, Media: m})
}

// TransferTo tells that the leg's far end wants the other party connected with that of another
// call, with whose leg it talks too.
func (h *Handle) TransferTo(other *Handle, request core.Event) {
	h.call.Load().fetch = other
	request.Kind, request.Call = core.TransferAsked, "another"
	h.Tell(request)
}

// Named notes the name of the leg's far end (RFC 7989).
func (h *Handle) Named(name string) {
	c := h.call.Load()
	p := c.parties.of(h.id)
	if p == nil || name == "" {
		return
	}
	if p.name = name; p == c.at(relay.Called) {
		c.called = name
	}
}

// Names are those of the two ends of a leg: of the end that the switch speaks for there, and of
// its own far end.
func (h *Handle) Names() (ours, theirs string) {
	c := h.call.Load()
	switch p := c.parties.of(h.id); {
	case p != nil && p == c.at(relay.Caller):
		return c.called, c.rec.Session
	case p != nil && p.name != "":
		return c.rec.Session, p.name
	}
	return c.rec.Session, c.called
}

// ID names the call in records and logs.
func (h *Handle) ID() string { return h.call.Load().rec.ID }
