package judge

import (
	"fmt"
	"net/netip"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
)

// Check is one line of what must be true before a trunk is handed over. It is
// worked out from what was seen, never typed.
type Check struct {
	What  string     `json:"what"`
	State CheckState `json:"state" enum:"proved,failed,open,unneeded"`
	Seen  string     `json:"seen" doc:"What was seen"`
	At    *time.Time `json:"at,omitempty" doc:"When, where that is known"`
	Do    string     `json:"do" doc:"What to do; empty where nothing is to be done"`
}

// CheckState is how a check stands.
type CheckState string

// The states: open is neither proved nor failed yet.
const (
	CheckProved   CheckState = "proved"
	CheckFailed   CheckState = "failed"
	CheckOpen     CheckState = "open"
	CheckUnneeded CheckState = "unneeded"
)

// Facts are what a checklist rests on.
type Facts struct {
	Trunk   plan.Trunk
	Switch  plan.Switch
	Peer    *plan.Trunk // the other side, where it is a switch of ours
	State   TrunkState
	Judged  State
	Used    []string // names of what sends calls to it
	Table   *plan.Table
	Exposed []string // outside trunks that its calls can reach
	// Calls is how many calls the switch's ports for sound carry, and Channels how
	// many all of its trunks have whose sound goes through it.
	Calls, Channels int
	// Missing are the users of accounts that have not registered, and NoSecret
	// those without a secret.
	Missing, NoSecret []string
	// Compared is in how many things both ends were compared, and Differ those in
	// which they differ.
	Compared int
	Differ   []string
	// SentOn is the name of the table that decides what it sends on.
	SentOn string
	// Certificate is what is wrong with the switch's certificate; empty if nothing.
	Certificate string
	// Now is the time at which certificates are judged.
	Now time.Time
	// Shown are the certificates that the far end's servers showed.
	Shown []Shown
}

// Checklist works out what is proved of a trunk, in the order in which one thing
// needs another.
func Checklist(f Facts) []Check {
	return []Check{
		f.address(), f.answers(), f.chain(), f.known(), f.addresses(), f.options(), f.outward(), f.inward(), f.channels(), f.ends(), f.contract(), f.callerID(), f.permission(), f.exposure(), f.calledOut(), f.calledIn(),
	}
}

func (f *Facts) claims() plan.Claims { return f.Trunk.Link.Signalling().Claims() }
func (f *Facts) remote() plan.Remote { return f.Trunk.Link.Signalling().Remote() }
func (f *Facts) registers() bool     { return f.claims().Registers }

func (f *Facts) address() Check {
	c := Check{What: "Address"}
	switch _, err := netip.ParseAddrPort(f.remote().Address); {
	case f.remote().Name != "":
		return f.name()
	case err == nil:
		c.State, c.Seen = CheckProved, f.remote().Address+", no DNS needed"
	case f.registers() && len(f.Missing) < len(f.claims().Accounts):
		c.State, c.Seen = CheckProved, "registered contact"
	default:
		c.State, c.Seen, c.Do = CheckOpen, "no registration, so no contact is known", "register the far end; the interconnect sheet has its settings"
	}
	return c
}

// name is the line of a far end that is found by its name.
func (f *Facts) name() Check {
	l := f.State.Lookup
	c := Check{What: "DNS name", At: when(l.At)}
	var list []string
	for _, t := range l.Targets {
		list = append(list, t.Address)
	}
	found := f.remote().Name + " is " + strings.Join(list, ", ")
	switch {
	case l.At.IsZero():
		c.State, c.Seen, c.Do = CheckOpen, f.remote().Name+" not resolved yet", "wait"
	case l.Err != "" && len(list) > 0:
		c.State, c.Seen, c.Do = CheckFailed, l.Err+"; the last answer is used: "+found, "check the name server"
	case l.Err != "":
		c.State, c.Seen, c.Do = CheckFailed, l.Err, "check the name with the far end, and that the name server is set and answers"
	default:
		c.State, c.Seen = CheckProved, found
	}
	return c
}

