package call

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/media"
)

// script plays events and compares what is done, in words.
type script struct {
	t    *testing.T
	call Call
}

func newScript(t *testing.T) *script { return &script{t: t} }

// on gives the machine an event, and expects actions.
func (s *script) on(e Event, want ...string) {
	s.t.Helper()
	var out []Action
	s.call, out = s.call.On(e)
	var got []string
	for _, a := range out {
		if text := words(a); text != "" {
			got = append(got, text)
		}
	}
	assert.Equal(s.t, want, got, "%s of %d when %s", e.Kind, e.Leg, s.call.State)
}

// timeout lets the timer run out that runs.
func (s *script) timeout(k Kind, want ...string) {
	s.t.Helper()
	t, _ := k.timer()
	s.on(Event{Kind: k, Start: s.call.timers[t].starts}, want...)
}

// words tells an action; timers are not told here.
func words(a Action) string {
	with := func(m *media.Session) string {
		if m == nil {
			return ""
		}
		if m.Held() {
			return " with " + m.Audio().Formats[0].Name + " held"
		}
		return " with " + m.Audio().Formats[0].Name
	}
	switch a := a.(type) {
	case Start, Stop:
		return ""
	case Dial:
		return fmt.Sprintf("dial %d at %d%s", a.Leg, a.Way, with(a.Media))
	case Alert:
		if a.Ask != 0 {
			return fmt.Sprintf("progress %d of request %d", a.Leg, a.Ask)
		}
		return fmt.Sprintf("alert %d%s", a.Leg, with(a.Media))
	case Answer:
		return fmt.Sprintf("answer %d%s", a.Leg, with(a.Media))
	case Confirm:
		if a.Ask != 0 {
			return fmt.Sprintf("confirm %d ask %d%s", a.Leg, a.Ask, with(a.Media))
		}
		return fmt.Sprintf("confirm %d%s", a.Leg, with(a.Media))
	case Release:
		if a.Cause == (cause.Said{}) {
			return fmt.Sprintf("release %d", a.Leg)
		}
		return strings.TrimSuffix(fmt.Sprintf("release %d: %d %s", a.Leg, a.Cause.Q850, strings.TrimPrefix(a.Cause.Text, a.Cause.Q850.Name())), " ")
	case Ask:
		return fmt.Sprintf("ask %d ask %d%s", a.Leg, a.Ask, with(a.Media))
	case Reply:
		return fmt.Sprintf("reply %d request %d: %s%s", a.Leg, a.Request, []string{"accepted", "refused", "glare", "soon", "unheard", "ended"}[a.Verdict], with(a.Media))
	case Withdraw:
		return fmt.Sprintf("withdraw %d ask %d", a.Leg, a.Ask)
	case TransferStatus:
		return fmt.Sprintf("status %d%s", a.Leg, map[bool]string{a.Accepted: " accepted", a.Rings: " rings", a.Done: " done", a.Last && !a.Done: " failed"}[true])
	case Report:
		return "report " + string(a.Report.Kind)
	case NextServer:
		return "next server after " + string(a.Report.Kind)
	case Replace:
		return fmt.Sprintf("%d is %s", a.Leg, a.Place)
	case End:
		return strings.TrimSuffix("end: "+string(a.How), ": ")
	}
	name := fmt.Sprintf("%T", a)
	return strings.ToLower(strings.TrimPrefix(name, "call."))
}

func codec(name string) *media.Session {
	return media.NewSession(media.Audio{Formats: []media.Format{{Type: map[string]int{"PCMA": 8, "G722": 9, "G729": 18}[name], Name: name}}, Direction: media.Both})
}

func held(name string) *media.Session {
	said := codec(name).Audio()
	said.Direction = media.SendOnly
	return media.NewSession(said)
}

const caller, called = LegID(1), LegID(2)

// ringing is a call that rings at leg 2.
func ringing(t *testing.T) *script {
	s := newScript(t)
	s.on(Event{Kind: Offered, New: 1, Media: codec("PCMA")}, "begin", "next")
	s.on(Event{Kind: Chosen, Ways: 1, Longest: 60}, "proceed", "dial 2 at 0 with PCMA")
	s.on(Event{Kind: Proceeding, Leg: called})
	s.on(Event{Kind: Alerting, Leg: called}, "alert 1")
	return s
}

// connected is a call between legs 1 and 2.
func connected(t *testing.T) *script {
	s := ringing(t)
	s.on(Event{Kind: Answered, Leg: called, Media: codec("PCMA")}, "report answered", "answer 1 with PCMA", "confirm 2")
	s.on(Event{Kind: Confirmed, Leg: caller})
	return s
}

