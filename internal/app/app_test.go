package app_test

import (
	"bytes"
	"context"
	"encoding/csv"
	"encoding/json"
	"net"
	"net/http"
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
	"switchback.example/switchback/internal/core/plan"
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

	var calls api.CallPage
	c.Ask("GET", "/api/calls", nil, &calls)
	assert.Equal(t, "answered", calls.Calls[0].Outcome)
	c.Ask("GET", "/api/calls?outcome=failed&outcome=answered", nil, &calls)
	assert.Len(t, calls.Calls, 1, "each outcome that is named counts")
	status, file := c.Send("GET", "/api/calls.csv?outcome=failed&outcome=answered", nil, nil)
	require.Equal(t, 200, status)
	rows, err := csv.NewReader(bytes.NewReader(file)).ReadAll()
	require.NoError(t, err)
	require.Len(t, rows, 2)
	assert.Contains(t, rows[1], calls.Calls[0].ID)
	assert.Contains(t, rows[1], "answered")
	var revisions []api.Revision
	c.Ask("GET", "/api/revisions", nil, &revisions)
	assert.Equal(t, "only 02 and 03", revisions[0].Note)
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

func TestRunSaysWhatIsWrong(t *testing.T) {
	ctx := context.Background()
	assert.ErrorContains(t, app.Run(ctx, app.Options{HTTP: "127.0.0.1:0"}), "no database")
	assert.ErrorContains(t, app.Run(ctx, app.Options{DSN: "x", HTTP: "8480"}), "use address and port")
	assert.ErrorContains(t, app.Run(ctx, app.Options{DSN: "a:b@tcp(127.0.0.1:9)/x", HTTP: "127.0.0.1:0"}), "cannot be reached")
	_, err := app.Migrate(ctx, "a:b@tcp(127.0.0.1:9)/x")
	assert.ErrorContains(t, err, "cannot be reached")
}
