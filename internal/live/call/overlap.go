package call

import (
	"fmt"
	"strings"

	core "switchback.example/switchback/internal/core/call"
	"switchback.example/switchback/internal/core/decide"
	relay "switchback.example/switchback/internal/live/media"
)

// Digits that come bit by bit: how long to wait for the next, the plan says.

// more takes the number so far.
func (c *Call) more(asked decide.Call, dialled string) {
	if c.machine.State == core.Collecting {
		c.in.Call, c.in.Dialled = asked, dialled
	}
}

// collect asks whether the number is complete.
func (c *Call) collect() {
	in := &c.in.Call
	if in.Refusal != nil || len(in.Diversions) > 0 {
		c.tell(core.Event{Kind: core.Complete})
		return
	}
	if text := in.Called.String(); c.at(relay.Caller).trunk.Overlap.EndMark && strings.HasSuffix(text, "#") {
		in.Called = in.Called.First(len(text) - 1)
		c.collected = "one by one, ended by #"
		c.tell(core.Event{Kind: core.Complete})
		return
	}
	so, ok := c.run.Snapshot.Collect(*in)
	if !ok || so.Timer == "" {
		c.collected = "one by one: " + so.Why
		c.tell(core.Event{Kind: core.Complete})
		return
	}
	c.collected = ""
	c.tell(core.Event{Kind: core.Waiting, Wait: so.Millis})
}

// waited says how the number came to its end without a last digit.
func (c *Call) waited() string {
	so, _ := c.run.Snapshot.Collect(c.in.Call)
	return fmt.Sprintf("one by one, waited %d ms: %s", so.Millis, so.Why)
}