func TestACall(t *testing.T) {
	s := connected(t)
	s.on(Event{Kind: Released, Leg: called, Cause: cause.Said{Q850: cause.NormalClearing}}, "release 1: 16", "end: the called party hung up")
	assert.Equal(t, Over, s.call.State)
}

// A trunk's servers are tried in turn, then the plan is asked for another trunk.
func TestFailover(t *testing.T) {
	s := newScript(t)
	s.on(Event{Kind: Offered, New: 1, Media: codec("PCMA")}, "begin", "next")
	s.on(Event{Kind: Chosen, Ways: 3}, "proceed", "dial 2 at 0 with PCMA")
	s.timeout(NoResponseTimeout, "release 2: 102", "next server after no-response", "dial 3 at 1 with PCMA")
	s.on(Event{Kind: Released, Leg: 3, Refusal: Refusal{Unreachable: true}}, "next server after unreachable", "dial 4 at 2 with PCMA")
	s.on(Event{Kind: Proceeding, Leg: 4})
	s.timeout(TryingTimeout, "release 4: 102", "report only-trying", "next")
	s.on(Event{Kind: Chosen, Ways: 2}, "proceed", "dial 5 at 0 with PCMA")
	s.on(Event{Kind: Released, Leg: 5, Cause: cause.Said{Q850: cause.UserBusy}}, "report refused", "next")
	s.on(Event{Kind: Decided, Cause: cause.Said{Q850: cause.UserBusy}}, "release 1: 17", "end")
}

// The caller hangs up as the called party answers: whichever is first, both legs end.
func TestAnAnswerCrossesTheCallersRelease(t *testing.T) {
	s := ringing(t)
	s.on(Event{Kind: Released, Leg: caller}, "report abandoned", "release 2", "end")
	s.on(Event{Kind: Answered, Leg: called}, "release 2: 16")
	s = ringing(t)
	s.on(Event{Kind: Answered, Leg: called}, "report answered", "answer 1", "confirm 2")
	s.on(Event{Kind: Released, Leg: caller}, "release 2", "end: the caller hung up")
}

// An answer that comes when its timer has run out already.
func TestALateAnswer(t *testing.T) {
	s := ringing(t)
	started := s.call.timers[RingingTimer].starts
	s.timeout(RingingTimeout, "release 2: 102", "report unanswered", "next")
	s.on(Event{Kind: Answered, Leg: called}, "release 2: 16")
	s.on(Event{Kind: RingingTimeout, Start: started})
	s.on(Event{Kind: Decided, Cause: cause.Unanswered.Say()}, "release 1: 19", "end")

	s = ringing(t)
	started = s.call.timers[RingingTimer].starts
	s.on(Event{Kind: Answered, Leg: called}, "report answered", "answer 1", "confirm 2")
	s.on(Event{Kind: RingingTimeout, Start: started}) // it had run out, and was stopped meanwhile
	assert.Equal(t, Connected, s.call.State)
}

// RFC 3261 section 13.2.2.4: without an offer the answer is in the caller's acknowledgement.
func TestALateOffer(t *testing.T) {
	s := newScript(t)
	s.on(Event{Kind: Offered, New: 1}, "begin", "next")
	s.on(Event{Kind: Chosen, Ways: 1}, "proceed", "dial 2 at 0")
	s.on(Event{Kind: Answered, Leg: called, Media: codec("PCMU")}, "report answered", "answer 1 with PCMU")
	s.on(Event{Kind: Confirmed, Leg: caller, Media: codec("PCMA")}, "confirm 2 with PCMA")
	s.on(Event{Kind: Confirmed, Leg: caller}) // once
}

// What was answered cannot be used: as good as a refusal, and the call goes on.
func TestAnAnswerThatCannotBeUsed(t *testing.T) {
	s := ringing(t)
	s.on(Event{Kind: Answered, Leg: called, Media: codec("G729"), Unfit: "no codec is left"}, "release 2: 65", "report refused", "next")
}

func TestHoldAndRetrieve(t *testing.T) {
	s := connected(t)
	s.on(Event{Kind: Asked, Leg: called, Request: 7, Media: held("PCMA")}, "ask 1 ask 1 with PCMA held")
	s.on(Event{Kind: Replied, Leg: caller, Ask: 1, Media: codec("PCMA")}, "reply 2 request 7: accepted with PCMA", "confirm 1 ask 1")
	s.on(Event{Kind: Asked, Leg: called, Request: 8}, "ask 1 ask 2")
	s.on(Event{Kind: Replied, Leg: caller, Ask: 2, Media: codec("PCMA")}, "reply 2 request 8: accepted with PCMA")
	s.on(Event{Kind: Confirmed, Leg: called, Request: 8, Media: codec("PCMA")}, "confirm 1 ask 2 with PCMA")
	s.on(Event{Kind: Replied, Leg: caller, Ask: 2}) // repeated
}

