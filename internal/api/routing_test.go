package api_test

import (
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apitest"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/guide"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

func stateOf(list api.CheckList, id string) api.CheckState {
	for _, c := range list.Checks {
		if c.Check.ID == id {
			return c
		}
	}
	return api.CheckState{}
}

func TestChecksAreProvenUntilSomethingOfTheirsChanges(t *testing.T) {
	c := apitest.SignedIn(t, func(p *plan.Plan) {
		// Tests run at any hour: their calendars are always open.
		p.Checks = slices.DeleteFunc(slices.Clone(p.Checks), func(c plan.Check) bool { return c.Simulate.Time != "" })
	})
	var list api.CheckList
	c.Ask("GET", "/api/checks", nil, &list)
	require.NotEmpty(t, list.Checks)
	assert.Equal(t, len(list.Checks), list.Stale, "none ran yet")
	c.Ask("POST", "/api/checks/run", api.CheckAsk{}, &list)
	assert.Equal(t, len(list.Checks), list.Passed, "%+v", list)

	// A rule of a table on the way: those that pass the table are not proven, others are.
	var d api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &d)
	rule := d.Plan.Tables[1].Rules[1]
	was := rule
	rule.Note = "looked at"
	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "outside", Rule: rule, Was: &was}, nil)
	c.Ask("GET", "/api/checks", nil, &list)
	assert.Equal(t, "stale", stateOf(list, "national").State)
	assert.Equal(t, []string{"table outside"}, stateOf(list, "national").Touched)
	assert.Equal(t, "passed", stateOf(list, "inside-quay").State)
	c.Ask("POST", "/api/checks/run", api.CheckAsk{IDs: []string{"national"}}, &list)
	assert.Equal(t, "passed", stateOf(list, "national").State)
	assert.Equal(t, "stale", stateOf(list, "mobile").State, "it did not run again")

	// A wrong expectation fails, and says what came.
	check := stateOf(list, "national").Check
	old := check
	check.Expected.TrunkOut = "penhallow"
	c.Ask("PUT", "/api/draft/checks/national", api.Put[plan.Check]{Is: check, Was: &old}, nil)
	c.Ask("GET", "/api/checks", nil, &list)
	assert.Equal(t, []string{"the check itself"}, stateOf(list, "national").Touched)
	c.Ask("POST", "/api/checks/run", api.CheckAsk{IDs: []string{"national"}}, &list)
	assert.Equal(t, "failed", stateOf(list, "national").State)
	assert.Equal(t, []decide.Difference{{What: "trunk", Expected: "penhallow", Actual: "ostrel"}}, stateOf(list, "national").Differences)
}

func TestTheEffectOfARuleIsTold(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	var effect findings.RuleEffect
	ask := api.RuleAsk{Table: "phones-out", Rule: plan.Rule{Name: "Wide", Match: plan.Match{Called: "999"}, Then: plan.Then{RejectCause: 21}}}
	c.Ask("POST", "/api/draft/effect", ask, &effect)
	require.NotEmpty(t, effect.Findings)
	assert.Equal(t, "covered", effect.Findings[0].Kind)
	ask.Rule.Match.Called = "99["
	p := c.Problem(422, "POST", "/api/draft/effect", ask)
	assert.Equal(t, "match/called", p.Errors[0].Location)
	ask.Table = "gone"
	c.Problem(404, "POST", "/api/draft/effect", ask)

	// A rule that loops, and a prefix that hides extensions, are found before they are live.
	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "phones-out", Before: "phones-internal", Rule: plan.Rule{
		ID: "hides", Name: "A short code", Match: plan.Match{Called: "21x."}, Then: plan.Then{Table: "phones-out"},
	}}, nil)
	var found []findings.Finding
	c.Ask("GET", "/api/draft/tables/phones-out/findings", nil, &found)
	kinds := map[string]bool{}
	for _, f := range found {
		if f.Rule == "hides" {
			kinds[f.Kind] = true
		}
	}
	assert.True(t, kinds["loop"], "%+v", found)
	var hidden []findings.Hidden
	c.Ask("GET", "/api/draft/hidden-destinations", nil, &hidden)
	assert.Empty(t, hidden, "calls that loop reach nobody: the loop is told, and nothing takes them away")
	c.Problem(404, "GET", "/api/draft/tables/gone/findings", nil)

	var so decide.Collection
	c.Ask("POST", "/api/collected-digits", api.CollectAsk{Plan: "live", From: "4123", Typed: "617555"}, &so)
	assert.Equal(t, decide.StagePartial, so.Stage)
	c.Problem(422, "POST", "/api/collected-digits", api.CollectAsk{Plan: "live", From: "nobody", Typed: "1"})
}

func TestListsOfNumbers(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	ask := api.ListAsk{Plan: "live", From: "2250", Numbers: []string{"9 0191 498 0850", "9 0808 157 0199", "9y", "999"}}
	var rows []api.Listed
	c.Ask("POST", "/api/test-calls/list", ask, &rows)
	require.Len(t, rows, 4)
	assert.Equal(t, []string{"refused", "answered", "no number", "answered"}, []string{rows[0].Outcome, rows[1].Outcome, rows[2].Outcome, rows[3].Outcome})
	assert.Equal(t, "local", rows[0].Class)
	assert.Contains(t, rows[2].Bad, "y")
	status, text := c.Send("POST", "/api/test-calls/list.csv", ask, nil)
	assert.Equal(t, 200, status)
	lines := strings.Split(strings.TrimSpace(string(text)), "\r\n")
	require.Len(t, lines, 5)
	assert.Equal(t, "9 0808 157 0199,answered,freephone,Freephone,ostrel,+448081570199,+441914980100,200,16,Ostrel Carrier answered", lines[2])
}

