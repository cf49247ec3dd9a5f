package app_test

import (
	"bufio"
	"context"
	"encoding/json"
	"net"
	"net/http"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/inbound"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live"
)

type event struct {
	id, name string
	news     []live.News
}

// events opens the stream as a browser does; next reads one event.
func events(t *testing.T, c *apptest.Client, last string) (next func() event, lose func()) {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	t.Cleanup(cancel)
	req, err := http.NewRequestWithContext(ctx, "GET", c.URL+"/api/events", nil)
	require.NoError(t, err)
	if last != "" {
		req.Header.Set("Last-Event-ID", last)
	}
	res, err := c.HTTP().Do(req)
	require.NoError(t, err)
	require.Equal(t, 200, res.StatusCode)
	require.Equal(t, "text/event-stream", res.Header.Get("Content-Type"))
	lines := bufio.NewScanner(res.Body)
	next = func() (e event) {
		for lines.Scan() {
			field, value, _ := strings.Cut(lines.Text(), ": ")
			switch field {
			case "id":
				e.id = value
			case "event":
				e.name = value
			case "data":
				require.NoError(t, json.Unmarshal([]byte(value), &e.news))
			case "":
				if e.name != "" {
					return e
				}
			}
		}
		require.Fail(t, "the stream ended", "%v", lines.Err())
		return e
	}
	return next, func() { cancel(); res.Body.Close() }
}

// until reads events until one tells a topic.
func until(t *testing.T, next func() event, topic live.Topic) event {
	for {
		e := next()
		for _, n := range e.news {
			if n.Topic == topic {
				return e
			}
		}
	}
}

// hangUp ends a live try, so that nothing is on its way when the test ends.
func hangUp(t *testing.T, c *apptest.Client, id string) {
	c.Ask("DELETE", "/api/test-calls/"+id, nil, nil)
	require.Eventually(t, func() bool {
		var tried api.Test
		c.Ask("GET", "/api/test-calls/"+id, nil, &tried)
		return tried.State == "over"
	}, 20*time.Second, 20*time.Millisecond)
}

func TestEventsTellWhatChangesAndResume(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	next, lose := events(t, c, "")
	first := next()
	assert.Equal(t, "reset", first.name, "who comes anew looks at everything")

	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980850"}, &tried)
	seen := until(t, next, live.TopicCall)
	var running []api.RunningCall
	c.Ask("GET", "/api/active-calls", nil, &running)
	require.NotEmpty(t, running)
	assert.Equal(t, "901914980850", running[0].CalledIn)

	lose() // the browser lost its connection; meanwhile the draft is edited and goes live
	c.Ask("DELETE", "/api/draft/rules/outside-premium", nil, nil)
	var changes api.Changes
	c.Ask("GET", "/api/changes", nil, &changes)
	c.Ask("POST", "/api/live", api.GoLive{Version: changes.Version}, nil)

	next, lose = events(t, c, seen.id)
	again := next()
	assert.Equal(t, "news", again.name, "it is told what it missed")
	assert.Contains(t, again.news, live.News{Topic: live.TopicDraft})
	assert.Contains(t, again.news, live.News{Topic: live.TopicPlan})
	lose()

	hangUp(t, c, tried.ID)
	for _, unknown := range []string{"1", "9999999999999999", "nonsense"} {
		next, lose = events(t, c, unknown)
		assert.Equal(t, "reset", next().name, "another process told that, or nobody did")
		lose()
	}
}

func TestARunningCallIsFollowedWhileItIsDecided(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	var tried api.Test
	// Ostrel's directory keeps this number silent: the path waits, then goes on.
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980850", TalkSeconds: 2}, &tried)
	phases := map[string]bool{}
	var legs int
	require.Eventually(t, func() bool {
		var running []api.RunningCall
		c.Ask("GET", "/api/active-calls", nil, &running)
		for _, r := range running {
			phases[r.Phase] = true
			legs = max(legs, len(r.Legs))
			if r.Phase == "talking" {
				assert.Equal(t, "PCMA/8000", r.Legs[len(r.Legs)-1].Media.Codec)
				assert.NotEmpty(t, r.Legs[0].Media.Address)
				var d api.CallDetail
				c.Ask("GET", "/api/calls/"+r.ID, nil, &d)
				assert.True(t, d.Running)
				assert.NotEmpty(t, d.Result.Steps)
			}
		}
		return phases["talking"]
	}, 20*time.Second, 5*time.Millisecond)
	assert.Equal(t, 2, legs)
	hangUp(t, c, tried.ID)
}

func TestEventsWantASignIn(t *testing.T) {
	c := apptest.Run(t, nil)
	c.Problem(401, "GET", "/api/events", nil)
}