// Both sides ask at the same time (RFC 3261 section 14.1), or one twice.
func TestGlare(t *testing.T) {
	s := connected(t)
	s.on(Event{Kind: Asked, Leg: called, Request: 7, Media: held("PCMA")}, "ask 1 ask 1 with PCMA held")
	s.on(Event{Kind: Asked, Leg: caller, Request: 3, Media: held("PCMA")}, "reply 1 request 3: glare")
	s.on(Event{Kind: Asked, Leg: called, Request: 8, Media: held("PCMA")}, "reply 2 request 8: soon")
	s.on(Event{Kind: Asked, Leg: caller, Request: 4, Want: Inform}, "ask 2 ask 2") // beside the media all goes
	s.on(Event{Kind: Replied, Leg: caller, Ask: 1, Verdict: Glare}, "reply 2 request 7: glare")
	s.on(Event{Kind: Replied, Leg: called, Ask: 2}, "reply 1 request 4: accepted")
	s.on(Event{Kind: Asked, Leg: called, Request: 9, Media: held("PCMA")}, "ask 1 ask 3 with PCMA held")
	s.on(Event{Kind: Withdrawn, Leg: called, Request: 9}, "withdraw 1 ask 3")
	s.on(Event{Kind: Released, Leg: caller}, "reply 2 request 9: ended", "release 2", "end: the caller hung up")
}

func TestDigitsThatComeOneByOne(t *testing.T) {
	s := newScript(t)
	s.on(Event{Kind: Offered, New: 1, Overlap: true}, "collect")
	s.on(Event{Kind: Waiting, Wait: 4000})
	s.on(Event{Kind: Digits, Leg: caller}, "collect")
	s.on(Event{Kind: Waiting, Wait: 4000})
	s.timeout(DigitTimeout, "begin", "next")
	s.on(Event{Kind: Digits, Leg: caller})
	assert.Equal(t, "the number is complete", Ignored(Choosing, Digits, Near))
	s = newScript(t)
	s.on(Event{Kind: Offered, New: 1, Overlap: true}, "collect")
	s.on(Event{Kind: Complete}, "begin", "next")
	s = newScript(t)
	s.on(Event{Kind: Offered, New: 1, Overlap: true}, "collect")
	s.on(Event{Kind: Released, Leg: caller}, "begin", "abandon", "end")
}

// RFC 5589 section 6: the party that stays is told by a new description alone.
func TestABlindTransfer(t *testing.T) {
	s := connected(t)
	s.on(Event{Kind: Asked, Leg: called, Request: 7, Media: held("PCMA")}, "ask 1 ask 1 with PCMA held")
	s.on(Event{Kind: Replied, Leg: caller, Ask: 1, Media: codec("PCMA")}, "reply 2 request 7: accepted with PCMA", "confirm 1 ask 1")
	s.on(Event{Kind: TransferAsked, Leg: called}, "status 2 accepted", "redirect", "next")
	s.on(Event{Kind: TransferAsked, Leg: called}, "refusetransfer")
	s.on(Event{Kind: Chosen, Ways: 1}, "dial 3 at 0 with PCMA")
	s.on(Event{Kind: Alerting, Leg: 3}, "status 2 rings")
	s.on(Event{Kind: Released, Leg: called}) // it may
	s.on(Event{Kind: Answered, Leg: 3, Media: codec("PCMU")}, "report answered", "confirm 3", "3 is far", "ask 1 ask 2 with PCMU")
	s.on(Event{Kind: Replied, Leg: caller, Ask: 2, Verdict: Glare})
	s.timeout(RetryTimeout, "ask 1 ask 3 with PCMU")
	s.on(Event{Kind: Replied, Leg: caller, Ask: 3, Media: codec("PCMU")}, "confirm 1 ask 3")
	s.on(Event{Kind: Released, Leg: 3}, "release 1", "end: the transfer target hung up")
}

