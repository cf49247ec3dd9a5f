package app_test

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
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/ical"
	"switchback.example/switchback/internal/core/inbound"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/core/trail"
)

func find(c *apptest.Client, query string) (page api.NumbersPage) {
	c.Ask("GET", "/api/draft/numbers?"+query, nil, &page)
	return page
}

func TestTheInventoryIsSearchedAndEdited(t *testing.T) {
	c := apptest.SignedIn(t, nil)
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
	c := apptest.SignedIn(t, nil)
	before := find(c, "")
	for _, bad := range []struct {
		status           int
		n                inventory.Number
		place, complaint string
	}{
		{409, inventory.Number{First: "+448081570123", State: "active"}, "first", "is there already; open that row"},
		{422, inventory.Number{First: "+441914980290", Last: "+441914980310", State: "active"}, "first", "overlaps +441914980100 to +441914980299"},
		{422, inventory.Number{First: "+441914980050", Last: "+441914980149", State: "active"}, "first", "overlaps +441914980100 to +441914980299"},
		{422, inventory.Number{First: "+442079460600", Last: "+442079460699", State: "active", Destination: "quay-extensions", Extension: "2350"}, "extension", "70 of these are not there at Quay extensions (2380 to 2449)"},
		{422, inventory.Number{First: "2150", State: "active"}, "first", "2150 is an extension of Quay extensions"},
		{422, inventory.Number{First: "+442079460699", Last: "+442079460600", State: "active"}, "first", "lies above"},
		{422, inventory.Number{First: "+442079460600", State: "active", AlertInfo: "loud"}, "ring", "no value of Alert-Info"},
	} {
		p := c.Problem(bad.status, "PUT", "/api/draft/numbers", api.Put[inventory.Number]{Is: bad.n})
		require.NotEmpty(t, p.Errors, bad.complaint)
		assert.Equal(t, bad.place, p.Errors[0].Location)
		assert.Contains(t, p.Errors[0].Message, bad.complaint)
	}
	assert.Equal(t, before, find(c, ""))
}

func TestANumberIsLookedAtBeforeItIsSaved(t *testing.T) {
	c := apptest.SignedIn(t, nil)
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
func bring(t *testing.T, c *apptest.Client, sheet, query string) (j api.NumberImport) {
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
	c := apptest.SignedIn(t, nil)
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
		`5 carrier: no far end has the id "nobody"`,
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
	c := apptest.SignedIn(t, nil)
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

// Two numbers arrive: one that is only ordered, and one that is not in the inventory.
func TestWhatCallsTeachOfNumbers(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	for _, called := range []string{"+447700900461", "+441914980555", "+441914980110"} {
		place(t, c, api.TestAsk{Mode: "live", Plan: "live", From: "ostrel", Called: called, Caller: "+441914980850", TalkSeconds: 1})
	}
	var sum api.NumbersSummary
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/draft/numbers-summary", nil, &sum)
		return sum.Early == 1 && sum.StrangeCount == 1
	}, 20*time.Second, 20*time.Millisecond)
	assert.Equal(t, []any{"+441914980555", "ostrel", int64(1)}, []any{sum.Strange[0].Number, sum.Strange[0].Trunk, sum.Strange[0].Calls})
	assert.Equal(t, "447700900461", find(c, "only=early").Rows[0].ID)
	for _, r := range find(c, "only=silent").Rows {
		assert.NotEqual(t, "441914980100-441914980299", r.ID, "one of the block arrived")
	}
	assert.EqualValues(t, 1, find(c, "text=4980110").Rows[0].Calls)
	require.Eventually(t, func() bool { // and it outlasts the process
		list, err := c.Store().Arrivals(t.Context())
		return err == nil && len(list) == 3
	}, 20*time.Second, 50*time.Millisecond)
}

// place places a live call and waits until it is over.
func place(t *testing.T, c *apptest.Client, ask api.TestAsk) (try api.Test) {
	c.Ask("POST", "/api/test-calls", ask, &try)
	require.Eventually(t, func() bool {
		c.Ask("GET", "/api/test-calls/"+try.ID, nil, &try)
		return try.State == "over" && try.Call != nil
	}, 20*time.Second, 20*time.Millisecond)
	return try
}