func (f *Facts) answers() Check {
	c := Check{What: "Response"}
	switch s := f.State; {
	case s.Watch.Answers:
		c.State, c.Seen, c.At = CheckProved, "answers over "+transportName(f.claims().Transport), when(s.Watch.Asked)
	case s.Watch.Misses > 0:
		c.State, c.Seen, c.At = CheckFailed, s.Watch.Evidence, when(s.Watch.Asked)
		c.Do = "check address and port, that it runs, and firewalls between"
	case !s.LastSeen.IsZero():
		c.State, c.Seen, c.At = CheckProved, "last message: "+s.LastWhat, when(s.LastSeen)
	default:
		c.State, c.Seen, c.Do = CheckOpen, "no traffic yet", "set an OPTIONS interval, or place a straight test call"
	}
	return c
}

func transportName(transport string) string {
	if transport == "" {
		return "UDP"
	}
	return strings.ToUpper(transport)
}

func (f *Facts) known() Check {
	c := Check{What: "Registration or trusted address"}
	trusted, weRegister := f.claims().Trusted, f.remote().Registers
	switch {
	case len(f.NoSecret) > 0:
		c.State, c.Seen, c.Do = CheckFailed, "no secret for "+strings.Join(f.NoSecret, ", "), "set the secret on the trunk"
	case f.registers() && len(f.Missing) == 0, weRegister && f.Judged.Word == standing.Registered:
		c.State, c.Seen = CheckProved, f.Judged.Evidence
	case f.registers():
		c.State, c.Seen, c.Do = CheckFailed, strings.Join(f.Missing, ", ")+" not registered", "compare user and secret at both ends; see failed attempts under Blocked sources"
	case weRegister:
		c.State, c.Seen, c.Do = CheckFailed, f.Judged.Cause+": "+f.Judged.Evidence, "compare user and secret with those of the far end"
	case len(trusted) > 0:
		c.State, c.Seen = CheckProved, "trusted by address: "+strings.Join(trusted, ", ")
	default:
		c.State, c.Seen, c.Do = CheckOpen, "no registration and no trusted address", "add trusted addresses or an account for inbound calls"
	}
	return c
}

// addresses tells which of the trusted addresses something came from.
func (f *Facts) addresses() Check {
	c := Check{What: "Traffic from each trusted address"}
	var silent []string
	for _, text := range f.claims().Trusted {
		trust, err := plan.ParseTrust(text)
		if err != nil { // validated
			continue
		}
		if !f.heardFrom(trust) {
			silent = append(silent, text)
		}
	}
	switch {
	case len(f.claims().Trusted) == 0:
		c.State, c.Seen = CheckUnneeded, "no trusted address"
	case len(silent) == 0:
		c.State, c.Seen = CheckProved, strings.Join(f.claims().Trusted, ", ")
	default:
		c.State, c.Seen, c.Do = CheckOpen, "no traffic yet from "+strings.Join(silent, ", "), "ask the far end for a call from each address"
	}
	return c
}

func (f *Facts) heardFrom(trust plan.Trust) bool {
	for addr := range f.State.Sources {
		if trust.Network.Contains(addr) {
			return true
		}
	}
	return false
}

func (f *Facts) options() Check {
	c := Check{What: "OPTIONS answered"}
	w := f.State.Watch
	switch {
	case f.Trunk.Link.Signalling().ProbeSeconds() == 0:
		c.State, c.Seen = CheckUnneeded, "no OPTIONS interval set"
	case w.Answers:
		c.State, c.Seen, c.At = CheckProved, fmt.Sprintf("%s after %.1f ms", w.Evidence, w.RoundMs), when(w.Asked)
	case w.Asked.IsZero():
		c.State, c.Seen = CheckOpen, "no OPTIONS sent yet"
	default:
		c.State, c.Seen, c.At, c.Do = CheckFailed, w.Evidence, when(w.Asked), "check whether it answers OPTIONS at all; if not, set no interval"
	}
	return c
}

