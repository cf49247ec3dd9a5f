package sip_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/livetest"
	"switchback.example/switchback/internal/standin"
)

// shortTimers makes the path's silences short enough for a test; which of them
// ends an attempt stays the same.
func shortTimers(p *plan.Plan) {
	for i := range p.Paths {
		p.Paths[i].Timers = plan.Timers{NoResponseMs: 700, Only100Ms: 1500, RingingMs: 3000}
	}
}

// The same call dry and live must give the same trail: what a case supposes,
// the stand-ins really do.
func TestLiveTrailIsTheDryTrail(t *testing.T) {
	cases, err := calltest.Cases()
	require.NoError(t, err)
	b := livetest.Start(t, livetest.Setup{Change: shortTimers})
	for _, c := range cases {
		if !c.Live {
			continue
		}
		t.Run(c.Name, func(t *testing.T) {
			t.Parallel()
			call, err := b.Plan.Current().Snapshot.CallFrom(c.From, c.Dial, c.Caller)
			require.NoError(t, err)
			id := b.Place(t, call.Trunk, standin.Dial{Called: call.Called.String(), Caller: call.Caller.String(), Talk: 50 * time.Millisecond})
			got := b.WaitEnd(t, id)
			assert.Equal(t, c.Want, trail.Text(got.Trail))
			assert.Len(t, got.Stamps, len(got.Trail))
			assertTimers(t, got)
		})
	}
}

// assertTimers checks that each silence ended with the timer that is named for
// it: not before it, and before the next longer one.
func assertTimers(t *testing.T, c record.Call) {
	var sent int64
	for i, step := range c.Trail {
		if step.Sent != nil {
			sent = c.Stamps[i]
		}
		if step.Heard == nil {
			continue
		}
		waited := c.Stamps[i] - sent
		switch step.Heard.What {
		case trail.ReportNoResponse:
			assert.GreaterOrEqual(t, waited, int64(700-1))
			assert.Less(t, waited, int64(1500))
		case trail.ReportOnlyTrying:
			assert.GreaterOrEqual(t, waited, int64(1500-1))
			assert.Less(t, waited, int64(3000))
		case trail.ReportUnanswered:
			assert.GreaterOrEqual(t, waited, int64(3000-1))
		}
	}
}