func TestDirectoriesComeInAsCSV(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	send := func(text string, check bool) (api.SheetReport, string, int) {
		path := "/api/draft/caller-groups.csv"
		if check {
			path += "?check=true"
		}
		report := api.SheetReport{}
		status, body := c.Send("POST", path, []byte(text), http.Header{"Content-Type": {"text/csv"}})
		if status == 200 {
			require.NoError(t, json.Unmarshal(body, &report))
		}
		return report, string(body), status
	}
	good := "id,name,callerPattern,trunks,permissions\ncrew,Crew,22xx,quay-phones,internal freephone national\nnight,Night watch,217x,quay-phones,internal\n"
	report, _, _ := send(good, true)
	assert.False(t, report.Applied)
	assert.Equal(t, 1, report.Added)
	assert.Equal(t, 1, report.Changed)

	report, _, _ = send("id,name,may\ncrew,Crew,internal\nbad,Bad,everything\n", false)
	assert.False(t, report.Applied, "one bad line, and nothing is taken")
	assert.Equal(t, 1, report.Bad)
	assert.Contains(t, report.Lines[1].Faults[0].Reason, `unknown class "everything"`)
	_, body, status := send("\xff\xfei\x00d\x00", false)
	assert.Equal(t, 422, status)
	assert.Contains(t, body, "UTF-16")

	report, _, _ = send(good, false)
	assert.True(t, report.Applied)
	var d api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &d)
	assert.Equal(t, "Night watch", plan.NewIndex(d.Plan).CallerGroups["night"].Name)
	status, text := c.Send("GET", "/api/draft/caller-groups.csv", nil, nil)
	assert.Equal(t, 200, status)
	report, _, _ = send(string(text), true)
	assert.Equal(t, len(d.Plan.CallerGroups), report.Same, "what goes out comes back the same")
	c.Ask("POST", "/api/draft/undo", nil, nil)
	c.Ask("GET", "/api/draft", nil, &d)
	assert.Nil(t, plan.NewIndex(d.Plan).CallerGroups["night"], "one step takes the whole file back")
}

func TestTheGuideEntersTheDraftWholeOrNotAtAll(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	var start api.GuideStart
	c.Ask("GET", "/api/guide/cape", nil, &start)
	assert.Equal(t, "011", start.International)
	assert.Equal(t, []string{"911", "112"}, start.Emergency)
	var proposed api.GuideOutbound
	c.Ask("POST", "/api/guide/outbound", guide.Ask{Switch: "quay", InboundTable: "phones-out", Outside: "guided", Prefix: "8", Paths: map[numbering.Class]string{numbering.ClassNational: "national"}}, &proposed)
	list := proposed.Proposals
	require.NotEmpty(t, list)
	require.NotEmpty(t, proposed.Examples)
	require.Empty(t, proposed.Undecided)
	for _, e := range proposed.Examples {
		if e.Class == numbering.ClassNational {
			assert.True(t, e.OK, "%s: %s", e.Dialled, e.Why)
		}
	}
	take := api.GuideTake{Tables: []plan.Table{{ID: "guided", Name: "Guided", Switch: "quay", Order: plan.AsListed, Rules: []plan.Rule{}}}}
	for _, p := range list {
		if p.Table == "guided" {
			take.Rules = append(take.Rules, api.TakenRule{Table: p.Table, Rule: p.Rule})
		}
	}
	broken := take
	broken.Rules = append([]api.TakenRule{}, take.Rules...)
	broken.Rules[0].Rule.Then = plan.Then{Path: "gone"}
	c.Problem(422, "POST", "/api/guide/take", broken)
	var d api.DraftPlan
	c.Ask("GET", "/api/draft", nil, &d)
	assert.Nil(t, plan.NewIndex(d.Plan).Tables["guided"])
	c.Ask("POST", "/api/guide/take", take, nil)
	c.Ask("GET", "/api/draft", nil, &d)
	assert.Len(t, plan.NewIndex(d.Plan).Tables["guided"].Rules, len(take.Rules))
	c.Problem(409, "POST", "/api/guide/take", take)
}

func TestTablesAreAddedAndTakenOut(t *testing.T) {
	c := apitest.SignedIn(t, nil)
	table := api.NewTable{ID: "spare", Switch: "quay", TableSettings: api.TableSettings{Name: "Spare", Order: "as-listed"}}
	c.Ask("POST", "/api/draft/tables", table, nil)
	c.Problem(409, "POST", "/api/draft/tables", table)
	c.Problem(422, "POST", "/api/draft/tables", api.NewTable{ID: "other", Switch: "nowhere", TableSettings: api.TableSettings{Name: "", Order: "as-listed"}})
	c.Problem(409, "DELETE", "/api/draft/tables/outside", nil)
	c.Ask("DELETE", "/api/draft/tables/spare", nil, nil)
	c.Problem(404, "DELETE", "/api/draft/tables/spare", nil)
}
