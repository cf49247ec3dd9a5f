package sip

import (
	"errors"
	"fmt"
	"net/netip"
	"strconv"
	"strings"
	"sync"

	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// sound is how the sound between two sides goes. Descriptions come on the call's
// goroutine and on those of its relays, so it has a lock of its own.
type sound struct {
	a   *Agent
	run *live.Running

	mu      sync.Mutex
	trunks  [2]*plan.Trunk // of the sides; nil until one is tried
	at      [2]netip.Addr  // where their signalling is
	relay   *relay.Relay   // nil until a description goes through
	through bool           // between these two trunks
	// sent is the last description that each side was given: what it answers to;
	// said is the last one of its own, as it was.
	sent [2]*media.Description
	said [2][]byte
	// theirs is the key of each side that encrypts, and ours what it is sent with.
	theirs, ours [2]*media.Key
}

// newSound is that of a side whose other side is not known yet.
func newSound(a *Agent, run *live.Running, side relay.Side, trunk *plan.Trunk, at netip.Addr) *sound {
	s := &sound{a: a, run: run}
	s.trunks[side], s.at[side] = trunk, at
	return s
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

// begin prepares for a side to be on a trunk, and gives the description that it is
// offered for the other side's. The error is what stands in its way.
func (s *sound) begin(side relay.Side, trunk *plan.Trunk, at netip.Addr, body []byte) (offer []byte, skip trail.Skip, err error) {
	s.mu.Lock()
	s.trunks[side], s.at[side] = trunk, at
	caller, called := s.trunks[relay.Caller].Media, s.trunks[relay.Called].Media
	s.through = !caller.Direct() && !called.Direct() || caller.Encrypts() || called.Encrypts()
	s.sent = [2]*media.Description{}
	if s.relay != nil {
		s.relay.Nobody(side)
	}
	s.mu.Unlock()
	if offer, err = s.describe(side, body, false); err != nil {
		skip = trail.SkipPorts
		if errors.Is(err, media.ErrNothingLeft) {
			skip = trail.SkipCodec
		}
	}
	return offer, skip, err
}

// describe makes of one side's description what the other is given: of what both
// trunks let pass, and with our address where the sound goes through us. answer
// says that it answers what that side was given.
func (s *sound) describe(to relay.Side, body []byte, answer bool) ([]byte, error) {
	s.mu.Lock()
	defer s.mu.Unlock()
	if len(body) == 0 {
		return body, nil
	}
	s.said[to.Other()] = body
	if !s.through && s.asItIs() {
		return body, nil
	}
	d, err := media.Read(body)
	if err != nil {
		return nil, fmt.Errorf("the description cannot be read: %w", err)
	}
	if err := s.takeKey(to.Other(), d); err != nil {
		return nil, err
	}
	if err := s.keep(d); err != nil {
		return nil, err
	}
	if offer := s.sent[to.Other()]; answer && offer != nil {
		if err := d.Fits(offer); err != nil {
			return nil, err
		}
	}
	s.giveKey(to, d, answer)
	if s.through && d.Audio() {
		if err := s.route(to, d); err != nil {
			return nil, err
		}
	}
	s.sent[to] = d
	return d.Bytes(), nil
}

// keep leaves of a description what both trunks let pass.
func (s *sound) keep(d *media.Description) error {
	return d.Keep(rulesOf(s.trunks[relay.Caller].Media), rulesOf(s.trunks[relay.Called].Media))
}

// asItIs tells whether both trunks let every description pass.
func (s *sound) asItIs() bool {
	return s.trunks[relay.Caller].Media.LetsAllPass() && s.trunks[relay.Called].Media.LetsAllPass()
}

// route makes the sound of a side come through us on its way to the other; the lock
// is held.
func (s *sound) route(to relay.Side, d *media.Description) error {
	if s.relay == nil {
		ports := s.a.portsOf(s.run)
		if ports == nil {
			return errors.New("the switch has no address for sound")
		}
		var err error
		if s.relay, err = ports.Open(); err != nil {
			return err
		}
	}
	if err := s.exchangeKeys(); err != nil {
		return err
	}
	if at, ok := d.Address(); ok && !at.Addr().IsUnspecified() { // 0.0.0.0 is a hold (RFC 3264 section 8.4)
		s.relay.Hears(to.Other(), at, d.ControlPort(), s.at[to.Other()], clockOf(d))
	}
	at := s.relay.At(to)
	d.Through(netip.AddrPortFrom(s.trunks[to].SIP.SeenAs(at).Addr(), at.Port()))
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
func (s *sound) bodyFor(toward relay.Side, from *wire.Message, answer bool) (kind string, body []byte, err error) {
	kind = bodyKind(from)
	if !strings.EqualFold(kind, sdpType) || !s.between() {
		return kind, from.Body, nil
	}
	body, err = s.describe(toward, from.Body, answer)
	return kind, body, err
}

// between tells whether both sides are known.
func (s *sound) between() bool {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.trunks[relay.Caller] != nil && s.trunks[relay.Called] != nil
}

// bodyKind is the type of a message's body; a description where none is said.
func bodyKind(m *wire.Message) string {
	if kind := m.Get("Content-Type"); kind != "" {
		return kind
	}
	return sdpType
}

const sdpType = "application/sdp"

// answerFits tells whether the description with which a side answers can be passed
// on, before the call is answered by it.
func (s *sound) answerFits(side relay.Side, res *wire.Message) error {
	s.mu.Lock()
	defer s.mu.Unlock()
	offer := s.sent[side]
	if len(res.Body) == 0 || offer == nil {
		return nil
	}
	d, err := media.Read(res.Body)
	if err != nil {
		return nil //nolint:nilerr // as in describe
	}
	if s.trunks[side].Media.Encrypts() {
		_, err = d.Key()
	}
	return errors.Join(err, s.keep(d), d.Fits(offer))
}

// of is the last description of a side, as it was.
func (s *sound) of(side relay.Side) []byte {
	s.mu.Lock()
	defer s.mu.Unlock()
	return s.said[side]
}

// close gives the ports back, and tells what was heard of each side; ok is false if
// the sound went past us.
func (s *sound) close() (heard [2]relay.Heard, ok bool) {
	s.mu.Lock()
	r := s.relay
	s.relay, s.through = nil, false
	s.mu.Unlock()
	if r == nil {
		return heard, false
	}
	heard = [2]relay.Heard{r.Heard(relay.Caller), r.Heard(relay.Called)}
	r.Close()
	return heard, true
}

// endSound notes on the legs of both sides what was heard of them, and gives the
// ports back.
func (c *call) endSound() {
	s := c.sound.Load()
	if s == nil {
		return // a straight call has its own ear
	}
	heard, ok := s.close()
	if !ok || len(c.rec.Legs) < 2 {
		return
	}
	c.lastLeg() // made anew: records that were handed on share the older ones
	for side, leg := range c.legs {
		c.rec.Legs[leg].Media = withHeard(c.rec.Legs[leg].Media, heard[side])
	}
}

// withHeard is a leg's media with what was heard of it.
func withHeard(m *record.Audio, h relay.Heard) *record.Audio {
	if m == nil {
		m = &record.Audio{}
	}
	out := *m
	out.Heard = &record.Reception{Packets: h.Packets, Lost: h.Loss.Lost, JitterMS: float64(h.Jitter.Microseconds()) / 1000, Spoiled: h.Spoiled, Elsewhere: h.Elsewhere}
	return &out
}

// nothingLeft is how a far end's answer is told that cannot be passed on.
func nothingLeft(err error) string { return fmt.Sprintf("what it answered cannot be used: %s", err) }
