package api_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/trail"
)

func TestARevisionIsComparedExportedAndBroughtBack(t *testing.T) {
	c := apitest.SignedIn(t, nil)
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
	assert.Equal(t, apitest.User, changes.Changes[0].By)
	c.Problem(404, "GET", "/api/revisions/9/plan", nil)
	c.Problem(404, "GET", "/api/revisions/9/changes", nil)
	c.Problem(404, "POST", "/api/revisions/9/restore", nil)
}

func TestRulesAreEdited(t *testing.T) {
	c := apitest.SignedIn(t, nil)
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
	c := apitest.SignedIn(t, nil)
	var draft api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &draft)
	was := draft.Plan.Tables[1].Rules[1]
	mine, theirs := was, was
	theirs.Match.Called, theirs.Name = "01x.", "Theirs"
	mine.Match.Called = "02x."
	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: theirs, Was: &was}, nil)
	p := c.Problem(409, "PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: mine, Was: &was})
	assert.Equal(t, "the rule was not saved: it was changed in the draft meanwhile", p.Detail)
	require.Len(t, p.Errors, 2)
	assert.Equal(t, "match/called", p.Errors[0].Location)
	assert.Equal(t, `changed meanwhile from "0[1-3]xxxxxxxxx" to "01x."`, p.Errors[0].Message)
	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: mine, Was: &theirs}, nil)
	c.Ask("DELETE", "/api/draft/rules/"+was.ID, nil, nil)
	p = c.Problem(409, "PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: theirs, Was: &mine})
	assert.Contains(t, p.Detail, "deleted")
}

func TestSpecificFirstIsSetAndItsOrderExplained(t *testing.T) {
	c := apitest.SignedIn(t, nil)
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
	assert.Equal(t, `changed meanwhile from "Outside numbers" to "Outside"`, p.Errors[0].Message)
}

func TestBadInputIsToldInPlace(t *testing.T) {
	c := apitest.SignedIn(t, nil)
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
