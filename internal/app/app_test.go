package app_test

import (
	"bytes"
	"context"
	"encoding/json"
	"net"
	"net/http"
	"os"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/gopacket/gopacket/pcapgo"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/app"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

func shortTimers(p *plan.Plan) {
	for i := range p.Paths {
		p.Paths[i].Timers = plan.Timers{NoResponseMs: 700, Only100Ms: 1500, RingingMs: 3000}
	}
}

// The same try by the API, dry and live, gives the trail of the case; the core
// and the command are held to the same files.
func TestTriesGiveTheTrailOfTheCases(t *testing.T) {
	c := apptest.SignedIn(t, shortTimers)
	cases, err := calltest.Cases()
	require.NoError(t, err)
	t.Run("all", func(t *testing.T) {
		for _, one := range cases {
			if one.Plan != "skerry-line" || !one.At.IsZero() && !one.Live {
				continue // every calendar is open here
			}
			if len(one.Suppose.Hears) == 0 {
				t.Run(one.Name+"/dry", func(t *testing.T) {
					tried := try(c, "dry", one)
					require.Equal(t, "decided", tried.State)
					assert.Equal(t, one.Want, trail.Text(tried.Result.Steps))
				})
			}
			if one.Live {
				t.Run(one.Name+"/live", func(t *testing.T) {
					t.Parallel()
					tried := over(t, c, try(c, "live", one))
					require.NotNil(t, tried.Call)
					assert.Equal(t, one.Want, trail.Text(tried.Call.Result.Steps))
					assert.NotEmpty(t, tried.Call.Ladder.Arrows)
					assert.Equal(t, tried.Call.Result.Cause.SIP, tried.Status, "the caller gets the status that the trail ends with")
				})
			}
		}
	})
}

func try(c *apptest.Client, mode string, one calltest.Case) api.Test {
	var down, full []string
	for id := range one.Suppose.Down {
		down = append(down, id)
	}
	for id := range one.Suppose.Full {
		full = append(full, id)
	}
	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: mode, Plan: "live", From: one.From, Called: one.Dial, Caller: one.Caller, Simulate: plan.Simulated{Down: down, Full: full}, TalkSeconds: 1}, &tried)
	return tried
}

// over follows a live try to its end.
func over(t *testing.T, c *apptest.Client, tried api.Test) api.Test {
	require.NotEmpty(t, tried.ID, tried.Why)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+tried.ID, nil, &tried)
		return tried.State == "over" && tried.Call != nil
	}, 45*time.Second, 20*time.Millisecond)
	return tried
}

