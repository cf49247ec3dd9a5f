package decide_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

var busy = decide.Report{Kind: trail.ReportRefused, Status: 486}

func trunkOf(p *plan.Plan, id string) *plan.Trunk {
	for i := range p.Trunks {
		if p.Trunks[i].ID == id {
			return &p.Trunks[i]
		}
	}
	return nil
}

// A last resort takes what nobody answers, of a trunk before that of its switch; it is no
// second try, and takes nothing from phones, from our other switches, or of emergencies.
func TestLastResorts(t *testing.T) {
	res := dry(t, "ostrel", "+441914980555", "", decide.Suppose{}, nil)
	assert.Contains(t, trail.Text(res.Steps), "last-resort destination of switch quay: operator (+441914980555 is not in the inventory)")
	assert.Equal(t, "2000", res.Called)

	res = dry(t, "ostrel", "+441914980555", "", decide.Suppose{}, func(p *plan.Plan) { trunkOf(p, "ostrel").LastResort = "bookings-desk" })
	assert.Contains(t, trail.Text(res.Steps), "last-resort destination of trunk ostrel: bookings-desk")
	assert.Equal(t, "2010", res.Called)

	res = dry(t, "ostrel", "+441914980555", "", decide.Suppose{Hears: map[string]decide.Report{"quay-phones": busy}}, nil)
	assert.Equal(t, trail.Failed, res.Outcome, "when the operator is busy, the caller hears so")
	assert.Len(t, res.Attempts, 1)

	res = dry(t, "ostrel", "+441914980110", "", decide.Suppose{Hears: map[string]decide.Report{"quay-phones": busy}}, nil)
	assert.NotContains(t, trail.Text(res.Steps), "last-resort", "somebody has the number, and is busy")

	res = dry(t, "quay-cape", "5555", "", decide.Suppose{}, nil)
	assert.Equal(t, 404, res.Cause.SIP, "our other switch is told, and has a last resort of its own")
	res = dry(t, "ostrel", "999", "", decide.Suppose{}, nil)
	assert.Contains(t, trail.Text(res.Steps), "last-resort", "a carrier's call to 999 is no emergency call of ours")
	res = dry(t, "quay-phones", "999", "2001", decide.Suppose{}, func(p *plan.Plan) {
		trunkOf(p, "quay-phones").LastResort = "operator"
		p.Tables[0].Rules = []plan.Rule{{ID: "none", Name: "None", Match: plan.Match{Called: "1"}, Then: plan.Then{RejectCause: 1}}}
	})
	assert.NotContains(t, trail.Text(res.Steps), "last-resort", "an emergency call is never given to an operator")
}

func TestTheLastResortMustRingInside(t *testing.T) {
	p := calltest.Plan(t, "skerry-line")
	trunkOf(&p, "ostrel").LastResort = "quay-extensions"
	trunkOf(&p, "tamarack").LastResort = "operator"
	_, problems := decide.Compile(p)
	assert.ElementsMatch(t, []plan.Problem{
		{Place: "/trunks/ostrel/lastResort", Reason: "Quay extensions has many numbers; a last resort rings at one"},
		{Place: "/trunks/tamarack/lastResort", Reason: "destination operator is on switch quay, not on cape"},
	}, problems)
}

// While who answers is busy, the second number of the public number is called: for that
// one, by its trunk's own table and leave, and told as a diversion.
func TestASecondNumberIsCalledWhileBusy(t *testing.T) {
	hears := decide.Suppose{Hears: map[string]decide.Report{"quay-phones": busy}}
	res := dry(t, "ostrel", "+441914980250", "+442079460850", hears, nil)
	require.Len(t, res.Attempts, 2, trail.Text(res.Steps))
	assert.Equal(t, []string{"quay-phones", "ostrel"}, []string{res.Attempts[0].Trunk, res.Attempts[1].Trunk})
	assert.Equal(t, "+447700900850", res.Called)
	assert.Equal(t, trail.Answered, res.Outcome)
	assert.Contains(t, trail.Text(res.Steps), "forwarded by quay-phones, from 2150 (private) to 907700900850 (as-dialled), user-busy")

	res = dry(t, "ostrel", "+441914980250", "", decide.Suppose{Hears: map[string]decide.Report{"quay-phones": {Kind: trail.ReportUnanswered}}}, nil)
	assert.Len(t, res.Attempts, 1, "only while it is busy")

	res = dry(t, "ostrel", "+441914980250", "", hears, func(p *plan.Plan) {
		p.CallerGroups[1].CallerPattern = "22xx|2150" // the crew may not call mobiles
	})
	assert.Equal(t, trail.Refused, res.Outcome)
	assert.Equal(t, 403, res.Cause.SIP, "it is called with what who answers may call")

	res = dry(t, "2001", "2150", "", hears, nil)
	assert.Len(t, res.Attempts, 1, "a call from inside was for the extension, not for the public number")
}

