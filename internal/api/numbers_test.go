package api_test

import (
	"encoding/json"
	"fmt"
	"net/http"
	"net/url"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/core/inbound"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
)

func find(c *apitest.Client, query string) (page api.NumbersPage) {
	c.Ask("GET", "/api/draft/numbers?"+query, nil, &page)
	return page
}

func TestTheInventoryIsSearchedAndEdited(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	page := find(c, "")
	assert.Equal(t, 8, page.Total)
	assert.Equal(t, "+16175550100", page.Rows[0].Number.First)
	page = find(c, "text="+url.QueryEscape("0191 498 0250"))
	require.Equal(t, 2, page.Found)
	assert.Equal(t, []string{"441914980100-441914980299", "441914980250"}, []string{page.Rows[0].ID, page.Rows[1].ID})
	assert.Equal(t, "Quay extensions", page.Rows[1].Answers)
	page = find(c, "sort=state&down=true&limit=2&from=1&state=ordered")
	require.Len(t, page.Rows, 1)
	assert.Equal(t, "447700900461", page.Rows[0].ID)

	mate := find(c, "text=mate").Rows[0].Number
	changed := mate
	changed.ForwardOnBusy, changed.First = "907700900851", "+441914980251"
	var saved api.ObjectSaved
	c.Ask("PUT", "/api/draft/numbers", api.Put[inventory.Number]{Is: changed, Was: &mate}, &saved)
	assert.Equal(t, "441914980251", saved.ID)
	c.Problem(404, "GET", "/api/draft/numbers/441914980250", nil)
	c.Problem(409, "PUT", "/api/draft/numbers", api.Put[inventory.Number]{Is: changed, Was: &mate})
	c.Ask("POST", "/api/draft/undo", nil, nil)
	assert.Equal(t, mate, find(c, "text=mate").Rows[0].Number, "one step takes it back")
	c.Ask("DELETE", "/api/draft/numbers/441914980250", nil, nil)
	assert.Equal(t, 7, find(c, "").Total)
	var changes api.Changes
	c.Ask("GET", "/api/changes", nil, &changes)
	require.Len(t, changes.Changes, 1)
	assert.Equal(t, []string{"removed", "number", "441914980250"}, []string{changes.Changes[0].What, string(changes.Changes[0].Kind), changes.Changes[0].ID})
}

// Each sort of bad input has a message at its place, and nothing is written.
func TestNumbersThatCannotBeAreRefused(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	before := find(c, "")
	for _, bad := range []struct {
		status           int
		n                inventory.Number
		place, complaint string
	}{
		{409, inventory.Number{First: "+448081570123", State: "active"}, "first", "is there already; open that row"},
		{422, inventory.Number{First: "+441914980290", Last: "+441914980310", State: "active"}, "first", "overlaps +441914980100 to +441914980299"},
		{422, inventory.Number{First: "+441914980050", Last: "+441914980149", State: "active"}, "first", "overlaps +441914980100 to +441914980299"},
		{422, inventory.Number{First: "+442079460600", Last: "+442079460699", State: "active", Destination: "quay-extensions", Extension: "2350"}, "extension", "70 of these are not at Quay extensions (2380 to 2449)"},
		{422, inventory.Number{First: "2150", State: "active"}, "first", "2150 is an extension of Quay extensions"},
		{422, inventory.Number{First: "+442079460699", Last: "+442079460600", State: "active"}, "first", "lies above"},
		{422, inventory.Number{First: "+442079460600", State: "active", AlertInfo: "loud"}, "ring", "invalid Alert-Info"},
	} {
		p := c.Problem(bad.status, "PUT", "/api/draft/numbers", api.Put[inventory.Number]{Is: bad.n})
		require.NotEmpty(t, p.Errors, bad.complaint)
		assert.Equal(t, bad.place, p.Errors[0].Location)
		assert.Contains(t, p.Errors[0].Message, bad.complaint)
	}
	assert.Equal(t, before, find(c, ""))
}

