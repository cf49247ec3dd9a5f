package call

import (
	"errors"
	"fmt"
	"net/netip"
	"slices"
	"strconv"
	"strings"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live"
	relay "switchback.example/switchback/internal/live/media"
)

// mediaPath is how the media go between two sides: through the switch, or direct. The call's owner alone uses it.
type mediaPath struct {
	ctl *Control
	run *live.Running

	trunks  [2]*plan.Trunk    // of the sides; nil until one is tried
	at      [2]netip.Addr     // where their signalling is
	ends    [2]relay.Endpoint // of sides that carry their audio themselves; nil for RTP
	carries [2]bool           // such sides, before their leg is there
	relay   *relay.Relay      // nil until a description goes through
	through bool              // between these two trunks
	// sent is the last description that each side was given: what it answers to.
	sent [2]*media.Description
	// theirs is the key of each side that encrypts, and ours what it is sent with.
	theirs, ours [2]*media.Key
}

// newPath is that of a side whose other side is not known yet.
func newPath(ctl *Control, run *live.Running, side relay.Side, trunk *plan.Trunk, at netip.Addr) *mediaPath {
	s := &mediaPath{ctl: ctl, run: run}
	s.trunks[side], s.at[side] = trunk, at
	return s
}

// hostOf is the address of the switch by a plan, at which test calls and its own tones are heard.
func (ctl *Control) hostOf(run *live.Running) string {
	if sw := run.Snapshot.Switches[ctl.Switch]; sw != nil {
		return sw.Address
	}
	return ""
}

// portsOf are the switch's RTP ports, as the live plan has them. Calls keep
// those that they have.
func (ctl *Control) portsOf(run *live.Running) *relay.Ports {
	sw, _ := run.Snapshot.Switch(ctl.Switch)
	host, first, last, ok := sw.MediaPorts()
	if !ok {
		return nil
	}
	ctl.mu.Lock()
	defer ctl.mu.Unlock()
	if wanted := [3]any{host, first, last}; ctl.ports == nil || ctl.portsAre != wanted {
		ctl.ports, ctl.portsAre = relay.NewPorts(host, first, last), wanted
	}
	return ctl.ports
}

// Ports is how many RTP ports the switch uses, of how many that it has.
func (ctl *Control) Ports() relay.Use {
	run := ctl.Plan.Current()
	if run == nil {
		return relay.Use{}
	}
	ports := ctl.portsOf(run)
	if ports == nil {
		return relay.Use{}
	}
	return ports.Use()
}

// RulesOf are what a trunk lets pass of a description.
func RulesOf(m plan.Media) media.Rules {
	return media.Rules{
		Codecs: m.Codecs, NoComfortNoise: m.ComfortNoise == plan.MediaRemove, NoEvents: m.TelephoneEvents == plan.MediaRemove, PacketMS: m.PtimeMs,
	}
}

// begin prepares for a side to be on a trunk, and gives the description that it is
// offered for the other side's. The error is what stands in its way.
func (s *mediaPath) begin(side relay.Side, trunk *plan.Trunk, at netip.Addr, body []byte) (offer []byte, skip trail.Skip, err error) {
	s.trunks[side], s.at[side] = trunk, at
	caller, called := s.trunks[relay.Caller].Media, s.trunks[relay.Called].Media
	s.through = !caller.Direct() && !called.Direct() || caller.Encrypts() || called.Encrypts() || s.carries != [2]bool{}
	s.sent = [2]*media.Description{}
	if s.relay != nil {
		s.relay.Nobody(side)
	}
	if offer, err = s.describe(side, body, false); err != nil {
		skip = trail.SkipPorts
		if errors.Is(err, media.ErrNothingLeft) {
			skip = trail.SkipCodec
		}
	}
	return offer, skip, err
}