// The tag and the ring of the number win over those of the trunk, and only phones and
// applications are told.
func TestTagsAndRings(t *testing.T) {
	alert := func(from, dial string, change func(p *plan.Plan)) trail.Alert {
		res := dry(t, from, dial, "+442079460850", decide.Suppose{}, change)
		for _, s := range res.Steps {
			if s.Sent != nil {
				return s.Sent.Alert
			}
		}
		return trail.Alert{}
	}
	tagged := func(p *plan.Plan) {
		trunkOf(p, "ostrel").NamePrefix, trunkOf(p, "ostrel").AlertInfo = "Ostrel", "<urn:alert:source:external>"
	}
	a := alert("ostrel", "+441914980250", tagged)
	assert.Equal(t, []string{"Duty", "number", "<urn:alert:priority:high>", "number"}, []string{a.NamePrefix, a.NamePrefixBy.Kind, a.AlertInfo, a.AlertInfoBy.Kind})
	assert.Equal(t, "ostrel", a.Over.ID, "which gave way is said")
	a = alert("ostrel", "+441914980110", tagged)
	assert.Equal(t, []string{"Ostrel", "trunk", "<urn:alert:source:external>", "trunk"}, []string{a.NamePrefix, a.NamePrefixBy.Kind, a.AlertInfo, a.AlertInfoBy.Kind})
	assert.Nil(t, a.Over)
	a = alert("ostrel", "+448081570123", nil)
	assert.Equal(t, "Bookings", a.NamePrefix, "where a rule and not the inventory says who answers, too")
	assert.Equal(t, trail.Alert{}, alert("2001", "901914980850", nil))
	assert.Equal(t, "Bookings: Alice", trail.Alert{NamePrefix: "Bookings"}.Tagged("Alice"))
	assert.Equal(t, "Bookings", trail.Alert{NamePrefix: "Bookings"}.Tagged(""))
	assert.Equal(t, "Alice", trail.Alert{}.Tagged("Alice"))
}

// A code sets a calendar for those who may; there and back if it says so.
func TestCodesThatSetHours(t *testing.T) {
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	begin := func(from string, overrides map[string]string) *decide.Evaluation {
		call, err := s.CallFrom(from, "*1071", "")
		require.NoError(t, err)
		call.At, call.Overrides = time.Date(2026, 11, 27, 10, 0, 0, 0, time.UTC), overrides
		e, ok := s.Begin(call)
		require.True(t, ok)
		_, more := e.Next()
		require.False(t, more)
		return e
	}
	e := begin("2001", nil)
	assert.Equal(t, &trail.CalendarSet{Calendar: trail.Ref{Kind: "calendar", ID: "bookings", Name: "Bookings"}, State: "storm", Minutes: 720}, e.Sets())
	e = begin("2001", map[string]string{"bookings": "storm"})
	assert.Empty(t, e.Sets().State, "and back")
	e = begin("2150", nil)
	assert.Nil(t, e.Sets())
	end, _ := e.Ended()
	assert.Equal(t, 403, end.Cause.SIP)
}

func TestCodesThatCannotBe(t *testing.T) {
	for reason, change := range map[string]func(r *plan.Rule){
		`/state: unknown state "gale" of Bookings; allowed: ["day" "night" "holiday" "storm"]`: func(r *plan.Rule) { r.Then.SetCalendar.State = "gale" },
		`/calendar: unknown calendar "nowhere"`:                                                func(r *plan.Rule) { r.Then.SetCalendar.Calendar = "nowhere" },
		`/toggle: toggles, so a state is needed`:                                               func(r *plan.Rule) { r.Then.SetCalendar.State, r.Then.SetCalendar.Minutes = "", 0 },
		`/minutes: 99999 is out of range (0, no end, to 44640)`:                                func(r *plan.Rule) { r.Then.SetCalendar.Minutes = 99_999 },
		`: affects all callers; limit the rule to caller groups`:                               func(r *plan.Rule) { r.CallerGroups = nil },
	} {
		p := calltest.Plan(t, "skerry-line")
		for i := range p.Tables[0].Rules {
			if r := &p.Tables[0].Rules[i]; r.Then.SetCalendar != nil {
				set := *r.Then.SetCalendar
				r.Then.SetCalendar = &set
				change(r)
			}
		}
		_, problems := decide.Compile(p)
		require.Len(t, problems, 1, reason)
		assert.Equal(t, "/tables/phones-out/rules/phones-storm/then/setCalendar"+reason, problems[0].Error())
	}
}

