package standin

import (
	"net/netip"
	"testing"
	"time"

	"github.com/pion/sdp/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func carrier(t *testing.T) *StandIn {
	s, err := New(Config{
		ID: "ostrel", Name: "Ostrel Carrier", Address: "127.1.40.1:5060", Switch: "127.1.40.2:5060",
		Called: "+[1-9]xxxxxx.", Caller: "+44xxxxxxxxx.", CallerMayBeMissing: true,
		Directory: []Entry{
			{"+44191498080x", Behaviour{Kind: Busy}},
			{"+4419149808xx", Behaviour{Kind: Rings}},
		},
	})
	require.NoError(t, err)
	return s
}

func TestJudge(t *testing.T) {
	d := carrier(t).directory
	for _, c := range []struct {
		called, caller string
		kind           Kind
		status         int
	}{
		{"+441914980801", "+441914980101", Busy, 486}, // the first line that matches
		{"+441914980811", "+441914980101", Rings, 0},
		{"+441914980999", "+441914980101", Answers, 0},
		{"01914980801", "+441914980101", "", 404},  // not its form
		{"+441914980801", "01914980101", "", 403},  // nor the caller's
		{"+441914980999", "anonymous", Answers, 0}, // no number is allowed here
		{"nonsense", "+441914980101", "", 404},
	} {
		b, refused := d.judge(c.called, c.caller)
		assert.Equal(t, c.kind, b.Kind, c.called)
		if c.status == 0 {
			assert.Nil(t, refused, c.called)
		} else {
			assert.Equal(t, c.status, refused.status, c.called)
		}
	}
	d.callerMissing = false
	_, refused := d.judge("+441914980999", "")
	assert.Equal(t, 403, refused.status)
}

func TestEveryBehaviourHasWords(t *testing.T) {
	for _, k := range []Kind{Answers, Drops, Busy, Rings, NotAllocated, Congested, Rejects, Stalls, Silent} {
		assert.NotEqual(t, string(k), Behaviour{Kind: k}.String())
	}
}

func TestPlaceFromAStoppedStandInFailsAtOnce(t *testing.T) {
	s := carrier(t)
	_, err := s.Place(Dial{Called: "+441914980101"})
	assert.ErrorIs(t, err, ErrStopped)
	assert.EqualError(t, err, "Ostrel Carrier is stopped, so no call can leave it; start it first")
}

func TestPlaceTowardsNobodyAndHangUp(t *testing.T) {
	s := carrier(t)
	require.NoError(t, s.Start())
	require.NoError(t, s.Start(), "twice does nothing")
	defer s.Stop()
	id, err := s.Place(Dial{Called: "+441914980101", Caller: "# 1", Talk: time.Second})
	require.NoError(t, err)
	v, ok := s.Placed(id)
	require.True(t, ok)
	assert.False(t, v.Over)
	assert.Equal(t, "INVITE sent", v.Events[0].What)
	_, ok = s.Placed("unknown")
	assert.False(t, ok)
	s.HangUp("unknown")
}

// Source: github.com/pion/sdp reads what it wrote, RFC 8866.
func TestDescription(t *testing.T) {
	var d sdp.SessionDescription
	sound, err := newAudio(netip.MustParseAddr("127.1.40.1"), callerTone, calledTone, false)
	require.NoError(t, err)
	defer sound.close()
	require.NoError(t, d.Unmarshal(carrier(t).description(&endpoint{address: netip.MustParseAddrPort("127.1.40.1:5060")}, sound)))
	assert.Equal(t, sound.port(), d.MediaDescriptions[0].MediaName.Port.Value)
	assert.Equal(t, "127.1.40.1", d.ConnectionInformation.Address.Address)
	assert.Equal(t, []string{"8", "0"}, d.MediaDescriptions[0].MediaName.Formats)
}

func TestBadConfigurations(t *testing.T) {
	for _, c := range []Config{{Called: "("}, {Caller: "("}, {Directory: []Entry{{Pattern: "("}}}} {
		_, err := New(c)
		assert.ErrorContains(t, err, `pattern "("`)
	}
	_, err := NewSet([]Config{{ID: "a"}, {ID: "a"}})
	assert.ErrorContains(t, err, "two stand-ins have the id a")
	s, err := New(Config{ID: "a", Address: "nowhere"})
	require.NoError(t, err)
	assert.ErrorContains(t, s.Start(), "stand-in a")
	assert.False(t, s.Running())
}