// describe makes of one side's description what the other is given: of what both
// trunks let pass, and with our address where the media go through us. answer
// says that it answers what that side was given.
func (s *mediaPath) describe(to relay.Side, body []byte, answer bool) ([]byte, error) {
	if len(body) == 0 {
		return body, nil
	}
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
func (s *mediaPath) keep(d *media.Description) error {
	return d.Keep(RulesOf(s.trunks[relay.Caller].Media), RulesOf(s.trunks[relay.Called].Media))
}

// asItIs tells whether both trunks let every description pass.
func (s *mediaPath) asItIs() bool {
	return s.trunks[relay.Caller].Media.LetsAllPass() && s.trunks[relay.Called].Media.LetsAllPass()
}

// route has the media of a side come through us on their way to the other.
func (s *mediaPath) route(to relay.Side, d *media.Description) error {
	if s.relay == nil {
		ports := s.ctl.portsOf(s.run)
		if ports == nil {
			return errors.New("the switch has no media address")
		}
		var err error
		if s.relay, err = ports.Open(); err != nil {
			return err
		}
	}
	s.connect()
	if err := s.exchangeKeys(); err != nil {
		return err
	}
	if at, ok := d.Address(); ok && !at.Addr().IsUnspecified() { // 0.0.0.0 is a hold (RFC 3264 section 8.4)
		s.relay.Hears(to.Other(), at, d.ControlPort(), s.at[to.Other()], clockOf(d))
	}
	at := s.relay.At(to)
	d.Through(netip.AddrPortFrom(s.seenAs(to, at), at.Port()))
	return nil
}

// seenAs is where a side sees an address of ours.
func (s *mediaPath) seenAs(side relay.Side, at netip.AddrPort) netip.Addr {
	if c := s.ctl.carrierOf(s.trunks[side]); c != nil {
		at = c.SeenAs(s.trunks[side], at)
	}
	return at.Addr()
}

// clockOf is the clock of a description's first format, in Hz.
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

// fits tells whether what a side on a trunk says can be passed on to the other side, without
// passing it on. answer says that it answers what that side was given.
func (s *mediaPath) fits(side relay.Side, trunk *plan.Trunk, body []byte, answer bool) error {
	other := s.trunks[side.Other()]
	if len(body) == 0 || other == nil || !s.through && trunk.Media.LetsAllPass() && other.Media.LetsAllPass() {
		return nil
	}
	d, err := media.Read(body)
	if err != nil {
		if answer {
			return nil //nolint:nilerr // of an answer that cannot be read nothing is passed on
		}
		return fmt.Errorf("the description cannot be read: %w", err)
	}
	if trunk.Media.Encrypts() && d.Audio() {
		_, err = d.Key()
	}
	err = errors.Join(err, d.Keep(RulesOf(trunk.Media), RulesOf(other.Media)))
	if offer := s.sent[side]; answer && offer != nil {
		err = errors.Join(err, d.Fits(offer))
	}
	return err
}

// close gives the ports back, and tells what was heard of each side; ok is false if
// the media went past us.
func (s *mediaPath) close() (heard [2]relay.Heard, ok bool) {
	r := s.relay
	s.relay, s.through = nil, false
	if r == nil {
		return heard, false
	}
	heard = [2]relay.Heard{r.Heard(relay.Caller), r.Heard(relay.Called)}
	r.Close()
	return heard, true
}

// closePath notes on the legs of both sides what was heard of them, and gives the
// ports back.
func (c *Call) closePath() {
	if c.path == nil {
		return // the switch itself is one of them
	}
	heard, ok := c.path.close()
	if !ok || len(c.rec.Legs) < 2 {
		return
	}
	c.rec.Legs = slices.Clone(c.rec.Legs) // records that were handed on share the older ones
	for side, leg := range c.legs {
		c.rec.Legs[leg].Media = withHeard(c.rec.Legs[leg].Media, heard[side])
	}
}

// pathWith is the path between a party and another one that is not known yet.
func (c *Call) pathWith(side relay.Side) *mediaPath {
	p := c.at(side)
	s := newPath(c.ctl, c.run, side, p.trunk, p.at)
	s.endsAt(side, p.leg)
	return s
}

// endsAt notes whether a leg carries its audio itself.
func (s *mediaPath) endsAt(side relay.Side, l Leg) {
	s.ends[side] = endpointOf(l)
	s.carries[side] = s.ends[side] != nil
	s.connect()
}

// connect has the relay know the sides that are no RTP, once there is one.
func (s *mediaPath) connect() {
	for side, e := range s.ends {
		if e != nil && s.relay != nil {
			s.relay.Connect(relay.Side(side), e)
		}
	}
}

// endpointOf is where a leg carries its audio itself; nil where it does not.
func endpointOf(l Leg) relay.Endpoint {
	if e, is := l.(interface{ Endpoint() relay.Endpoint }); is {
		return e.Endpoint()
	}
	return nil
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

// readSession is a session of the same party as another, as it is passed on.
func readSession(of *media.Session, passed []byte) *media.Session {
	if of != nil && string(passed) == string(of.Description()) {
		return of
	}
	return media.ReadSession(passed)
}

// pathOf is the path that a leg's media take: the one that is being made for a third leg, and
// for what the switch itself asks on its behalf.
func (c *Call) pathOf(p *party, own bool) *mediaPath {
	if c.next != nil && (own || p != c.at(p.side)) {
		return c.next
	}
	return c.path
}

// prepare looks whether the media of an event can be passed on, before the machine takes it.
func (c *Call) prepare(e *core.Event) {
	p := c.parties.of(e.Leg)
	if p == nil {
		return
	}
	if e.Kind == core.ReplaceAsked {
		c.prepareReplace(e)
		return
	}
	if e.Kind == core.Alerting || e.Kind == core.Progress || e.Kind == core.Answered {
		c.heardOf(p, e)
	}
	own := slices.Contains(c.ownAsks, e.Ask) && e.Kind == core.Replied
	s := c.pathOf(p, own)
	if e.Media == nil || s == nil {
		return
	}
	switch {
	case e.Kind == core.Answered:
		if err := s.fits(p.side, p.trunk, e.Media.Description(), true); err != nil {
			e.Unfit = nothingLeft(err)
		}
	case e.Kind == core.Asked && e.Want == core.Change:
		if err := s.fits(p.side, p.trunk, e.Media.Description(), false); err != nil {
			e.Unfit = err.Error()
		}
	case own && e.Verdict == core.Accepted:
		// Nobody is told what it answered but the relay, where nobody waits for it.
		if _, err := s.describe(p.side.Other(), e.Media.Description(), true); err != nil {
			e.Unfit = err.Error()
		}
	}
}

// described is an action with what the other party's description becomes on its way.
func (c *Call) described(p *party, a core.OfLeg) core.OfLeg {
	pass := func(m *media.Session, answer, own bool) *media.Session {
		s := c.pathOf(p, own)
		if m == nil || s == nil {
			return m
		}
		out, err := s.describe(p.side, m.Description(), answer)
		if err != nil {
			return nil // it was seen to fit before, or is left out, since what follows may have another
		}
		return readSession(m, out)
	}
	switch a := a.(type) {
	case core.Alert:
		a.Media = pass(a.Media, a.Answer, false)
		return a
	case core.Answer:
		a.Media = pass(a.Media, a.Answer, false)
		return a
	case core.Confirm:
		a.Media = pass(a.Media, true, false)
		return a
	case core.Ask:
		if a.Own {
			c.ownAsks = append(c.ownAsks[max(0, len(c.ownAsks)-core.MaxAsks):], a.Ask)
			if s := c.pathOf(p, true); s != nil && s.trunks[p.side.Other()] == nil { // who is to come is not there yet
				return a
			}
		}
		if a.Want == core.Change {
			a.Media = pass(a.Media, a.Answer, a.Own)
		}
		return a
	case core.Reply:
		if a.Want == core.Change {
			a.Media = pass(a.Media, a.Answer, false)
		}
		return a
	}
	return a
}
