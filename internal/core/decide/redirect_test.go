package decide_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

func number(t *testing.T, text string) digits.Number {
	n, err := digits.ParseNumber(text)
	require.NoError(t, err)
	return n
}

func quayPhones(p *plan.Plan) *plan.Services { return &p.Trunks[0].Services }

func reached(s *decide.Snapshot, trunk string) (list []string) {
	for _, e := range findings.Exposure(s.Graph, trunk) {
		list = append(list, e.Trunk.ID)
	}
	return list
}

// A carrier reaches no outside trunk by the plan's tables, and none by who may send
// its calls on, unless that one may join two outside parties.
func TestExposureByThoseWhoSendCallsOn(t *testing.T) {
	p := calltest.Plan(t, "skerry-line")
	assert.Empty(t, reached(calltest.Compile(t, p), "tamarack"))
	assert.Empty(t, reached(calltest.Compile(t, p), "ostrel"))
	quayPhones(&p).TrunkToTrunk = true
	assert.Equal(t, []string{"ostrel", "penhallow"}, reached(calltest.Compile(t, p), "ostrel"), "who sends on is who calls, so it may go back, too")
	quayPhones(&p).Transfer, quayPhones(&p).Forwarding, quayPhones(&p).TrunkToTrunk, quayPhones(&p).Table = false, false, false, ""
	assert.Contains(t, reached(calltest.Compile(t, p), "quay-phones"), "ostrel", "by their own calls")
}

func diverted(t *testing.T, s *decide.Snapshot, caller string, turns int) *decide.Evaluation {
	c := decide.Call{Trunk: "quay-phones", Called: number(t, "901914980850"), Caller: callerid.Of(number(t, caller))}
	for range turns {
		c.Diversions = append(c.Diversions, decide.Diversion{Number: number(t, "2001"), Reason: "unconditional"})
	}
	e, ok := s.Begin(c)
	require.True(t, ok)
	return e
}

// Who stays is outside unless it is an extension: a number that nobody knows is not
// trusted to be inside.
func TestADivertedCallIsJudgedByItsCaller(t *testing.T) {
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	for caller, offered := range map[string]bool{"2002": true, "01914980999": false, "": false} {
		_, more := diverted(t, s, caller, 1).Next()
		assert.Equal(t, offered, more, caller)
	}
	e := diverted(t, s, "2002", decide.MaxDiversions+1)
	_, more := e.Next()
	assert.False(t, more)
	end, _ := e.Ended()
	assert.Equal(t, cause.Loop, end.Own)
}

// An emergency call is never held back, whoever sends it on.
func TestAnEmergencyCallIsSentOn(t *testing.T) {
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	e, ok := s.Begin(decide.Call{Trunk: "quay-phones", Called: number(t, "9999"), Caller: callerid.Of(number(t, "01914980999")), Transfer: &decide.Transfer{Party: "ostrel"}})
	require.True(t, ok)
	o, more := e.Next()
	require.True(t, more)
	assert.True(t, o.Emergency)
}

// What a trunk without any table sends on is refused as its own calls are.
func TestATransferThatNoTableDecidesIsRefused(t *testing.T) {
	p := calltest.Small("GB")
	p.Trunks[1].InboundTable, p.Trunks[1].Services.Transfer = "", true
	s := calltest.Compile(t, p)
	e, ok := s.Begin(decide.Call{Trunk: "one", Called: number(t, "2001"), Transfer: &decide.Transfer{Party: "phones"}})
	require.True(t, ok)
	_, more := e.Next()
	assert.False(t, more)
	end, _ := e.Ended()
	assert.Equal(t, cause.NotPermitted, end.Own)
	_, ok = s.Answers("one", number(t, "2001"))
	assert.False(t, ok)
}

// Without the plan's leave a 3xx is a failure like another.
func TestARedirectionNeedsThePlansLeave(t *testing.T) {
	for allowed, want := range map[bool]string{true: "harbourbox", false: ""} {
		p := calltest.Plan(t, "skerry-line")
		quayPhones(&p).Forwarding = allowed
		e, ok := calltest.Compile(t, p).Begin(decide.Call{Trunk: "ostrel", Called: number(t, "+441914980101")})
		require.True(t, ok)
		_, more := e.Next()
		require.True(t, more)
		e.Report(decide.Report{Kind: trail.ReportRefused, Status: 302, To: number(t, "2999")})
		o, more := e.Next()
		assert.Equal(t, want != "", more)
		if more {
			assert.Equal(t, want, o.Trunk.ID)
			assert.Equal(t, "2001", o.Diverted[0].Number.Number.String())
		}
	}
}

func TestWhoAnswersAnExtension(t *testing.T) {
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	o, ok := s.Answers("harbourbox", number(t, "2001"))
	require.True(t, ok)
	assert.Equal(t, "quay-phones", o.Trunk.ID)
	for _, none := range []string{"4100", "901914980850"} {
		_, ok = s.Answers("quay-phones", number(t, none))
		assert.False(t, ok, "%s is nobody's mailbox here", none)
	}
	_, ok = s.Answers("nobody", number(t, "2001"))
	assert.False(t, ok)
}

func TestJoinKnowsItsTrunks(t *testing.T) {
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	_, ok := s.Join(nil, trail.HowJoined, "quay-phones", "ostrel", "nobody", "x")
	assert.False(t, ok)
	e, ok := s.Join(nil, trail.HowJoined, "quay-phones", "ostrel", "penhallow", "x")
	assert.False(t, ok)
	assert.Contains(t, trail.Text(e.Trail()), "trunk-to-trunk is off")
	_, ok = s.Join(nil, trail.HowJoined, "quay-phones", "ostrel", "harbourbox", "x")
	assert.True(t, ok)
}