func TestANumberIsLookedAtBeforeItIsSaved(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	var e api.NumberEffect
	look := api.NumberLook{Is: inventory.Number{First: "+442079460600", Last: "+442079460679", State: "active", Carrier: "ostrel", Destination: "quay-extensions", Extension: "2300"}}
	c.Ask("POST", "/api/draft/numbers-effect", look, &e)
	assert.Empty(t, e.Problems)
	require.NotNil(t, e.Mapped)
	assert.Equal(t, 80, e.Mapped.Taken, "020 7946 0400 to 0479 lands there")
	assert.Equal(t, "2200", e.Mapped.Offers[0].First.String(), "what is free is offered first")
	require.NotEmpty(t, e.Arrivals)
	assert.True(t, e.Arrivals[0].Same)
	assert.Equal(t, "2300", e.Arrivals[0].As)
	require.Len(t, e.Then, 3)
	assert.Equal(t, []any{"busy", 486}, []any{e.Then[0].When, e.Then[0].Status})
	look.Member = "+442079460645"
	c.Ask("POST", "/api/draft/numbers-effect", look, &e)
	assert.Equal(t, "2345", e.Arrivals[0].As)
	look.Is.Extension = "2400"
	e = api.NumberEffect{}
	c.Ask("POST", "/api/draft/numbers-effect", look, &e)
	assert.Equal(t, "extension", e.Problems[0].Place)
	assert.Equal(t, 80, e.Mapped.NotThere)

	var m inbound.Mapped
	mapping := inbound.Mapping{First: "+442079460400", Last: "+442079460479", Format: "national", Destination: "quay-extensions", Steps: []rewrite.Step{{Op: rewrite.KeepLast, Count: 2}, {Op: rewrite.AddPrefix, Digits: "24"}}}
	c.Ask("POST", "/api/draft/mapping", mapping, &m)
	assert.False(t, m.Right)
	assert.EqualValues(t, 100, m.Offers[0].Off)
	mapping.Destination = "operator"
	c.Problem(422, "POST", "/api/draft/mapping", mapping)
}

// bring sends a sheet of numbers and waits for what comes of it.
func bring(t *testing.T, c *apitest.Client, sheet, query string) (j api.NumberImport) {
	status, text := c.Send("POST", "/api/draft/numbers.csv?"+query, []byte(sheet), http.Header{"Content-Type": {"text/csv"}})
	require.Equal(t, 202, status, string(text))
	require.NoError(t, json.Unmarshal(text, &j))
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/imports/"+j.ID, nil, &j)
		return j.Phase == "done" || j.Phase == "failed" || j.Phase == "cancelled"
	}, 30*time.Second, 10*time.Millisecond)
	return j
}