func TestNothingIsToldToStrangers(t *testing.T) {
	c := apptest.Run(t, nil)
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

func TestSignIn(t *testing.T) {
	c := apptest.Run(t, nil)
	p := c.Problem(401, "POST", "/api/session", map[string]string{"name": "engineer", "password": "wrong"})
	assert.Equal(t, "the name or the password is wrong", p.Detail)
	assert.Equal(t, p.Detail, c.Problem(401, "POST", "/api/session", map[string]string{"name": "nobody", "password": "right"}).Detail)
	c.Problem(422, "POST", "/api/session", map[string]string{"name": ""})
	c.Problem(400, "POST", "/api/session", []byte(`{"name": `))

	status, _ := c.Send("POST", "/api/session", map[string]string{"name": "engineer", "password": "right"}, http.Header{"Origin": {"http://elsewhere.example"}, "Sec-Fetch-Site": {"cross-site"}})
	assert.Equal(t, 403, status, "from another site")

	var who api.Session
	c.Ask("POST", "/api/session", map[string]string{"name": "engineer", "password": "right"}, &who)
	assert.Equal(t, "engineer", who.Name)
	c.Ask("GET", "/api/session", nil, &who)
	c.Ask("DELETE", "/api/session", nil, nil)
	c.Problem(401, "GET", "/api/session", nil)

	for range 5 {
		c.Problem(401, "POST", "/api/session", map[string]string{"name": "engineer", "password": "guess"})
	}
	p = c.Problem(429, "POST", "/api/session", map[string]string{"name": "engineer", "password": "right"})
	assert.Contains(t, p.Detail, "too many wrong passwords from here")
}

// Our own networks are never blocked, whatever was typed there.
func TestOwnNetworksAreNeverKeptFromSigningIn(t *testing.T) {
	c := apptest.Run(t, nil)
	from := &net.Dialer{LocalAddr: &net.TCPAddr{IP: net.ParseIP(apptest.Own)}}
	own := http.Client{Transport: &http.Transport{DialContext: from.DialContext}}
	signIn := func(password string) int {
		res, err := own.Post(c.URL+"/api/session", "application/json", strings.NewReader(`{"name": "engineer", "password": "`+password+`"}`))
		require.NoError(t, err)
		require.NoError(t, res.Body.Close())
		return res.StatusCode
	}
	var all sync.WaitGroup
	for range 6 {
		all.Go(func() { assert.Equal(t, 401, signIn("guess")) })
	}
	all.Wait()
	assert.Equal(t, 200, signIn(apptest.Password))
}

func TestEditGoLiveAndCallByTheNewPlan(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	var draft api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &draft)
	rule := draft.Plan.Tables[1].Rules[1]
	require.Equal(t, "outside-national", rule.ID)
	rule.Match.Called = "0[23]xxxxxxxxx"
	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: rule}, nil)

	ask := api.TestAsk{Mode: "dry", Plan: "live", From: "2001", Called: "901914980850"}
	var tried api.Test
	c.Ask("POST", "/api/test-calls", ask, &tried)
	assert.Equal(t, trail.Answered, tried.Result.Outcome, "the live plan is not touched")
	ask.Plan = "draft"
	c.Ask("POST", "/api/test-calls", ask, &tried)
	assert.Equal(t, "2000", tried.Result.Called, "a wrong number now, for the operator")

	var changes api.Changes
	c.Ask("GET", "/api/changes", nil, &changes)
	require.Len(t, changes.Changes, 1)
	var r api.Revision
	c.Ask("POST", "/api/live", api.GoLive{Version: changes.Version, Note: "only 02 and 03"}, &r)
	assert.EqualValues(t, 2, r.ID)
	c.Problem(409, "POST", "/api/live", api.GoLive{Version: changes.Version})

	ask.Mode, ask.Plan = "live", "live"
	c.Ask("POST", "/api/test-calls", ask, &tried)
	tried = over(t, c, tried)
	assert.Equal(t, "2000", tried.Call.Result.Called)
	assert.EqualValues(t, 2, tried.Call.Revision)

	var calls []api.CallSummary
	c.Ask("GET", "/api/calls", nil, &calls)
	assert.Equal(t, "answered", calls[0].Outcome)
	var revisions []api.Revision
	c.Ask("GET", "/api/revisions", nil, &revisions)
	assert.Equal(t, "only 02 and 03", revisions[0].Note)
}

func TestARevisionIsComparedExportedAndBroughtBack(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	c.Ask("DELETE", "/api/draft/rules/outside-premium", nil, nil)
	var changes api.Changes
	c.Ask("GET", "/api/changes", nil, &changes)
	c.Ask("POST", "/api/live", api.GoLive{Version: changes.Version}, nil)
	var compared api.Comparison
	c.Ask("GET", "/api/revisions/1/changes", nil, &compared)
	require.Len(t, compared.Changes, 1)
	assert.Equal(t, "removed", compared.Changes[0].What)
	var was plan.Plan
	c.Ask("GET", "/api/revisions/1/plan", nil, &was)
	assert.Len(t, was.Tables[1].Rules, 8)
	c.Ask("PUT", "/api/draft/checks/emergency", api.Put[plan.Check]{Is: plan.Check{ID: "emergency", Name: "Emergency", From: "2001", Called: "999", Expected: plan.Expected{Outcome: "answered"}}}, nil)
	c.Ask("POST", "/api/revisions/1/restore", nil, nil)
	c.Ask("GET", "/api/changes", nil, &changes)
	require.Len(t, changes.Changes, 2, "checks that were written since are kept: %+v", changes.Changes)
	assert.Equal(t, "added", changes.Changes[0].What)
	assert.Equal(t, apptest.User, changes.Changes[0].By)
	c.Problem(404, "GET", "/api/revisions/9/plan", nil)
	c.Problem(404, "GET", "/api/revisions/9/changes", nil)
	c.Problem(404, "POST", "/api/revisions/9/restore", nil)
}

