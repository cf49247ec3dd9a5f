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
	c := Check{What: "It has an address"}
	switch _, err := netip.ParseAddrPort(f.remote().Address); {
	case f.remote().Name != "":
		return f.name()
	case err == nil:
		c.State, c.Seen = CheckProved, f.remote().Address+", so no name has to resolve"
	case f.registers() && len(f.Missing) < len(f.claims().Accounts):
		c.State, c.Seen = CheckProved, "where it registered from"
	default:
		c.State, c.Seen, c.Do = CheckOpen, "it has not registered, so nobody knows where it is", "let it register, with what stands in the sheet for the other side"
	}
	return c
}

// name is the line of a far end that is found by its name.
func (f *Facts) name() Check {
	l := f.State.Lookup
	c := Check{What: "Its name leads somewhere", At: when(l.At)}
	var list []string
	for _, t := range l.Targets {
		list = append(list, t.Address)
	}
	found := f.remote().Name + " is " + strings.Join(list, ", ")
	switch {
	case l.At.IsZero():
		c.State, c.Seen, c.Do = CheckOpen, f.remote().Name+" was not looked up yet", "wait a moment"
	case l.Err != "" && len(list) > 0:
		c.State, c.Seen, c.Do = CheckFailed, l.Err+"; what it said before is used: "+found, "see what is wrong with the name server"
	case l.Err != "":
		c.State, c.Seen, c.Do = CheckFailed, l.Err, "compare the name with what the far end gave us, and see that the name server is set and answers"
	default:
		c.State, c.Seen = CheckProved, found
	}
	return c
}