func TestHoursAreShownAndSetByHand(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	now := func() map[string]api.CalendarNow {
		var list []api.CalendarNow
		c.Ask("GET", "/api/calendars", nil, &list)
		out := map[string]api.CalendarNow{}
		for _, h := range list {
			out[h.ID] = h
		}
		return out
	}
	h := now()["bookings"]
	assert.Equal(t, "day", h.Places[0].State)
	assert.Equal(t, []string{"Quay"}, h.Places[0].Switches)
	assert.Nil(t, h.Override)
	c.Problem(422, "PUT", "/api/calendars/bookings/override", api.OverridePut{State: "gale"})
	c.Problem(404, "PUT", "/api/calendars/gone/override", api.OverridePut{State: "storm"})
	c.Ask("PUT", "/api/calendars/bookings/override", api.OverridePut{State: "storm", Minutes: 60, Why: "wind"}, nil)
	h = now()["bookings"]
	require.NotNil(t, h.Override)
	assert.Equal(t, []string{"storm", "wind", apptest.User}, []string{h.Override.State, h.Override.Why, h.Override.By})
	assert.Equal(t, []string{"storm", "day", "override"}, []string{h.Places[0].State, h.Places[0].Times, h.Places[0].Because.By})

	var try api.Test
	c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "dry", Plan: "live", From: "ostrel", Called: "+448081570123", Caller: "+441914980850"}, &try)
	assert.Equal(t, "2005", try.Result.Called, "a try goes by what is set by hand")
	require.Eventually(t, func() bool {
		list, err := c.Store().Overrides(t.Context(), time.Now())
		return err == nil && len(list) == 1
	}, 10*time.Second, 20*time.Millisecond)
	c.Ask("DELETE", "/api/calendars/bookings/override", nil, nil)
	assert.Nil(t, now()["bookings"].Override)
}

func TestAMonthOfACalendarAndItsFiles(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	bookings := plan.Calendar{
		ID: "bookings", Name: "Bookings", Holidays: hours.Holidays{Country: "GB", State: "holiday"}, DefaultState: "night",
		Week:  []hours.Weekly{{Days: []string{"mon", "tue", "wed", "thu", "fri"}, From: "07:00", To: "20:00", State: "day"}},
		Dates: []hours.Dated{{Name: "Christmas Eve", On: "2026-12-24", From: "14:00", Yearly: true, State: "night"}},
	}
	var m api.CalendarMonth
	c.Ask("POST", "/api/draft/calendar-preview", api.CalendarAsk{Calendar: bookings, Month: "2026-12", Zone: "Europe/London"}, &m)
	require.Len(t, m.Days, 31)
	eve := m.Days[23]
	assert.Equal(t, "night 00:00-07:00, day 07:00-14:00, night 14:00-24:00", spansText(eve))
	assert.Equal(t, "holiday", m.Days[24].Spans[0].State)
	assert.Equal(t, "Christmas Day", m.Days[24].Spans[0].Because.Name)
	c.Ask("POST", "/api/draft/calendar-preview", api.CalendarAsk{Calendar: bookings, Month: "2026-10", Zone: "Europe/London"}, &m)
	assert.InDelta(t, 25, m.Days[24].Hours, 0.01)
	bookings.Dates[0].Until = "2026-12-20"
	m = api.CalendarMonth{}
	c.Ask("POST", "/api/draft/calendar-preview", api.CalendarAsk{Calendar: bookings, Month: "2026-12"}, &m)
	assert.Equal(t, []plan.Problem{{Place: "dates/0/until", Reason: "it ends on 2026-12-20, before it begins on 2026-12-24"}}, m.Problems)
	c.Problem(422, "POST", "/api/draft/calendar-preview", api.CalendarAsk{Calendar: bookings, Month: "December"})

	status, text := c.Send("GET", "/api/draft/calendars/office/calendar.ics", nil, nil)
	assert.Equal(t, 200, status)
	assert.Contains(t, string(text), "BEGIN:VCALENDAR")
	var read ical.Reading
	_, body := c.Send("POST", "/api/ical?zone=Europe/London&state=holiday", []byte("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART;VALUE=DATE:20261224\r\nSUMMARY:Closed\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n"), http.Header{"Content-Type": {"text/calendar"}})
	require.NoError(t, json.Unmarshal(body, &read))
	assert.Equal(t, []hours.Dated{{Name: "Closed", On: "2026-12-24", State: "holiday"}}, read.Dates)
	status, _ = c.Send("POST", "/api/ical", []byte("no calendar"), http.Header{"Content-Type": {"text/calendar"}})
	assert.Equal(t, 422, status)
	var countries []string
	c.Ask("GET", "/api/holidays", nil, &countries)
	assert.Contains(t, countries, "GB")
	var clocks api.Clocks
	c.Ask("GET", "/api/clocks", nil, &clocks)
	require.NotNil(t, clocks.Database)
	assert.False(t, clocks.Database.Differ)
}

func spansText(d api.CalendarDay) string {
	var out []string
	for _, s := range d.Spans {
		out = append(out, fmt.Sprintf("%s %s-%s", s.State, s.From, s.To))
	}
	return strings.Join(out, ", ")
}

// changeRule changes a rule of the draft.
func changeRule(c *apptest.Client, id string, change func(r *plan.Rule)) {
	var d api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &d)
	for _, table := range d.Plan.Tables {
		for _, r := range table.Rules {
			if r.ID == id {
				was := r
				change(&r)
				c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: table.ID, Rule: r, Was: &was}, nil)
			}
		}
	}
}