func TestRulesAreEdited(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	rule := plan.Rule{Name: "New", Match: plan.Match{Called: "5xx"}, Then: plan.Then{Destination: "operator"}}
	var saved api.RuleSaved
	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "phones-out", Before: "phones-internal", Rule: rule}, &saved)
	c.Ask("POST", "/api/draft/rules/"+saved.ID+"/move", api.RuleMove{Before: "phones-emergency"}, nil)
	var draft api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &draft)
	assert.Equal(t, saved.ID, draft.Plan.Tables[0].Rules[0].ID)
	c.Ask("DELETE", "/api/draft/rules/"+saved.ID, nil, nil)
	c.Problem(404, "DELETE", "/api/draft/rules/"+saved.ID, nil)
	c.Problem(404, "POST", "/api/draft/rules/phones-internal/move", api.RuleMove{Before: "nobody"})
	c.Ask("DELETE", "/api/draft/rules/phones-internal", nil, nil)
	c.Ask("POST", "/api/draft/undo", nil, nil)
	var changes api.Changes
	c.Ask("GET", "/api/changes", nil, &changes)
	assert.Empty(t, changes.Changes)
	assert.Equal(t, 3, changes.Undoable)
	for range changes.Undoable {
		c.Ask("POST", "/api/draft/undo", nil, nil)
	}
	c.Problem(409, "POST", "/api/draft/undo", nil)
	c.Ask("POST", "/api/changes/discard", nil, nil)
	c.Ask("GET", "/api/changes", nil, &changes)
	assert.Empty(t, changes.Changes)
}

func TestTwoPeopleEditingOneRule(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	var draft api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &draft)
	was := draft.Plan.Tables[1].Rules[1]
	mine, theirs := was, was
	theirs.Match.Called, theirs.Name = "01x.", "Theirs"
	mine.Match.Called = "02x."
	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: theirs, Was: &was}, nil)
	p := c.Problem(409, "PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: mine, Was: &was})
	assert.Equal(t, "the rule was not saved: it was changed in the draft in the meantime", p.Detail)
	require.Len(t, p.Errors, 2)
	assert.Equal(t, "match/called", p.Errors[0].Location)
	assert.Equal(t, `somebody changed it from "0[1-3]xxxxxxxxx" to "01x."`, p.Errors[0].Message)
	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: mine, Was: &theirs}, nil)
	c.Ask("DELETE", "/api/draft/rules/"+was.ID, nil, nil)
	p = c.Problem(409, "PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: theirs, Was: &mine})
	assert.Contains(t, p.Detail, "taken out")
}

func TestSpecificFirstIsSetAndItsOrderExplained(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	rule := plan.Rule{Name: "Wide", Match: plan.Match{Called: "x."}, Then: plan.Then{RejectCause: 21}}
	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "outside", Before: "outside-emergency", Rule: rule}, nil)
	c.Ask("PUT", "/api/draft/tables/outside", api.TablePut{TableSettings: api.TableSettings{Name: "Outside numbers", Format: "as-dialled", Order: "specific-first"}}, nil)
	var order []compiled.Placed
	c.Ask("GET", "/api/draft/tables/outside/order", nil, &order)
	require.Len(t, order, 9)
	assert.Equal(t, "outside-emergency", order[0].Rule)
	assert.Equal(t, "112", order[0].Example.String())
	assert.Equal(t, order[7].Rule, order[6].Before)
	assert.Empty(t, order[7].Before, "the wide one stands behind all others but the last resort, which has no say in the order")
	assert.Equal(t, "outside-wrong", order[8].Rule)
	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "dry", Plan: "draft", From: "2001", Called: "901914980850"}, &tried)
	assert.Equal(t, trail.Answered, tried.Result.Outcome)

	p := c.Problem(422, "PUT", "/api/draft/tables/outside", api.TablePut{TableSettings: api.TableSettings{Order: "specific-first", Format: "loose"}})
	assert.Len(t, p.Errors, 2)
	c.Problem(404, "PUT", "/api/draft/tables/gone", api.TablePut{TableSettings: api.TableSettings{Name: "x", Order: "as-listed"}})
	c.Problem(404, "GET", "/api/draft/tables/gone/order", nil)

	// Two people: the second save says what the first changed.
	was := api.TableSettings{Name: "Outside numbers", Format: "as-dialled", Order: "specific-first"}
	c.Ask("PUT", "/api/draft/tables/outside", api.TablePut{TableSettings: api.TableSettings{Name: "Outside", Format: "as-dialled", Order: "specific-first"}, Was: &was}, nil)
	p = c.Problem(409, "PUT", "/api/draft/tables/outside", api.TablePut{TableSettings: api.TableSettings{Name: "Beyond", Order: "as-listed"}, Was: &was})
	require.Len(t, p.Errors, 1)
	assert.Equal(t, `somebody changed it from "Outside numbers" to "Outside"`, p.Errors[0].Message)
}