func (f *Facts) outward() Check {
	c := Check{What: "Outbound routing"}
	if len(f.Used) == 0 {
		c.State, c.Seen, c.Do = CheckOpen, "no path and no destination uses it", "add it to a path to send calls"
		return c
	}
	c.State, c.Seen = CheckProved, strings.Join(f.Used, ", ")
	return c
}

func (f *Facts) inward() Check {
	c := Check{What: "Inbound routing table"}
	switch {
	case f.Trunk.InboundTable == "":
		c.State, c.Seen = CheckUnneeded, "no inbound calls"
	case f.Table == nil || len(f.Table.Rules) == 0:
		c.State, c.Seen, c.Do = CheckFailed, "the table has no rule, so every call is rejected", "add a rule"
	default:
		c.State, c.Seen = CheckProved, fmt.Sprintf("%s, rules: %d", f.Table.Name, len(f.Table.Rules))
	}
	return c
}

func (f *Facts) channels() Check {
	c := Check{What: "Channels"}
	n := f.Trunk.Channels
	switch {
	case f.Peer != nil && f.Peer.Channels != n:
		c.State, c.Seen = CheckFailed, fmt.Sprintf("%d here, %d at the opposite trunk", n, f.Peer.Channels)
		c.Do = "set both to the same value"
	case f.Trunk.Media.Direct():
		c.State, c.Seen = CheckProved, fmt.Sprintf("%d; direct media needs no RTP ports", n)
	case f.Trunk.FarEndSettings.Channels > 0 && n > f.Trunk.FarEndSettings.Channels:
		c.State, c.Seen = CheckFailed, fmt.Sprintf("%d, but %d ordered", n, f.Trunk.FarEndSettings.Channels)
		c.Do = "order more, or reduce channels: the far end rejects the rest"
	case f.Channels > 2*f.Calls: // a call takes a channel on each of two trunks
		c.State, c.Seen = CheckFailed, fmt.Sprintf("%d; all trunks of the switch have %d, but its RTP ports carry %d calls", n, f.Channels, f.Calls)
		c.Do = "add RTP ports to the switch"
	default:
		c.State, c.Seen = CheckProved, fmt.Sprintf("%d; the RTP ports of the switch carry %d calls", n, f.Calls)
	}
	return c
}

func (f *Facts) contract() Check {
	c := Check{What: "Number contract"}
	out := f.Trunk.Out
	switch {
	case f.Peer != nil:
		c.State, c.Seen = CheckUnneeded, "switch-to-switch link"
	case out.Called.Any():
		c.State, c.Seen = CheckProved, fmt.Sprintf("domestic %s, international %s", formOr(string(out.Called.Domestic)), formOr(string(out.Called.International)))
	case len(f.Used) == 0:
		c.State, c.Seen = CheckUnneeded, "no outbound calls"
	case out.Caller.Any():
		c.State, c.Seen = CheckProved, fmt.Sprintf("called numbers unchanged; calling: domestic %s, international %s", formOr(string(out.Caller.Domestic)), formOr(string(out.Caller.International)))
	default:
		c.State, c.Seen, c.Do = CheckOpen, "numbers are sent unchanged", "set the format that the far end accepts"
	}
	return c
}

// ends is whether both sides are set to the same.
func (f *Facts) ends() Check {
	c := Check{What: "Settings of both ends"}
	switch {
	case f.Compared == 0:
		c.State, c.Seen, c.Do = CheckOpen, "no far-end settings known", "enter the far-end settings, as from its order confirmation"
	case len(f.Differ) > 0:
		c.State, c.Seen, c.Do = CheckFailed, "different: "+strings.Join(f.Differ, ", "), "change one end; Both ends compares them"
	default:
		c.State, c.Seen = CheckProved, fmt.Sprintf("%d settings match", f.Compared)
	}
	return c
}