func TestADraftIsRehearsedBeforeItGoesLive(t *testing.T) {
	c := apptest.SignedIn(t, func(p *plan.Plan) {
		var keep []plan.Check
		for _, check := range p.Checks {
			if check.Simulate.Time == "" {
				keep = append(keep, check)
			}
		}
		p.Checks = keep
	})
	place(t, c, api.TestAsk{Mode: "live", Plan: "live", From: "2150", Called: "901914980850", TalkSeconds: 1})
	var r api.Impact
	require.Eventually(t, func() bool {
		c.Ask("POST", "/api/draft/impact", nil, &r)
		return r.Replayed.Decided == 1
	}, 10*time.Second, 50*time.Millisecond)
	assert.Empty(t, r.Checks.Failed)
	assert.Equal(t, 1, r.Replayed.Same)
	lost := map[string]int{}
	for _, a := range r.TrunkFailures {
		lost[a.Trunk.ID] = len(a.Lost)
	}
	assert.Zero(t, lost["ostrel"], "Penhallow takes what it carries")
	assert.Positive(t, lost["tamarack"], "Cape's only way out")

	changeRule(c, "outside-national", func(r *plan.Rule) { r.Then = plan.Then{RejectCause: 21} })
	c.Ask("POST", "/api/draft/impact", nil, &r)
	require.NotEmpty(t, r.Replayed.Groups)
	g := r.Replayed.Groups[0]
	assert.Equal(t, []any{"refused", "ostrel", 1}, []any{string(g.What), g.Before, g.Count})
	assert.Equal(t, trail.Answered, g.Calls[0].Happened.Outcome)
	assert.Equal(t, trail.Refused, g.Calls[0].Would.Outcome)
	var failed []string
	for _, f := range r.Checks.Failed {
		failed = append(failed, f.ID)
	}
	assert.Contains(t, failed, "national")
}

// A plan is tried on one extension, then on a group, survives a start of the process, and
// is taken back; a go-live ends it.
func TestAPlanIsTriedOnSomeFirst(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	changeRule(c, "outside-national", func(r *plan.Rule) { r.Then = plan.Then{RejectCause: 21} })
	version := func() int64 {
		var ch api.Changes
		c.Ask("GET", "/api/changes", nil, &ch)
		return ch.Version
	}
	answered := func(from string) bool {
		return place(t, c, api.TestAsk{Mode: "live", Plan: "live", From: from, Called: "901914980850", TalkSeconds: 1}).Status == 200
	}
	var trial api.Trial
	c.Ask("GET", "/api/trial", nil, &trial)
	assert.False(t, trial.Running)
	c.Problem(422, "PUT", "/api/trial", api.TrialAsk{Version: version(), Scopes: []standing.Scope{{Trunk: "gone"}}})
	c.Problem(422, "PUT", "/api/trial", api.TrialAsk{Version: version(), Scopes: []standing.Scope{{}}})
	c.Problem(409, "PUT", "/api/trial", api.TrialAsk{Version: version() - 1, Scopes: []standing.Scope{{Extension: "2150"}}})
	c.Ask("PUT", "/api/trial", api.TrialAsk{Version: version(), Scopes: []standing.Scope{{Extension: "2150"}}}, &trial)
	assert.True(t, trial.Running)
	assert.False(t, answered("2150"))
	assert.True(t, answered("2151"))
	c.Ask("GET", "/api/trial", nil, &trial)
	assert.EqualValues(t, 1, trial.Calls)

	v := trial.Version
	changeRule(c, "outside-mobile", func(r *plan.Rule) { r.Note = "edited meanwhile" })
	c.Ask("GET", "/api/trial", nil, &trial)
	assert.True(t, trial.Moved, "what is tried is as it was")
	c.Ask("PUT", "/api/trial", api.TrialAsk{Version: v, Scopes: []standing.Scope{{Group: "office"}}}, &trial)
	assert.False(t, answered("2151"), "widened")
	assert.True(t, answered("2001"), "a manager is not of the office")

	again := c.Again()
	trial = api.Trial{}
	again.Ask("GET", "/api/trial", nil, &trial)
	assert.True(t, trial.Running, "it outlasts the process")
	assert.Equal(t, []standing.Scope{{Group: "office"}}, trial.Scopes)
	c = again
	assert.False(t, answered("2151"))
	c.Ask("DELETE", "/api/trial", nil, &trial)
	assert.False(t, trial.Running)
	assert.True(t, answered("2151"), "taken back in one step")

	c.Ask("PUT", "/api/trial", api.TrialAsk{Version: version(), Scopes: []standing.Scope{{Extension: "2150"}}}, nil)
	c.Ask("POST", "/api/live", api.GoLive{Version: version()}, nil)
	c.Ask("GET", "/api/trial", nil, &trial)
	assert.False(t, trial.Running, "a go-live ends it")
}

// A rule shows a number that it takes in each form, as it would do if it were saved.
func TestARuleIsShownInEachFormOfANumber(t *testing.T) {
	c := apptest.SignedIn(t, nil)
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
	c := apptest.SignedIn(t, nil)
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
