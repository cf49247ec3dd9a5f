package sip_test

import (
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/livetest"
)

// A call from an address of a carrier that nobody trusts is on the list of strangers, with
// the trunk that it most likely belongs to, whatever the switch answers.
func TestACallFromAnAddressThatIsNotAllowedIsListed(t *testing.T) {
	for unknown, answer := range map[string]string{"": "nothing", plan.UnknownForbid: "403", plan.UnknownChallenge: "401"} {
		t.Run("answered with "+answer, func(t *testing.T) {
			f := start(t, func(p *plan.Plan) { p.Switches[0].UnknownSources.Policy = unknown })
			stranger := livetest.NewPeer(t, "127.0.30.77:5060")
			text := strings.NewReplacer("127.1.20.1", "127.1.30.77", "sip:2001@", "sip:+442079460850@").Replace(request("INVITE", "+441914980150", "s1", "", "s1", offer, "User-Agent: Carrier 1"))
			for range 2 {
				stranger.Send(text)
			}
			var list []live.Stranger
			require.Eventually(t, func() bool {
				list, _ = f.Strangers.List(time.Time{}, 10)
				return len(list) == 1 && list[0].Count >= 1
			}, 10*time.Second, 5*time.Millisecond)
			one := list[0]
			assert.Equal(t, "127.1.30.77", one.Source)
			assert.Equal(t, answer, one.Answer)
			assert.Equal(t, []string{"INVITE", "sip:+441914980150@127.1.10.1:5060", "sip:+442079460850@127.1.30.77", "Carrier 1"}, []string{one.Method, one.Called, one.From, one.Agent})
			near, why, ok := findings.Nearest(f.Plan.Current().Snapshot.Graph, "quay", findings.Unplaced{Source: netip.MustParseAddr(one.Source), Called: digits.MustNumber("+441914980150")})
			require.True(t, ok)
			assert.Equal(t, "ostrel", near.ID)
			assert.Contains(t, why, "same network")
		})
	}
}

// What the switch itself has blocked is told at the trunk, before anything else.
func TestATrunkThatIsCutOffSaysSo(t *testing.T) {
	f := start(t, nil)
	p := f.Plan.Current().Snapshot.Plan()
	trunk := *trunkIn(&p, "quay-phones")
	now := time.Now()
	f.Gate.Block(netip.MustParsePrefix("127.1.20.0/24"), guard.Block{Since: now, Until: now.Add(time.Hour), Why: "guessing"})
	state := f.Trunks.Judge(trunk, f.Registrations, f.Gate, now)
	assert.Equal(t, standing.Failing, state.Word)
	assert.Contains(t, state.Cause, "the switch blocks 127.1.20.0/24")
	assert.Contains(t, state.Evidence, "unblock it")
	f.Gate.LetIn(netip.MustParsePrefix("127.1.20.0/24"))
	assert.NotContains(t, f.Trunks.Judge(trunk, f.Registrations, f.Gate, now).Cause, "blocked")
}