func (f *Facts) callerID() Check {
	c := Check{What: "Calling number format"}
	forms := f.Trunk.Out.Caller
	switch {
	case len(f.Used) == 0:
		c.State, c.Seen = CheckUnneeded, "no outbound calls"
	case f.Peer != nil:
		c.State, c.Seen = CheckUnneeded, "switch-to-switch link"
	case forms.Any():
		c.State, c.Seen = CheckProved, fmt.Sprintf("domestic %s, international %s", formOr(string(forms.Domestic)), formOr(string(forms.International)))
	case f.Trunk.In.CallerFormat == numbering.Private:
		c.State, c.Seen = CheckProved, "unchanged, extensions"
	default:
		c.State, c.Seen, c.Do = CheckOpen, "calling numbers are sent unchanged", "set the format that the far end accepts for calling numbers"
	}
	return c
}

// permission is what it may do with calls beside calling.
func (f *Facts) permission() Check {
	c := Check{What: "Forwarding and transfer", State: CheckProved}
	s := f.Trunk.Services
	switch {
	case !s.SendsOn():
		c.Seen = "none"
	case s.TrunkToTrunk:
		c.Seen = "by table " + f.SentOn + ", also trunk to trunk"
	default:
		c.Seen = "by table " + f.SentOn + ", not trunk to trunk"
	}
	return c
}

func formOr(form string) string {
	if form == "" {
		return "unchanged"
	}
	return form
}

func (f *Facts) exposure() Check {
	c := Check{What: "Exposure"}
	switch {
	case f.Trunk.InboundTable == "":
		c.State, c.Seen = CheckUnneeded, "nothing: no inbound calls"
	case len(f.Exposed) == 0:
		c.State, c.Seen = CheckProved, "no outside trunk"
	default:
		c.State, c.Seen = CheckProved, "outside trunks "+strings.Join(f.Exposed, ", ")
	}
	return c
}

func (f *Facts) calledOut() Check {
	c := Check{What: "Outbound call answered"}
	switch {
	case !f.State.LastOut.IsZero():
		c.State, c.Seen, c.At = CheckProved, fmt.Sprintf("%d answered since the start", f.State.Calls.Answered), when(f.State.LastOut)
	case len(f.Used) == 0:
		c.State, c.Seen = CheckUnneeded, "no outbound calls"
	default:
		c.State, c.Seen, c.Do = CheckOpen, "none since the start", "place a straight test call"
	}
	return c
}

func (f *Facts) calledIn() Check {
	c := Check{What: "Inbound call received"}
	switch {
	case f.Trunk.InboundTable == "":
		c.State, c.Seen = CheckUnneeded, "no inbound calls"
	case !f.State.LastIn.IsZero():
		c.State, c.Seen, c.At = CheckProved, fmt.Sprintf("%d since the start", f.State.Calls.In), when(f.State.LastIn)
	default:
		c.State, c.Seen, c.Do = CheckOpen, "none since the start", "ask the far end for a call, or place one from its stand-in"
	}
	return c
}

func when(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}

func (f *Facts) chain() Check {
	c := Check{What: "Certificate verified"}
	switch {
	case !f.remote().TLS:
		c.State, c.Seen = CheckUnneeded, "no TLS"
	case f.Certificate != "":
		c.State, c.Seen, c.Do = CheckFailed, f.Certificate, "add a certificate for "+f.Switch.ID+" to the certificate folder"
	case len(f.Shown) > 0:
		f.shown(&c)
	default:
		c.State, c.Seen, c.Do = CheckOpen, "no TLS connection yet", "place a straight test call; its trail shows certificate errors"
	}
	return c
}

// shown is what the far end's certificates say: the worst of them, else the one that
// expires first.
func (f *Facts) shown(c *Check) {
	first := f.Shown[0]
	for _, s := range f.Shown[1:] {
		if s.Err != "" || first.Err == "" && s.Until.Before(first.Until) {
			first = s
		}
	}
	c.At = when(first.At)
	switch warning := first.Warning(f.Now); {
	case first.Err != "":
		c.State, c.Seen, c.Do = CheckFailed, warning, "compare the TLS server name with the certificate, and its authority with the trusted ones"
	case warning != "":
		c.State, c.Seen, c.Do = CheckFailed, warning, "ask the far end to renew it"
	default:
		c.State, c.Seen = CheckProved, fmt.Sprintf("%s, until %s", strings.Join(first.Names, ", "), first.Until.Format(time.DateOnly))
	}
}