func (f *Facts) answers() Check {
	c := Check{What: "Something is there"}
	switch s := f.State; {
	case s.Watch.Answers:
		c.State, c.Seen, c.At = CheckProved, "it answers by "+transportName(f.claims().Transport), when(s.Watch.Asked)
	case s.Watch.Misses > 0:
		c.State, c.Seen, c.At = CheckFailed, s.Watch.Evidence, when(s.Watch.Asked)
		c.Do = "see that its address and port are right, that it runs, and that nothing between holds messages back"
	case !s.LastSeen.IsZero():
		c.State, c.Seen, c.At = CheckProved, "it sent "+s.LastWhat, when(s.LastSeen)
	default:
		c.State, c.Seen, c.Do = CheckOpen, "nothing was heard from it yet", "let it be asked by OPTIONS, or place a straight test call"
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
	c := Check{What: "It is registered, or trusted"}
	trusted, weRegister := f.claims().Trusted, f.remote().Registers
	switch {
	case len(f.NoSecret) > 0:
		c.State, c.Seen, c.Do = CheckFailed, "no secret is set for "+strings.Join(f.NoSecret, ", "), "set it on the trunk's panel"
	case f.registers() && len(f.Missing) == 0, weRegister && f.Judged.Word == standing.Registered:
		c.State, c.Seen = CheckProved, f.Judged.Evidence
	case f.registers():
		c.State, c.Seen, c.Do = CheckFailed, strings.Join(f.Missing, ", ")+" has not registered", "compare user and secret at both ends; Gate shows who fails"
	case weRegister:
		c.State, c.Seen, c.Do = CheckFailed, f.Judged.Cause+": "+f.Judged.Evidence, "compare user and secret with what the far end gave us"
	case len(trusted) > 0:
		c.State, c.Seen = CheckProved, "trusted by address: "+strings.Join(trusted, ", ")
	default:
		c.State, c.Seen, c.Do = CheckOpen, "nobody registers, and no address is trusted", "name its addresses, or give it an account, if it is to call in"
	}
	return c
}

// addresses tells which of the trusted addresses something came from.
func (f *Facts) addresses() Check {
	c := Check{What: "Each of its addresses was heard from"}
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
		c.State, c.Seen = CheckUnneeded, "no address is trusted"
	case len(silent) == 0:
		c.State, c.Seen = CheckProved, strings.Join(f.claims().Trusted, ", ")
	default:
		c.State, c.Seen, c.Do = CheckOpen, "nothing came yet from "+strings.Join(silent, ", "), "ask the far end for a call from each"
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
	c := Check{What: "It answers OPTIONS"}
	w := f.State.Watch
	switch {
	case f.Trunk.Link.Signalling().ProbeSeconds() == 0:
		c.State, c.Seen = CheckUnneeded, "it is not asked"
	case w.Answers:
		c.State, c.Seen, c.At = CheckProved, fmt.Sprintf("%s after %.1f ms", w.Evidence, w.RoundMs), when(w.Asked)
	case w.Asked.IsZero():
		c.State, c.Seen = CheckOpen, "it was not asked yet"
	default:
		c.State, c.Seen, c.At, c.Do = CheckFailed, w.Evidence, when(w.Asked), "see whether it answers OPTIONS at all; if it never does, do not ask"
	}
	return c
}

func (f *Facts) outward() Check {
	c := Check{What: "From us to them: something sends calls to it"}
	if len(f.Used) == 0 {
		c.State, c.Seen, c.Do = CheckOpen, "no path and no destination names it", "put it into a path, if calls are to leave by it"
		return c
	}
	c.State, c.Seen = CheckProved, strings.Join(f.Used, ", ")
	return c
}

func (f *Facts) inward() Check {
	c := Check{What: "From them to us: its calls enter a table"}
	switch {
	case f.Trunk.InboundTable == "":
		c.State, c.Seen = CheckUnneeded, "it may not call in"
	case f.Table == nil || len(f.Table.Rules) == 0:
		c.State, c.Seen, c.Do = CheckFailed, "the table has no rule, so every call is refused", "add a rule"
	default:
		c.State, c.Seen = CheckProved, fmt.Sprintf("%s, rules: %d", f.Table.Name, len(f.Table.Rules))
	}
	return c
}

func (f *Facts) channels() Check {
	c := Check{What: "Channels fit"}
	n := f.Trunk.Channels
	switch {
	case f.Peer != nil && f.Peer.Channels != n:
		c.State, c.Seen = CheckFailed, fmt.Sprintf("%d here, %d on the other side", n, f.Peer.Channels)
		c.Do = "give both sides the same"
	case f.Trunk.Media.Direct():
		c.State, c.Seen = CheckProved, fmt.Sprintf("%d; the sound goes past the switch and takes no port", n)
	case f.Trunk.FarEndSettings.Channels > 0 && n > f.Trunk.FarEndSettings.Channels:
		c.State, c.Seen = CheckFailed, fmt.Sprintf("%d, and %d are bought", n, f.Trunk.FarEndSettings.Channels)
		c.Do = "buy more, or set channels to what was bought: the far end refuses the rest"
	case f.Channels > 2*f.Calls: // a call takes a channel on each of two trunks
		c.State, c.Seen = CheckFailed, fmt.Sprintf("%d; all trunks of the switch have %d, and its ports for sound carry %d calls", n, f.Channels, f.Calls)
		c.Do = "give the switch more ports for sound"
	default:
		c.State, c.Seen = CheckProved, fmt.Sprintf("%d; the switch's ports for sound carry %d calls", n, f.Calls)
	}
	return c
}

func (f *Facts) contract() Check {
	c := Check{What: "The number contract is written"}
	out := f.Trunk.Out
	switch {
	case f.Peer != nil:
		c.State, c.Seen = CheckUnneeded, "both ends are ours"
	case out.Called.Any():
		c.State, c.Seen = CheckProved, fmt.Sprintf("home numbers %s, foreign %s", formOr(string(out.Called.Domestic)), formOr(string(out.Called.International)))
	case len(f.Used) == 0:
		c.State, c.Seen = CheckUnneeded, "no call leaves by it"
	case out.Caller.Any():
		c.State, c.Seen = CheckProved, fmt.Sprintf("called numbers as they are; callers: home %s, foreign %s", formOr(string(out.Caller.Domestic)), formOr(string(out.Caller.International)))
	default:
		c.State, c.Seen, c.Do = CheckOpen, "numbers leave as they are", "say in which form the far end wants them, so that none leaves otherwise"
	}
	return c
}

// ends is whether both sides are set to the same.
func (f *Facts) ends() Check {
	c := Check{What: "Both ends agree"}
	switch {
	case f.Compared == 0:
		c.State, c.Seen, c.Do = CheckOpen, "nothing is known of the other side", "write down what it says of itself, as from its welcome letter"
	case len(f.Differ) > 0:
		c.State, c.Seen, c.Do = CheckFailed, "they differ in: "+strings.Join(f.Differ, ", "), "mend one side; Two ends shows both"
	default:
		c.State, c.Seen = CheckProved, fmt.Sprintf("in all %d things that are known of the other side", f.Compared)
	}
	return c
}

func (f *Facts) callerID() Check {
	c := Check{What: "The caller ID has a form"}
	forms := f.Trunk.Out.Caller
	switch {
	case len(f.Used) == 0:
		c.State, c.Seen = CheckUnneeded, "no call leaves by it"
	case f.Peer != nil:
		c.State, c.Seen = CheckUnneeded, "both ends are ours"
	case forms.Any():
		c.State, c.Seen = CheckProved, fmt.Sprintf("home numbers %s, foreign %s", formOr(string(forms.Domestic)), formOr(string(forms.International)))
	case f.Trunk.In.CallerFormat == numbering.Private:
		c.State, c.Seen = CheckProved, "callers as they are, to a phone system of extensions"
	default:
		c.State, c.Seen, c.Do = CheckOpen, "callers leave as they are", "say in which form the far end shows callers, so that none is replaced or refused"
	}
	return c
}

// permission is what it may do with calls beside calling.
func (f *Facts) permission() Check {
	c := Check{What: "What it may send on", State: CheckProved}
	s := f.Trunk.Services
	switch {
	case !s.SendsOn():
		c.Seen = "nothing: it may neither divert nor transfer"
	case s.TrunkToTrunk:
		c.Seen = "calls, by table " + f.SentOn + ", and two outside parties to each other, at our cost"
	default:
		c.Seen = "calls, by table " + f.SentOn + ", but not two outside parties to each other"
	}
	return c
}

func formOr(form string) string {
	if form == "" {
		return "as they are"
	}
	return form
}

func (f *Facts) exposure() Check {
	c := Check{What: "Who gets in here reaches"}
	switch {
	case f.Trunk.InboundTable == "":
		c.State, c.Seen = CheckUnneeded, "nothing: it may not call in"
	case len(f.Exposed) == 0:
		c.State, c.Seen = CheckProved, "no outside trunk"
	default:
		c.State, c.Seen = CheckProved, "the outside trunks "+strings.Join(f.Exposed, ", ")
	}
	return c
}

func (f *Facts) calledOut() Check {
	c := Check{What: "A call from us to them was answered"}
	switch {
	case !f.State.LastOut.IsZero():
		c.State, c.Seen, c.At = CheckProved, fmt.Sprintf("%d answered since the start", f.State.Calls.Answered), when(f.State.LastOut)
	case len(f.Used) == 0:
		c.State, c.Seen = CheckUnneeded, "nothing sends calls to it"
	default:
		c.State, c.Seen, c.Do = CheckOpen, "none since the start", "place a straight test call"
	}
	return c
}

func (f *Facts) calledIn() Check {
	c := Check{What: "A call from them to us came in"}
	switch {
	case f.Trunk.InboundTable == "":
		c.State, c.Seen = CheckUnneeded, "it may not call in"
	case !f.State.LastIn.IsZero():
		c.State, c.Seen, c.At = CheckProved, fmt.Sprintf("%d since the start", f.State.Calls.In), when(f.State.LastIn)
	default:
		c.State, c.Seen, c.Do = CheckOpen, "none since the start", "ask the far end for a call, or try one from its stand-in"
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
	c := Check{What: "Certificates are believed"}
	switch {
	case !f.remote().TLS:
		c.State, c.Seen = CheckUnneeded, "it is not called over TLS"
	case f.Certificate != "":
		c.State, c.Seen, c.Do = CheckFailed, f.Certificate, "put a certificate for "+f.Switch.ID+" into the folder for certificates"
	case len(f.Shown) > 0:
		f.shown(&c)
	default:
		c.State, c.Seen, c.Do = CheckOpen, "no connection over TLS stood yet", "place a straight test call: its trail says what is wrong with the certificate"
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
		c.State, c.Seen, c.Do = CheckFailed, warning, "compare the name on their certificate with what it shows, and its authority with those that are believed here"
	case warning != "":
		c.State, c.Seen, c.Do = CheckFailed, warning, "let the far end renew it, before its calls end"
	default:
		c.State, c.Seen = CheckProved, fmt.Sprintf("%s, until %s", strings.Join(first.Names, ", "), first.Until.Format(time.DateOnly))
	}
}