// A client that sends its request byte by byte is given up; others are served
// meanwhile.
func TestASlowSenderIsGivenUpAndHoldsNobodyUp(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	slow, err := net.Dial("tcp", strings.TrimPrefix(c.URL, "http://"))
	require.NoError(t, err)
	defer slow.Close()
	closed := make(chan time.Duration, 1)
	began := time.Now()
	go func() {
		for _, b := range []byte("GET /api/network HTTP/1.1\r\nHost: slow.example\r\nX-Padding: " + strings.Repeat("x", 500)) {
			if _, err := slow.Write([]byte{b}); err != nil {
				break
			}
			time.Sleep(50 * time.Millisecond)
		}
		closed <- time.Since(began)
	}()
	require.NoError(t, slow.SetReadDeadline(time.Now().Add(20*time.Second)))
	answer, _ := bufio.NewReader(slow).ReadString('\n')
	assert.NotContains(t, answer, "200")
	assert.Less(t, time.Since(began), 15*time.Second, "headers are waited for 5 seconds")
	var network api.Network
	c.Ask("GET", "/api/network", nil, &network)
	assert.NotEmpty(t, network.Trunks)
	slow.Close()
	<-closed
}

// What only asks tells nobody that the draft changed: a view that asks when it is told
// would never come to rest.
func TestWhoOnlyAsksChangesNothing(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	next, lose := events(t, c, "")
	defer lose()
	next() // reset
	rule := api.RuleAsk{Table: "carriers-in", Rule: plan.Rule{Name: "Sales", Match: plan.Match{Called: "+4420794604xx"}, Then: plan.Then{Destination: "operator"}}}
	number := inventory.Number{First: "+442079460700", State: inventory.Active, Destination: "operator"}
	c.Ask("POST", "/api/draft/effect", rule, nil)
	c.Ask("POST", "/api/draft/rule-mapping", rule, nil)
	c.Ask("POST", "/api/draft/rule-arrivals", api.RuleArrivals{RuleAsk: rule}, nil)
	c.Ask("POST", "/api/draft/numbers-effect", api.NumberLook{Is: number}, nil)
	c.Ask("POST", "/api/draft/mapping", inbound.Mapping{First: "+442079460400", Last: "+442079460479", Destination: "quay-extensions", Extension: "2300"}, nil)
	c.Ask("POST", "/api/draft/impact", nil, nil)
	c.Ask("POST", "/api/blocked-sources", api.BlockPut{Source: "127.0.99.0/24", Hours: 2, Why: "scans"}, nil)
	for {
		e := next()
		assert.NotContains(t, e.news, live.News{Topic: live.TopicDraft})
		if slices.ContainsFunc(e.news, func(n live.News) bool { return n.Topic == live.TopicGate }) {
			break
		}
	}
	c.Ask("PUT", "/api/draft/numbers", api.Put[inventory.Number]{Is: number}, nil)
	until(t, next, live.TopicDraft)
}

func TestAnImportIsCheckedReportedAndAllOrNothing(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	var draft api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &draft)
	var p plan.Plan
	c.Ask("GET", "/api/draft/plan", nil, &p)
	p.Tables = slices.Clone(p.Tables)
	p.Name = "Skerry Line, new"
	rows := slices.Collect(p.Numbers.All())
	p.Numbers = inventory.New(append(rows, inventory.Number{First: "+448081570124", State: inventory.Active, Destination: "operator"}))
	p.Tables[1].Rules = p.Tables[1].Rules[1:]
	var report api.Imported
	c.Ask("PUT", "/api/draft?check=true", p, &report)
	assert.False(t, report.Applied)
	assert.Equal(t, draft.Version, report.Version)
	assert.Equal(t, len(rows)+1, report.Objects[plan.KindNumber])
	assert.Equal(t, 2, report.Differences)
	var told []string
	for _, ch := range report.Changes {
		told = append(told, ch.What+" "+string(ch.Kind)+" "+ch.ID)
	}
	assert.ElementsMatch(t, []string{"removed rule outside-emergency", "added number 448081570124"}, told)
	var same api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &same)
	assert.Equal(t, draft, same, "a check leaves the draft as it is")

	bad := p
	bad.Numbers = inventory.New([]inventory.Number{{First: "0808"}})
	problem := c.Problem(422, "PUT", "/api/draft", bad)
	assert.Len(t, problem.Errors, 2)
	c.Ask("GET", "/api/draft", nil, &same)
	assert.Equal(t, draft, same, "an import never half applies")

	c.Ask("PUT", "/api/draft", p, &report)
	assert.True(t, report.Applied)
	c.Ask("GET", "/api/draft", nil, &same)
	assert.Equal(t, "Skerry Line, new", same.Plan.Name)
	assert.Zero(t, same.Plan.Numbers.Len(), "numbers are asked for apart")
}