func TestBadInputIsToldInPlace(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	rule := plan.Rule{ID: "phones-internal", Name: "", Match: plan.Match{Called: "2[", Caller: "z"}, Then: plan.Then{Path: "gone"}}
	p := c.Problem(422, "PUT", "/api/draft/rules", api.RulePut{Table: "phones-out", Rule: rule})
	var places []string
	for _, e := range p.Errors {
		places = append(places, e.Location)
	}
	assert.Equal(t, []string{"name", "match/called", "match/caller", "then/path"}, places)
	assert.Contains(t, p.Errors[1].Message, "position 2")

	p = c.Problem(422, "PUT", "/api/draft/rules", api.RulePut{Table: "gone", Rule: rule})
	assert.Equal(t, "body.table", p.Errors[0].Location)

	p = c.Problem(422, "POST", "/api/test-calls", api.TestAsk{Mode: "dry", Plan: "live", From: "2001", Called: "12y"})
	assert.Equal(t, "body.called", p.Errors[0].Location)
	assert.Contains(t, p.Detail, "position 3")
	p = c.Problem(422, "POST", "/api/test-calls", api.TestAsk{Mode: "dry", Plan: "live", From: "9999", Called: "1"})
	assert.Equal(t, "body.from", p.Errors[0].Location)
	c.Problem(422, "POST", "/api/test-calls", api.TestAsk{Mode: "dry", Plan: "live", From: "2001", Called: "1", Simulate: plan.Simulated{Down: []string{"gone"}}})
	c.Problem(422, "POST", "/api/test-calls", api.TestAsk{Mode: "sideways", Plan: "live", From: "2001", Called: "1"})
	c.Problem(404, "GET", "/api/test-calls/unknown", nil)
	c.Problem(404, "GET", "/api/calls/unknown", nil)
	c.Problem(404, "POST", "/api/stand-ins/unknown/stop", nil)
	c.Problem(404, "GET", "/api/nothing", nil)
	c.Problem(404, "POST", "/api/steps", api.StepsAsk{Switch: "gone", Number: "1", Steps: []rewrite.Step{}})
	p = c.Problem(422, "POST", "/api/steps", api.StepsAsk{Switch: "quay", Number: "1z", Steps: []rewrite.Step{}})
	assert.Equal(t, "body.number", p.Errors[0].Location)
	c.Problem(422, "PUT", "/api/draft", []byte(`{"format": "other"}`))
	p = c.Problem(422, "PUT", "/api/draft", []byte(`{"format": `))
	assert.Contains(t, p.Detail, "line 1")
	var draft api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &draft)
	assert.Len(t, draft.Plan.Tables, 12, "nothing of it was taken")
}

