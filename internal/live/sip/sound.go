package sip

import (
	"errors"
	"fmt"
	"net/netip"
	"strconv"
	"strings"
	"sync"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// sound is how the sound of a call goes. Descriptions come on the call's goroutine
// and on those of its relays, so it has a lock of its own.
type sound struct {
	mu      sync.Mutex
	relay   *relay.Relay // nil until a description goes through
	through bool         // between the present two trunks
	// sent is the last description that each side was given: what it answers to.
	sent [2]*media.Description
}

// portsOf are the switch's ports for sound, as the live plan has them. Calls keep
// those that they have.
func (a *Agent) portsOf(run *live.Running) *relay.Ports {
	sw, _ := run.Snapshot.Switch(a.Switch)
	host, first, last, ok := sw.MediaPorts()
	if !ok {
		return nil
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	if wanted := [3]any{host, first, last}; a.ports == nil || a.portsAre != wanted {
		a.ports, a.portsAre = relay.NewPorts(host, first, last), wanted
	}
	return a.ports
}

// Ports is how many ports for sound the switch uses, of how many that it has.
func (a *Agent) Ports() relay.Use {
	run := a.Plan.Current()
	if run == nil {
		return relay.Use{}
	}
	ports := a.portsOf(run)
	if ports == nil {
		return relay.Use{}
	}
	return ports.Use()
}

// rulesOf are what a trunk lets pass of a description.
func rulesOf(m plan.Media) media.Rules {
	return media.Rules{
		Codecs: m.Codecs, NoComfortNoise: m.ComfortNoise == plan.MediaRemove, NoEvents: m.Keys == plan.MediaRemove, PacketMS: m.PacketMS,
	}
}

// side is on which side of the call a dialog is.
func (c *call) side(d *dialog) relay.Side {
	if d == c.caller {
		return relay.Caller
	}
	return relay.Called
}

// beginSound prepares for another trunk to be tried, and gives the description
// that it is offered. The error is what stands in its way.
func (c *call) beginSound(out *plan.Trunk) (offer []byte, skip decide.Skip, err error) {
	s := &c.sound
	s.mu.Lock()
	s.through = !c.trunk.Media.Direct() && !out.Media.Direct()
	s.sent = [2]*media.Description{}
	if s.relay != nil {
		s.relay.Nobody(relay.Called)
	}
	s.mu.Unlock()
	if offer, err = c.describe(relay.Called, c.tx.req.Body, out, false, c.tx.source.Addr()); err != nil {
		skip = decide.SkipPorts
		if errors.Is(err, media.ErrNothingLeft) {
			skip = decide.SkipCodec
		}
	}
	return offer, skip, err
}

// describe makes of one side's description what the other is given: of what both
// trunks let pass, and with our address where the sound goes through us. answer
// says that it answers what that side was given.
func (c *call) describe(to relay.Side, body []byte, out *plan.Trunk, answer bool, signalling netip.Addr) ([]byte, error) {
	s := &c.sound
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(body) == 0 || !s.through && c.asItIs(out) {
		return body, nil
	}
	d, err := media.Read(body)
	if err != nil {
		return body, nil //nolint:nilerr // whom it is for will say what it thinks of it
	}
	if err := d.Keep(rulesOf(c.trunk.Media), rulesOf(out.Media)); err != nil {
		return nil, err
	}
	if offer := s.sent[to.Other()]; answer && offer != nil {
		if err := d.Fits(offer); err != nil {
			return nil, err
		}
	}
	if s.through && d.Audio() {
		if err := c.route(to, d, signalling); err != nil {
			return nil, err
		}
	}
	s.sent[to] = d
	return d.Bytes(), nil
}

// asItIs tells whether both trunks let every description pass.
func (c *call) asItIs(out *plan.Trunk) bool {
	return c.trunk.Media.LetsAllPass() && out.Media.LetsAllPass()
}

// route makes the sound of a side come through us on its way to the other; the
// sound's lock is held.
func (c *call) route(to relay.Side, d *media.Description, signalling netip.Addr) error {
	s := &c.sound
	if s.relay == nil {
		ports := c.a.portsOf(c.run)
		if ports == nil {
			return errors.New("the switch has no address for sound")
		}
		var err error
		if s.relay, err = ports.Open(); err != nil {
			return err
		}
	}
	if at, ok := d.Address(); ok && !at.Addr().IsUnspecified() { // 0.0.0.0 is a hold (RFC 3264 section 8.4)
		s.relay.Hears(to.Other(), at, d.ControlPort(), signalling, clockOf(d))
	}
	d.Through(s.relay.At(to))
	return nil
}

// clockOf is the clock of a description's sound, in Hz.
func clockOf(d *media.Description) int {
	for _, f := range d.Formats() {
		_, rate, _ := strings.Cut(f.Name, "/")
		rate, _, _ = strings.Cut(rate, "/")
		if n, err := strconv.Atoi(rate); err == nil {
			return n
		}
	}
	return 0
}

// bodyFor is the body of a message of one side as the other is given it, with its
// type: a description as describe makes it, anything else as it is.
func (c *call) bodyFor(toward relay.Side, from *wire.Message, answer bool) (kind string, body []byte, err error) {
	kind = bodyKind(from)
	if !strings.EqualFold(kind, sdpType) || c.out == nil {
		return kind, from.Body, nil
	}
	signalling := c.tx.source.Addr()
	if toward == relay.Caller {
		signalling = c.far
	}
	body, err = c.describe(toward, from.Body, c.out, answer, signalling)
	return kind, body, err
}

// bodyKind is the type of a message's body; a description where none is said.
func bodyKind(m *wire.Message) string {
	if kind := m.Get("Content-Type"); kind != "" {
		return kind
	}
	return sdpType
}

const sdpType = "application/sdp"

// answerFits tells whether the description of an answer can be passed on, before
// the call is answered by it.
func (c *call) answerFits(res *wire.Message) error {
	offer := c.sound.offered()
	if len(res.Body) == 0 || offer == nil {
		return nil
	}
	d, err := media.Read(res.Body)
	if err != nil {
		return nil //nolint:nilerr // as in describe
	}
	return errors.Join(d.Keep(rulesOf(c.trunk.Media), rulesOf(c.out.Media)), d.Fits(offer))
}

// offered is what the called side was offered; nil if nothing was.
func (s *sound) offered() *media.Description {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.sent[relay.Called]
}

// endSound notes what was heard of each side, and gives the ports back.
func (c *call) endSound() {
	s := &c.sound
	s.mu.Lock()
	r := s.relay
	s.relay, s.through = nil, false
	s.mu.Unlock()
	if r == nil {
		return
	}
	caller, called := r.Heard(relay.Caller), r.Heard(relay.Called)
	r.Close()
	if n := len(c.rec.Legs); n > 1 {
		c.lastLeg() // made anew: records that were handed on share the older ones
		c.rec.Legs[0].Media = withHeard(c.rec.Legs[0].Media, caller)
		c.rec.Legs[n-1].Media = withHeard(c.rec.Legs[n-1].Media, called)
	}
}

// withHeard is a leg's media with what was heard of it.
func withHeard(m *record.Audio, h relay.Heard) *record.Audio {
	if m == nil {
		m = &record.Audio{}
	}
	out := *m
	out.Heard = &record.Reception{Packets: h.Packets, Lost: h.Loss.Lost, JitterMS: float64(h.Jitter.Microseconds()) / 1000, Elsewhere: h.Elsewhere}
	return &out
}

// nothingLeft is how a far end's answer is told that cannot be passed on.
func nothingLeft(err error) string { return fmt.Sprintf("what it answered cannot be used: %s", err) }
