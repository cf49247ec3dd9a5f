package machine

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Every pair of state and event is looked at; what the standards say of each is
// written here a second time, as sentences.
func TestEveryDialogStateAndEvent(t *testing.T) {
	early := map[DialogState]bool{Early: true, EarlyTheyAsked: true, EarlyWeAsked: true}
	for s := range dialogStates {
		for e := range dialogEvents {
			next, do := Dialog{s}.On(e)
			name := s.String() + " on " + e.String()
			switch {
			case s == Ended:
				assert.Equal(t, Ended, next.State, "%s: an ended dialog stays so", name)
				if e == TheyAsk || e == WeAsk {
					assert.Equal(t, RefuseGone, do, name)
				} else {
					assert.Zero(t, do, name)
				}
			case e == TheyEnd || e == Lost:
				assert.Equal(t, DialogStep{Ended, TellEnd}, DialogStep{next.State, do}, name)
			case e == WeEnd:
				assert.Equal(t, DialogStep{Ended, SendBye}, DialogStep{next.State, do}, name)
			case e == Answer:
				want := s
				if early[s] {
					want = Answered
				}
				assert.Equal(t, DialogStep{want, 0}, DialogStep{next.State, do}, name)
			case e == Acknowledged:
				want := s
				if s == Answered || s == TheyAsked {
					want = Settled
				}
				assert.Equal(t, DialogStep{want, 0}, DialogStep{next.State, do}, name)
			case e == TheyAsk || e == WeAsk:
				free := s == Early || s == Settled
				assert.Equal(t, free, do == Take, "%s: one description at a time", name)
				if !free {
					assert.Equal(t, s, next.State, "%s: a refusal changes nothing", name)
				}
				// RFC 3261 section 14.2: 491 if our own is under way, 500 if theirs is.
				if e == TheyAsk && (s == WeAsked || s == EarlyWeAsked) {
					assert.Equal(t, RefusePending, do, name)
				}
				if e == TheyAsk && (s == TheyAsked || s == EarlyTheyAsked) {
					assert.Equal(t, RefuseSoon, do, name)
				}
			case e == Done:
				want := map[DialogState]DialogState{EarlyTheyAsked: Early, EarlyWeAsked: Early, TheyAsked: Settled, WeAsked: Settled}
				if to, ok := want[s]; ok {
					assert.Equal(t, to, next.State, name)
				} else {
					assert.Equal(t, s, next.State, name)
				}
				assert.Zero(t, do, name)
			default:
				t.Errorf("%s is in no sentence", name)
			}
		}
	}
}

func TestDialogWordsAndRows(t *testing.T) {
	assert.Equal(t, "refuse with 491", RefusePending.String())
	assert.Panics(t, func() { fillDialog(dialogRow{Early, Answer, Answered, 0}, dialogRow{Early, Answer, Settled, 0}) })
}

// Source: RFC 4028 sections 7.2 and 10; the table was computed by two programs
// outside this project.
func TestSessionTimes(t *testing.T) {
	for _, c := range []struct{ expires, refresh, over int }{
		{90, 45, 60}, {100, 50, 68}, {120, 60, 88}, {180, 90, 148}, {600, 300, 568}, {1800, 900, 1768}, {3600, 1800, 3568},
	} {
		s := Session{Expires: c.expires}
		assert.Equal(t, c.refresh, s.RefreshAt(), c.expires)
		assert.Equal(t, c.over, s.OverAt(), c.expires)
	}
}

// Source: RFC 4028 section 9 and its table 2.
func TestAnswerSession(t *testing.T) {
	for _, c := range []struct {
		name     string
		ask      SessionAsk
		own      int
		want     Session
		tooSmall bool
	}{
		{"nobody wants one", SessionAsk{Supported: true}, 0, Session{}, false},
		{"they ask, we take it", SessionAsk{Supported: true, Expires: 600}, 1800, Session{600, ByCaller}, false},
		{"ours is shorter", SessionAsk{Supported: true, Expires: 3600}, 1800, Session{1800, ByCaller}, false},
		{"but not below their least", SessionAsk{Supported: true, Expires: 3600, Min: 2400}, 1800, Session{2400, ByCaller}, false},
		{"they say who refreshes", SessionAsk{Supported: true, Expires: 600, Refresher: ByAnswerer}, 0, Session{600, ByAnswerer}, false},
		{"they cannot refresh", SessionAsk{Expires: 600}, 0, Session{600, ByAnswerer}, false},
		{"they do not ask, we want one", SessionAsk{Supported: true}, 1800, Session{1800, ByCaller}, false},
		{"they know no timer", SessionAsk{}, 1800, Session{1800, ByAnswerer}, false},
		{"too small", SessionAsk{Supported: true, Expires: 60}, 1800, Session{}, true},
		{"too small from one who could not mend it", SessionAsk{Expires: 60}, 1800, Session{90, ByAnswerer}, false},
	} {
		got, tooSmall := AnswerSession(c.ask, c.own)
		assert.Equal(t, c.want, got, c.name)
		assert.Equal(t, c.tooSmall, tooSmall, c.name)
	}
}

// Source: RFC 5626 section 4.5, with its base of 30 s and limit of 1800 s.
func TestBackOff(t *testing.T) {
	for failures, most := range map[int]float64{1: 30, 2: 60, 3: 120, 6: 960, 7: 1800, 1000: 1800} {
		assert.Equal(t, most, BackOff(failures, 1), failures)
		assert.Equal(t, most/2, BackOff(failures, 0), failures)
	}
	assert.Equal(t, 300, RefreshRegistration(600))
	assert.Equal(t, 3000, RefreshRegistration(3600))
	assert.Equal(t, 1, RefreshRegistration(1))
}
