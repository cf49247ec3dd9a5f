package api_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/core/plan"
)

func draftTrunk(c *apitest.Client, id string) plan.Trunk {
	var d api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &d)
	return *plan.NewIndex(d.Plan).Trunks[id]
}

func TestATrunkIsEditedInTheDraft(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	was := draftTrunk(c, "ostrel")
	is := was
	is.Link = was.Link.Clone()
	is.Channels, is.Link.SIP.OptionsIntervalSeconds = 12, 45
	var saved api.ObjectSaved
	c.Ask("PUT", "/api/draft/trunks/ostrel", api.Put[plan.Trunk]{Is: is, Was: &was}, &saved)
	assert.Equal(t, "ostrel", saved.ID)
	assert.Empty(t, saved.Elsewhere)
	assert.Equal(t, is, draftTrunk(c, "ostrel"))

	// Somebody who still sees the trunk as it was is told what changed.
	late := was
	late.Name = "another name"
	p := c.Problem(409, "PUT", "/api/draft/trunks/ostrel", api.Put[plan.Trunk]{Is: late, Was: &was})
	require.NotEmpty(t, p.Errors)
	assert.Equal(t, "channels", p.Errors[0].Location)

	// What is wrong with it is told at its place, and nothing is saved.
	bad := is
	bad.Link = is.Link.Clone()
	bad.Link.SIP.RemoteAddress = "nowhere"
	p = c.Problem(422, "PUT", "/api/draft/trunks/ostrel", api.Put[plan.Trunk]{Is: bad, Was: &is})
	require.Len(t, p.Errors, 1)
	assert.Equal(t, "link/sip/remoteAddress", p.Errors[0].Location)
	assert.Equal(t, is, draftTrunk(c, "ostrel"))

	p = c.Problem(422, "PUT", "/api/draft/trunks/other", api.Put[plan.Trunk]{Is: is, Was: &was})
	assert.Equal(t, "id", p.Errors[0].Location)
}

// What the other side needs is written from the draft before it is live, and from
// the live plan after.
func TestTheSheetOfATrunk(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	was := draftTrunk(c, "ostrel")
	is := was
	is.Channels = 12
	c.Ask("PUT", "/api/draft/trunks/ostrel", api.Put[plan.Trunk]{Is: is, Was: &was}, nil)
	status, text := c.Send("GET", "/api/trunks/ostrel/sheet?plan=draft", nil, nil)
	assert.Equal(t, 200, status)
	assert.Contains(t, string(text), "Channels: 12")
	_, text = c.Send("GET", "/api/trunks/ostrel/sheet", nil, nil)
	assert.Contains(t, string(text), "Channels: 30")
	assert.NotContains(t, string(text), "Channels: 12")
	c.Problem(404, "GET", "/api/trunks/nowhere/sheet", nil)
}

func TestANewObjectIsAddedOnceAndTakenOutWhenNobodyNamesIt(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	f := plan.FarEnd{ID: "tester", Name: "Tester", Kind: plan.Gateway}
	var saved api.ObjectSaved
	c.Ask("PUT", "/api/draft/far-ends/tester", api.Put[plan.FarEnd]{Is: f}, &saved)
	p := c.Problem(409, "PUT", "/api/draft/far-ends/tester", api.Put[plan.FarEnd]{Is: f})
	assert.Contains(t, p.Errors[0].Message, "taken")

	// A trunk that names it keeps it in the plan.
	trunk := draftTrunk(c, "ostrel")
	trunk.ID, trunk.Name, trunk.FarEnd, trunk.InboundTable = "tester", "Tester", "tester", ""
	trunk.Link.SIP = &plan.SIP{RemoteAddress: "127.1.99.1:5060"}
	c.Ask("PUT", "/api/draft/trunks/tester", api.Put[plan.Trunk]{Is: trunk}, &saved)
	p = c.Problem(409, "DELETE", "/api/draft/far-ends/tester", nil)
	require.Len(t, p.Errors, 1)
	assert.Equal(t, "/trunks/tester/farEnd", p.Errors[0].Location)

	var accepted api.Accepted
	c.Ask("DELETE", "/api/draft/trunks/tester", nil, &accepted)
	c.Ask("DELETE", "/api/draft/far-ends/tester", nil, &accepted)
	c.Problem(404, "DELETE", "/api/draft/far-ends/tester", nil)
}

func TestWhatASaveBreaksElsewhereIsTold(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	var d api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &d)
	x := plan.NewIndex(d.Plan)
	// The trunks of a path must be on its switch: moved away, the path is broken.
	path := x.Paths[d.Plan.Paths[0].ID]
	was := *x.Trunks[path.Choices[0].Trunk]
	elsewhere := plan.Switch{ID: "elsewhere", Name: "Elsewhere", Region: x.Switches[was.Switch].Region, Listeners: plan.Listeners{SIP: plan.SIPListener{Address: "127.1.99.2:5060"}}}
	var saved api.ObjectSaved
	c.Ask("PUT", "/api/draft/switches/elsewhere", api.Put[plan.Switch]{Is: elsewhere}, &saved)
	is := was
	is.Switch, is.InboundTable = "elsewhere", ""
	move := api.Put[plan.Trunk]{Is: is, Was: &was}
	var tried api.ObjectSaved
	c.Ask("PUT", "/api/draft/trunks/"+was.ID+"?try=true", move, &tried)
	c.Ask("GET", "/api/draft", nil, &d)
	assert.Equal(t, was, *plan.NewIndex(d.Plan).Trunks[was.ID], "a try saves nothing")
	c.Ask("PUT", "/api/draft/trunks/"+was.ID, move, &saved)
	require.NotEmpty(t, saved.Elsewhere)
	assert.Contains(t, saved.Elsewhere[0].Place, "/paths/"+path.ID)
	assert.Equal(t, tried, saved, "a save does what its try said")
}