func TestNumbersComeInAsCSV(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	before := find(c, "")
	head := "first,last,state,carrier,destination,extension,note\n"
	j := bring(t, c, head+"+442079460700,+442079460749,active,ostrel,quay-extensions,2200,\n+4420 7946 0800,,sold,,,,\n+442079460720,+442079460799,active,,,,\n+442079460801,,active,nobody,,,\n", "")
	assert.False(t, j.Applied)
	assert.Equal(t, 4, j.Bad)
	var why []string
	for _, f := range j.Faults {
		why = append(why, fmt.Sprintf("%d %s: %s", f.Line, f.Faults[0].Place, f.Faults[0].Reason))
	}
	assert.Equal(t, []string{
		"2 first: +442079460700 to +442079460749 overlaps +442079460720 to +442079460799",
		`3 state: "sold" is not a state; these are ordered, trial, active, porting and spare`,
		"4 first: +442079460720 to +442079460799 overlaps +442079460700 to +442079460749",
		`5 carrier: unknown far end "nobody"`,
	}, why)
	assert.Equal(t, before, find(c, ""), "nothing half imported")
	_, report := c.Send("GET", "/api/imports/"+j.ID+"/report.csv", nil, nil)
	lines := strings.Split(strings.TrimSpace(string(report)), "\r\n")
	require.Len(t, lines, 5, "a line for each line")
	assert.True(t, strings.HasPrefix(lines[4], "5,442079460801,bad,"), lines[4])

	good := head + "+442079460700,+442079460749,active,ostrel,quay-extensions,2200,\n+448081570123,,active,ostrel,bookings-desk,,changed\n"
	j = bring(t, c, good, "check=true")
	assert.False(t, j.Applied)
	assert.Equal(t, []int{1, 1, 0}, []int{j.Added, j.Changed, j.Bad})
	assert.NotNil(t, j.Faults, "an empty list, as the API's description says")
	j = bring(t, c, good, "")
	assert.True(t, j.Applied)
	assert.Equal(t, before.Total+1, find(c, "").Total)
	j = bring(t, c, good, "sweep=true")
	assert.Equal(t, []int{2, before.Total - 1}, []int{j.Same, j.Removed})
	assert.Equal(t, 2, find(c, "").Total)
	c.Ask("POST", "/api/draft/undo", nil, nil)
	assert.Equal(t, before.Total+1, find(c, "").Total)

	_, sheet := c.Send("GET", "/api/draft/numbers.csv", nil, nil)
	j = bring(t, c, string(sheet), "check=true")
	assert.Equal(t, before.Total+1, j.Same, "what goes out comes back the same")
	j = bring(t, c, head+"+442079460390,+442079460400,active,,,,\n", "")
	require.Len(t, j.Faults, 1, "an overlap with a row that comes behind it is the line's fault too")
	assert.Equal(t, "+442079460390 to +442079460400 overlaps +442079460400 to +442079460479", j.Faults[0].Faults[0].Reason)
	j = bring(t, c, head+"+442079460900,,active,,,,\n0044 20 7946 0901,,active,,,,\n+44 20 7946 0900,,spare,,,,\n", "")
	assert.False(t, j.Applied)
	last := j.Faults[len(j.Faults)-1]
	assert.Equal(t, []any{4, "first", `"442079460900" stands in line 2 too`}, []any{last.Line, last.Faults[0].Place, last.Faults[0].Reason}, "one number in two states")
	j = bring(t, c, "number\n1\n", "")
	assert.Equal(t, "failed", j.Phase)
	assert.Contains(t, j.Why, `unknown column "number"; allowed: first, last`)
}

// An import that is stopped leaves the draft as it was, however far it had come.
func TestAnImportIsStopped(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	before := find(c, "")
	var sheet strings.Builder
	sheet.WriteString("first,state\n")
	for i := range 300_000 {
		fmt.Fprintf(&sheet, "+4420795%05d0,spare\n", i)
	}
	var j api.NumberImport
	_, text := c.Send("POST", "/api/draft/numbers.csv", []byte(sheet.String()), http.Header{"Content-Type": {"text/csv"}})
	require.NoError(t, json.Unmarshal(text, &j))
	c.Ask("DELETE", "/api/imports/"+j.ID, nil, nil)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/imports/"+j.ID, nil, &j)
		return j.Phase == "cancelled"
	}, 30*time.Second, 10*time.Millisecond)
	assert.False(t, j.Applied)
	assert.Equal(t, before, find(c, ""))
	assert.True(t, bring(t, c, "first,state\n+442079500000,spare\n", "").Applied, "and the next one is taken")
}

// A rule shows a number that it takes in each form, as it would do if it were saved.
func TestARuleIsShownInEachFormOfANumber(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	ask := api.RuleArrivals{RuleAsk: api.RuleAsk{Table: "carriers-in", Rule: plan.Rule{
		ID: "in-agencies", Name: "The chandler", Match: plan.Match{Called: "+442079460512"}, Then: plan.Then{Destination: "storm-desk"},
	}}}
	var out api.RuleArrived
	c.Ask("POST", "/api/draft/rule-arrivals", ask, &out)
	assert.Equal(t, "+442079460512", out.Number, "the rule's own number, where none is asked for")
	by := map[string]string{}
	for _, a := range out.Arrivals {
		by[a.Trunk.ID+" "+a.Format.Number.String()] = a.As
	}
	assert.Equal(t, "2005", by["ostrel +442079460512"])
	assert.Equal(t, "2000", by["ostrel 0512"], "Ostrel gives +; what is not that goes to the last resort")
	assert.Equal(t, "2005", by["penhallow 02079460512"])
	ask.Rule.Then = plan.Then{Table: "nowhere"}
	p := c.Problem(422, "POST", "/api/draft/rule-arrivals", ask)
	assert.NotEmpty(t, p.Errors)
	ask.Rule.Then, ask.Number = plan.Then{Destination: "storm-desk"}, "12x"
	assert.Equal(t, "body.number", c.Problem(422, "POST", "/api/draft/rule-arrivals", ask).Errors[0].Location)
}