func TestATransferThatFails(t *testing.T) {
	begin := func() *script {
		s := connected(t)
		s.on(Event{Kind: TransferAsked, Leg: caller}, "status 1 accepted", "redirect", "next")
		s.on(Event{Kind: Chosen, Ways: 1}, "dial 3 at 0 with PCMA")
		return s
	}
	s := begin()
	s.on(Event{Kind: Released, Leg: 3, Cause: cause.Said{Q850: cause.UserBusy}}, "report refused", "next")
	s.on(Event{Kind: Decided, Cause: cause.Said{Q850: cause.UserBusy}}, "status 1 failed")
	assert.Equal(t, Connected, s.call.State, "it goes on as it was")

	s = begin()
	s.on(Event{Kind: Released, Leg: caller})
	s.on(Event{Kind: Released, Leg: 3}, "report refused", "next")
	s.on(Event{Kind: Decided}, "release 2: 16", "end: transfer target did not answer")

	s = begin()
	s.on(Event{Kind: Released, Leg: called}, "report abandoned", "release 1", "release 3", "end: the called party hung up")
}

// RFC 5589 section 7: two calls of one party become one.
func TestAnAttendedTransfer(t *testing.T) {
	s := connected(t)
	s.on(Event{Kind: TransferAsked, Leg: called, Call: "other"}, "status 2 accepted", "fetch")
	s.on(Event{Kind: Joined, New: 3, Media: codec("PCMU")}, "ask 3 ask 1 with PCMA")
	s.on(Event{Kind: Replied, Leg: 3, Ask: 1, Media: codec("PCMA")}, "confirm 3 ask 1", "3 is far", "status 2 done", "release 2: 16", "ask 1 ask 2 with PCMA")
	s.on(Event{Kind: Replied, Leg: caller, Ask: 2, Media: codec("PCMA")}, "confirm 1 ask 2")

	other := connected(t)
	other.on(Event{Kind: JoinAsked, Leg: caller, Call: "first"}, "give", "release 1: 16", "end: connected with another call")
	ringing := ringing(t)
	ringing.on(Event{Kind: JoinAsked, Leg: caller, Call: "first"}, "keepparty")

	s = connected(t)
	s.on(Event{Kind: TransferAsked, Leg: called, Call: "other"}, "status 2 accepted", "fetch")
	s.on(Event{Kind: Joined, New: 3, Unfit: "no port is left"}, "release 3: 65", "status 2 failed")
	assert.Equal(t, Connected, s.call.State, "it goes on as it was")
	s.on(Event{Kind: TransferAsked, Leg: called, Call: "other"}, "status 2 accepted", "fetch")
	s.on(Event{Kind: NotJoined}, "status 2 failed")
	s.on(Event{Kind: TransferAsked, Leg: called, Call: "other"}, "status 2 accepted", "fetch")
	s.on(Event{Kind: Released, Leg: caller}, "release 2", "end: the caller hung up")
	s.on(Event{Kind: Joined, New: 4}, "release 4: 41")
}

// RFC 3891: a call takes the place of one that rings, or that is connected.
func TestPickUpAndTakeOver(t *testing.T) {
	s := ringing(t)
	s.on(Event{Kind: ReplaceAsked, Leg: called, New: 3, Media: codec("G722")}, "release 3: 65")
	s.on(Event{Kind: ReplaceAsked, Leg: called, New: 4, Media: codec("PCMA")}, "report answered", "4 is far", "release 2: 16 Call completed elsewhere", "answer 1 with PCMA", "answer 4 with PCMA")

	s = connected(t)
	s.on(Event{Kind: ReplaceAsked, Leg: caller, New: 3, Media: codec("PCMU")}, "ask 2 ask 1 with PCMU")
	s.on(Event{Kind: Replied, Leg: called, Ask: 1, Media: codec("PCMU")}, "confirm 2 ask 1", "3 is near", "release 1: 16 Call completed elsewhere", "answer 3 with PCMU")
	s.on(Event{Kind: Released, Leg: 3}, "release 2", "end: the replacing party hung up")

	// It hangs up before it is answered: the party that was told of it is told of who was there.
	s = connected(t)
	s.on(Event{Kind: ReplaceAsked, Leg: caller, New: 3, Media: codec("PCMU")}, "ask 2 ask 1 with PCMU")
	s.on(Event{Kind: Released, Leg: 3})
	s.on(Event{Kind: Replied, Leg: called, Ask: 1, Media: codec("PCMU")}, "confirm 2 ask 1", "ask 2 ask 2 with PCMA")
}

// The switch stops, or a call lasts too long.
func TestTheSwitchEndsACall(t *testing.T) {
	connected(t).on(Event{Kind: Stopped}, "release 1: 41", "release 2: 41", "end: the switch stopped")
	connected(t).timeout(LongestTimeout, "release 1: 102", "release 2: 102", "end: max call duration reached")
	ringing(t).on(Event{Kind: Stopped}, "release 1: 38", "report abandoned", "release 2: 41", "end")
}