func TestImportReplacesTheDraftAndAMovedSwitchIsBound(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	var draft api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &draft)
	p := draft.Plan
	p.Switches[0].Listeners.SIP.Address = "127.1.10.9:5060"
	text, err := json.Marshal(p)
	require.NoError(t, err)
	var accepted api.Accepted
	c.Ask("PUT", "/api/draft", text, &accepted)
	c.Ask("POST", "/api/live", api.GoLive{Version: accepted.Version}, nil)
	taken, err := net.ListenPacket("udp", "127.1.10.1:5060")
	require.NoError(t, err, "the old address is given back")
	taken.Close()

	p.Switches[0].Listeners.SIP.Address = "192.0.2.1:5060" // not an address of this machine (RFC 5737)
	text, err = json.Marshal(p)
	require.NoError(t, err)
	c.Ask("PUT", "/api/draft", text, &accepted)
	refused := c.Problem(422, "POST", "/api/live", api.GoLive{Version: accepted.Version})
	assert.Equal(t, "/switches/quay/listeners/sip/address", refused.Errors[0].Location)
	var live api.LivePlan
	c.Ask("GET", "/api/live", nil, &live)
	assert.Equal(t, "127.1.10.9:5060", live.Plan.Switches[0].Listeners.SIP.Address, "the old plan stays")

	var placed api.TestCallPlaced
	c.Ask("POST", "/api/trunks/ostrel/test-call", api.TestCall{Digits: "+441914980850", Seconds: 1}, &placed)
	var d api.CallDetail
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/calls/"+placed.Call, nil, &d)
		return !d.Running && d.Outcome == "answered"
	}, 30*time.Second, 50*time.Millisecond, "calls still go out, from the address that stayed")
	require.NotEmpty(t, d.Ladder.Arrows)
	assert.Contains(t, d.Ladder.Arrows[0].Text, "Via: SIP/2.0/UDP 127.1.10.9:5060")
}

func TestAStoppedStandInFailsATryAtItsFirstStep(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	c.Ask("POST", "/api/stand-ins/quay-phones/stop", nil, nil)
	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980850"}, &tried)
	assert.Equal(t, "not-placed", tried.State)
	assert.Equal(t, "Quay phones is stopped, so no call can leave it; start it first", tried.Why)
	c.Ask("POST", "/api/stand-ins/quay-phones/start", nil, nil)
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980850", TalkSeconds: 1}, &tried)
	assert.Equal(t, 200, over(t, c, tried).Status)
}

func TestACallsMessagesOpenAsACapture(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980801"}, &tried)
	tried = over(t, c, tried)
	status, file := c.Send("GET", "/api/calls/"+tried.Call.ID+"/capture", nil, nil)
	require.Equal(t, 200, status)
	r, err := pcapgo.NewNgReader(bytes.NewReader(file), pcapgo.DefaultNgReaderOptions)
	require.NoError(t, err)
	count := 0
	for {
		if _, _, err := r.ReadPacketData(); err != nil {
			break
		}
		count++
	}
	assert.Equal(t, len(tried.Call.Ladder.Arrows), count)
	c.Problem(404, "GET", "/api/calls/unknown/capture", nil)
}

func TestHangUpACallThatRings(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	var tried api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "live", Plan: "live", From: "2001", Called: "901914980802"}, &tried)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+tried.ID, nil, &tried)
		return tried.Events[len(tried.Events)-1].What == "180 Ringing"
	}, 30*time.Second, 10*time.Millisecond)
	c.Ask("DELETE", "/api/test-calls/"+tried.ID, nil, nil)
	tried = over(t, c, tried)
	assert.Equal(t, 487, tried.Status)
	assert.Equal(t, trail.Abandoned, tried.Call.Result.Outcome)
}

func TestPatternsStepsAndNetwork(t *testing.T) {
	c := apptest.SignedIn(t, nil)
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
	c := apptest.Run(t, nil)
	for path, want := range map[string]int{"/": 200, "/routing/outside": 200, "/assets/missing.js": 404, "/api/missing": 404} {
		status, body := c.Send("GET", path, nil, nil)
		assert.Equal(t, want, status, path)
		if want == 200 {
			assert.Contains(t, string(body), "<title>Switchback</title>")
		}
	}
}

func TestRunSaysWhatIsWrong(t *testing.T) {
	ctx := context.Background()
	assert.ErrorContains(t, app.Run(ctx, app.Options{HTTP: "127.0.0.1:0"}), "no database")
	assert.ErrorContains(t, app.Run(ctx, app.Options{DSN: "x", HTTP: "8480"}), "no address with a port")
	assert.ErrorContains(t, app.Run(ctx, app.Options{DSN: "a:b@tcp(127.0.0.1:9)/x", HTTP: "127.0.0.1:0"}), "cannot be reached")
	_, err := app.Migrate(ctx, "a:b@tcp(127.0.0.1:9)/x")
	assert.ErrorContains(t, err, "cannot be reached")
}