func TestARuleThatCutsAndPrefixesIsWorkedOutOverItsBlock(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	ask := api.RuleAsk{Table: "carriers-in", Rule: plan.Rule{
		Match: plan.Match{Called: "+4420794604[0-7]x"}, Then: plan.Then{Destination: "quay-extensions"},
		CalledSteps: []rewrite.Step{{Op: rewrite.KeepLast, Count: 2}, {Op: rewrite.AddPrefix, Digits: "24"}},
	}}
	var out api.RuleMapping
	c.Ask("POST", "/api/draft/rule-mapping", ask, &out)
	require.NotNil(t, out.Mapped)
	assert.Equal(t, 80, out.Mapped.NotThere)
	assert.Equal(t, "2300", out.Mapped.Offers[0].First.String())
	ask.Rule.Then = plan.Then{Inventory: true}
	out = api.RuleMapping{}
	c.Ask("POST", "/api/draft/rule-mapping", ask, &out)
	assert.Nil(t, out.Mapped, "it maps nothing itself")
	ask.Rule.Then, ask.Rule.Match.Called = plan.Then{Destination: "quay-extensions"}, "+44[9"
	assert.Contains(t, c.Problem(422, "POST", "/api/draft/rule-mapping", ask).Detail, "position")
}

// Many rows are changed in one step, or none; one undo reverts it.
func TestManyNumbersAreEditedAtOnce(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	before := find(c, "")
	site, owner, nowhere := "Island terminal", "", "nowhere"
	var done api.NumbersEdited
	c.Ask("POST", "/api/draft/numbers-edit", api.NumbersEdit{Where: api.NumbersWhere{State: "active"}, Set: api.NumbersSet{Site: &site, Owner: &owner}, Found: 6}, &done)
	assert.Equal(t, 6, done.Changed)
	for i, row := range find(c, "").Rows {
		was := before.Rows[i].Number
		if was.State == "active" {
			was.Site, was.Owner = site, owner
		}
		assert.Equal(t, was, row.Number, "no other field, and no other row")
	}
	c.Ask("POST", "/api/draft/undo", nil, nil)
	assert.Equal(t, before.Rows, find(c, "").Rows)

	ids := []string{before.Rows[0].ID, before.Rows[2].ID}
	assert.Contains(t, c.Problem(409, "POST", "/api/draft/numbers-edit", api.NumbersEdit{IDs: ids, Delete: true, Found: 3}).Detail, "2 rows are found now, not 3")
	c.Problem(409, "POST", "/api/draft/numbers-edit", api.NumbersEdit{IDs: []string{ids[0], ids[0]}, Set: api.NumbersSet{Site: &site}, Found: 2})
	c.Problem(404, "POST", "/api/draft/numbers-edit", api.NumbersEdit{IDs: []string{"44"}, Delete: true, Found: 1})
	c.Problem(422, "POST", "/api/draft/numbers-edit", api.NumbersEdit{IDs: ids, Set: api.NumbersSet{Destination: &nowhere}, Found: 2})
	assert.Equal(t, before.Rows, find(c, "").Rows, "what is refused changes nothing")
	c.Ask("POST", "/api/draft/numbers-edit", api.NumbersEdit{IDs: ids, Delete: true, Found: 2}, nil)
	assert.Equal(t, before.Total-2, find(c, "").Total)
}
