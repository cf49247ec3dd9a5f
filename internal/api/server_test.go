package api_test

import (
	"bufio"
	"context"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/inbound"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live"
)

func TestNothingIsToldToStrangers(t *testing.T) {
	c := apitest.Serve(t, nil)
	text, err := os.ReadFile(filepath.Join(calltest.Root(), "web", "src", "api", "openapi.json"))
	require.NoError(t, err)
	var described struct {
		Paths map[string]map[string]json.RawMessage `json:"paths"`
	}
	require.NoError(t, json.Unmarshal(text, &described))
	require.NotEmpty(t, described.Paths)
	for path, methods := range described.Paths {
		for method := range methods {
			if path == "/api/session" && method == "post" || path == "/api/first-start" { // by which one gets in
				continue
			}
			status, body := c.Send(strings.ToUpper(method), strings.ReplaceAll(path, "{id}", "x"), nil, nil)
			assert.Equal(t, http.StatusUnauthorized, status, "%s %s: %s", method, path, body)
		}
	}
}

func TestPatternsStepsAndNetwork(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	var effect api.PatternEffect
	c.Ask("POST", "/api/patterns", api.PatternAsk{Pattern: "[2-9]11", Numbers: []string{"911", "9", "1", "9z"}}, &effect)
	assert.Equal(t, []api.PatternLength{{Length: 3, Count: "8"}}, effect.Lengths)
	var states []string
	for _, v := range effect.Verdicts {
		states = append(states, v.State)
	}
	assert.Equal(t, []string{"complete", "partial", "none", "invalid"}, states)
	c.Ask("POST", "/api/patterns", api.PatternAsk{Pattern: "12("}, &effect)
	assert.Equal(t, 3, effect.Position)

	var made api.StepsEffect
	c.Ask("POST", "/api/steps", json.RawMessage(`{"switch":"quay","number":"9 0191 498 0850","steps":[{"op":"remove-first","count":1},{"op":"interpret-as","format":"national"},{"op":"convert-to","format":"e164"},{"op":"remove-first","count":30},{"op":"remove-first","count":1}]}`), &made)
	assert.Equal(t, "+441914980850", made.After)
	assert.Len(t, made.Steps, 4, "after a step that cannot act nothing more is shown")
	assert.True(t, made.Steps[3].Failed)

	var network api.Network
	c.Ask("GET", "/api/network", nil, &network)
	assert.Equal(t, "+44…", network.Switches[0].Sketches["e164"])
	assert.Len(t, network.Trunks, 10)
	assert.Equal(t, "unproven", network.Trunks[0].State.Word)
	var sources []api.Source
	c.Ask("GET", "/api/sources", nil, &sources)
	assert.Len(t, sources, 14)
	var standIns []api.StandIn
	c.Ask("GET", "/api/stand-ins", nil, &standIns)
	assert.Len(t, standIns, 7)
}

func TestTheWebApplicationIsServed(t *testing.T) {
	c := apitest.Serve(t, nil)
	for path, want := range map[string]int{"/": 200, "/routing/outside": 200, "/assets/missing.js": 404, "/api/missing": 404} {
		status, body := c.Send("GET", path, nil, nil)
		assert.Equal(t, want, status, path)
		if want == 200 {
			assert.Contains(t, string(body), "<title>Switchback</title>")
		}
	}
}

func TestANameIsTrimmed(t *testing.T) {
	c := apitest.Serve(t, nil)
	var session api.Session
	c.Ask("POST", "/api/session", map[string]string{"name": " " + apitest.User + "\t", "password": apitest.Password}, &session)
	assert.Equal(t, apitest.User, session.Name)
}

// A stream of events ends with the sign-in that it belongs to.
func TestAStreamEndsWithItsSignIn(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	defer cancel()
	req, err := http.NewRequestWithContext(ctx, "GET", c.URL+"/api/events", nil)
	require.NoError(t, err)
	res, err := c.HTTP().Do(req)
	require.NoError(t, err)
	defer res.Body.Close()
	lines := bufio.NewScanner(res.Body)
	require.True(t, lines.Scan())
	ended := make(chan struct{})
	go func() {
		for lines.Scan() {
		}
		close(ended)
	}()
	status, _ := c.Send("DELETE", "/api/session", nil, nil)
	require.Less(t, status, 300)
	select {
	case <-ended:
		require.NoError(t, ctx.Err())
	case <-time.After(5 * time.Second):
		t.Fatal("it goes on")
	}
}

// The gate is listed by pages, and searched by address.
func TestTheGateIsPaged(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	for i := range 3 {
		c.Ask("POST", "/api/blocked-sources", api.BlockPut{Source: []string{"127.0.97.0/24", "127.0.98.0/24", "127.0.98.7"}[i], Hours: 1, Why: "scans"}, nil)
	}
	var view api.BlockedSources
	c.Ask("GET", "/api/blocked-sources?find=127.0.98.7", nil, &view)
	assert.Equal(t, 2, view.BlocksInAll)
	c.Ask("GET", "/api/blocked-sources?from=2", nil, &view)
	assert.Equal(t, 3, view.BlocksInAll)
	assert.Len(t, view.Blocks, 1)
	c.Problem(422, "GET", "/api/blocked-sources?from=-1", nil)
}

func TestEventsWantASignIn(t *testing.T) {
	c := apitest.Serve(t, nil)
	c.Problem(401, "GET", "/api/events", nil)
}

// What only asks tells nobody that the draft changed: a view that asks when it is told
// would never come to rest.
func TestWhoOnlyAsksChangesNothing(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	next, lose := c.Events("")
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
	tried := plan.Rule{ID: "tried", Name: "Tried", Match: plan.Match{Called: "+4420794604xx"}, Then: plan.Then{Destination: "operator"}}
	c.Ask("PUT", "/api/draft/rules?try=true", api.RulePut{Table: "carriers-in", Rule: tried}, nil)
	c.Ask("PUT", "/api/draft/tables/carriers-in?try=true", api.TablePut{TableSettings: api.TableSettings{Name: "Tried", Format: "as-dialled", Order: "as-listed"}}, nil)
	c.Ask("PUT", "/api/draft/numbers?try=true", api.Put[inventory.Number]{Is: number}, nil)
	c.Ask("PUT", "/api/draft/far-ends/tried?try=true", api.Put[plan.FarEnd]{Is: plan.FarEnd{ID: "tried", Name: "Tried", Kind: "carrier"}}, nil)
	c.Ask("POST", "/api/blocked-sources", api.BlockPut{Source: "127.0.99.0/24", Hours: 2, Why: "scans"}, nil)
	for {
		e := next()
		assert.NotContains(t, e.News, live.News{Topic: live.TopicDraft})
		if slices.ContainsFunc(e.News, func(n live.News) bool { return n.Topic == live.TopicGate }) {
			break
		}
	}
	c.Ask("PUT", "/api/draft/numbers", api.Put[inventory.Number]{Is: number}, nil)
	apitest.Until(next, live.TopicDraft)
}