// Over whole blocks: each member lands at its place, by the arithmetic of plain numbers.
func TestEachMemberOfABlockLandsAtItsPlace(t *testing.T) {
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	var e decide.Evaluation
	numbers := s.Plan().Numbers
	for _, row := range numbers.Pages()[0].Numbers() {
		if row.Extension == "" {
			continue
		}
		b, err := row.Block()
		require.NoError(t, err)
		first, width := atoi(row.Extension), len(row.Extension)
		for i := range int(b.Size().Int64()) {
			number := "+" + itoa(atoi(row.First[1:])+i, len(row.First)-1)
			if e, ok := numbers.Find(mustNumber(number)); ok && !e.IsBlock() {
				continue // a number of its own
			}
			require.True(t, s.Decide(&e, decide.Call{Trunk: row.Carrier, Called: inFormOf(s, row.Carrier, number)}))
			o, ok := e.Next()
			require.True(t, ok, number)
			require.Equal(t, itoa(first+i, width), o.Called.Number.String(), number)
		}
	}
}

func atoi(digits string) (n int) {
	for _, c := range digits {
		n = n*10 + int(c-'0')
	}
	return n
}

func itoa(n, width int) string { return fmt.Sprintf("%0*d", width, n) }

func mustNumber(text string) digits.Number { return digits.MustNumber(text) }

// inFormOf is an E.164 number as the demo's carriers give it.
func inFormOf(s *decide.Snapshot, trunk, number string) digits.Number {
	t, _ := s.Trunk(trunk)
	if t.In.CalledFormat == numbering.NationalBare {
		return digits.MustNumber(number[2:]) // +1
	}
	return digits.MustNumber(number)
}

// A carrier that sends the last six digits, as an exchange with direct dialling in does
// (common practice).
func TestLastDigitsAreMadeWhole(t *testing.T) {
	short := func(before string) func(p *plan.Plan) {
		return func(p *plan.Plan) { trunkOf(p, "ostrel").In = plan.Inbound{CalledPrefix: before} }
	}
	res := dry(t, "ostrel", "980123", "", decide.Suppose{}, short("+441914"))
	assert.Equal(t, "2023", res.Called)
	assert.Contains(t, trail.Text(res.Steps), "called add prefix +441914 by trunk ostrel: add +441914 -> +441914980123 (e164)")
	assert.Equal(t, "2123", dry(t, "ostrel", "+441914980223", "", decide.Suppose{}, short("+441914")).Called, "a whole number stays as it is")
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	n, ok := s.PublicNumber("penhallow", digits.MustNumber("01914980223"))
	assert.Equal(t, []any{"+441914980223", true}, []any{n.String(), ok})
	p := calltest.Plan(t, "skerry-line")
	short("+441914")(&p)
	n, ok = calltest.Compile(t, p).PublicNumber("ostrel", digits.MustNumber("980223"))
	assert.Equal(t, []any{"+441914980223", true}, []any{n.String(), ok}, "and is learnt as it is")

	for reason, change := range map[string]func(t *plan.Trunk){
		`/trunks/ostrel/in/calledPrefix: invalid prefix "01914"; use the beginning of an E.164 number such as +441914`: func(t *plan.Trunk) { t.In = plan.Inbound{CalledPrefix: "01914"} },
		`/trunks/ostrel/in/calledPrefix: cannot be combined with number format national`:                               func(t *plan.Trunk) { t.In = plan.Inbound{CalledPrefix: "+441914", CalledFormat: numbering.National} },
		`/trunks/ostrel/in/calledPrefix: is not available with overlap dialling; use a rule to add digits`:             func(t *plan.Trunk) { t.In, t.Overlap.Enabled = plan.Inbound{CalledPrefix: "+441914"}, true },
	} {
		p := calltest.Plan(t, "skerry-line")
		change(trunkOf(&p, "ostrel"))
		_, problems := decide.Compile(p)
		require.NotEmpty(t, problems)
		assert.Equal(t, reason, problems[0].Error())
	}
}

func TestASampleOfARule(t *testing.T) {
	s := calltest.Compile(t, calltest.Plan(t, "skerry-line"))
	assert.Equal(t, "+448081570123", s.SampleOf("carriers-in", "in-bookings-day").String())
	assert.Empty(t, s.SampleOf("phones-out", "phones-internal").String(), "an extension is no public number")
	assert.Empty(t, s.SampleOf("gone", "gone").String())
}
