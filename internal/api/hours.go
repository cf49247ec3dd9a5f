package api

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/hours"
	"switchback.example/switchback/internal/core/ical"
	"switchback.example/switchback/internal/core/inbound"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/live"
)

// HoursNow is a calendar of the live plan as it stands.
type CalendarNow struct {
	ID       string       `json:"id"`
	Name     string       `json:"name"`
	States   []string     `json:"states" nullable:"false"`
	Places   []CalendarAt `json:"places" nullable:"false" doc:"One for each time zone in which it is used"`
	Override *OverrideIs  `json:"override,omitempty" doc:"Override in force"`
}

// HoursAt is a calendar in a time zone.
type CalendarAt struct {
	Zone     string        `json:"zone"`
	Switches []string      `json:"switches" nullable:"false" doc:"Names of those that go by it there"`
	State    string        `json:"state"`
	Because  hours.Because `json:"because"`
	// Times is the state by its own times, where it is set by hand.
	Times  string        `json:"times,omitempty"`
	Change *CalendarTurn `json:"change,omitempty" doc:"Its next change; none within 400 days"`
}

// HoursTurns is when a calendar changes, and to what.
type CalendarTurn struct {
	At    time.Time `json:"at"`
	State string    `json:"state"`
}

// OverrideIs is a state that a calendar was put in by hand.
type OverrideIs struct {
	State string     `json:"state"`
	Since time.Time  `json:"since"`
	Until *time.Time `json:"until,omitempty"`
	By    string     `json:"by"`
	Why   string     `json:"why"`
}

// OverridePut sets a calendar by hand.
type OverridePut struct {
	State   string `json:"state" minLength:"1" maxLength:"40"`
	Minutes int    `json:"minutes,omitempty" minimum:"0" maximum:"44640" doc:"0: until cleared"`
	Why     string `json:"why,omitempty" maxLength:"200"`
}

// HoursAsk is a calendar as it is being edited, and the stretch to look at.
type CalendarAsk struct {
	Calendar plan.Calendar `json:"calendar"`
	Month    string        `json:"month" doc:"yyyy-mm" maxLength:"7"`
	// Zone is that of the switch, where the calendar names none.
	Zone string `json:"zone,omitempty" maxLength:"60"`
}

// HoursMonth is a month of a calendar, day by day.
type CalendarMonth struct {
	Problems []plan.Problem `json:"problems" nullable:"false"`
	Days     []CalendarDay  `json:"days" nullable:"false"`
	States   []string       `json:"states" nullable:"false" doc:"In which the calendar can be"`
	Zone     string         `json:"zone"`
	// Next are its next changes from now on, by its schedule.
	Next []CalendarTurn `json:"next" nullable:"false" doc:"Ten at most"`
}

// CalendarNumbers are public numbers whose calls go elsewhere as a calendar changes its state.
type CalendarNumbers struct {
	Numbers []inbound.Depending `json:"numbers" nullable:"false"`
	Rows    int                 `json:"rows" doc:"Rows of the inventory that were looked at, by their first and last number"`
	Of      int                 `json:"of" doc:"Rows of the inventory"`
}

// How many rows are looked at, and how many numbers are listed, so that the answer comes at once.
const (
	maxDependRows = 2_000
	maxDepending  = 100
)

func (s *server) calendarNumbers(ctx context.Context, id string) (out CalendarNumbers, err error) {
	snapshot, err := s.draftSnapshotNow(ctx)
	if err != nil {
		return out, err
	}
	p := snapshot.Plan()
	i := slices.IndexFunc(p.Calendars, func(c plan.Calendar) bool { return c.ID == id })
	if i < 0 {
		return out, huma.Error404NotFound("the draft has no calendar " + id)
	}
	out.Of = p.Numbers.Len()
	rows := func(yield func(inventory.Number) bool) {
		for n := range p.Numbers.All() {
			if out.Rows == maxDependRows {
				return
			}
			out.Rows++
			if !yield(n) {
				return
			}
		}
	}
	out.Numbers = inbound.Depends(snapshot, id, p.Calendars[i].States(), time.Now(), rows, maxDepending)
	return out, nil
}

// HoursDay is one day, by the clock on the wall.
type CalendarDay struct {
	Date  string     `json:"date"`
	Hours float64    `json:"hours" doc:"How long the day is: 23 or 25 where the clock is put forward or back"`
	Spans []DaySpans `json:"spans" nullable:"false"`
}

// DaySpans is a stretch of a day.
type DaySpans struct {
	From    string        `json:"from" doc:"hh:mm"`
	To      string        `json:"to" doc:"hh:mm, to 24:00"`
	Share   float64       `json:"share" doc:"Of the day's length"`
	State   string        `json:"state"`
	Because hours.Because `json:"because"`
}

// Clocks compares the clocks on which calendars hang.
type Clocks struct {
	Now      time.Time      `json:"now"`
	Database *ClockIs       `json:"database,omitempty" doc:"None while it is away"`
	FarEnds  []FarEndsClock `json:"farEnds" nullable:"false" doc:"Those that write Date headers"`
	// Differ: some clock is off by more than two seconds.
	Differ bool `json:"differ"`
}

// ClockIs is another clock beside ours.
type ClockIs struct {
	OffsetSeconds float64   `json:"offsetSeconds" doc:"Clock offset against this machine, in seconds"`
	At            time.Time `json:"at" doc:"When it was seen"`
	Differ        bool      `json:"differ"`
}

// FarEndsClock is the clock of a far end.
type FarEndsClock struct {
	Trunk string `json:"trunk"`
	Name  string `json:"name"`
	ClockIs
}

func (s *server) hoursRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-calendars", Method: http.MethodGet, Path: "/api/calendars", Summary: "The live plan's calendars: their states now and next"},
		func(context.Context, *struct{}) (*struct{ Body []CalendarNow }, error) {
			return &struct{ Body []CalendarNow }{s.hoursNow(time.Now())}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "override-calendar", Method: http.MethodPut, Path: "/api/calendars/{id}/override", Summary: "Set the override of a calendar, at once", Errors: []int{404, 422}},
		func(ctx context.Context, in *struct {
			ID   string `path:"id" maxLength:"63"`
			Body OverridePut
		}) (*struct{ Body []CalendarNow }, error) {
			return s.setHours(ctx, in.ID, in.Body)
		})
	huma.Register(a, huma.Operation{OperationID: "clear-override", Method: http.MethodDelete, Path: "/api/calendars/{id}/override", Summary: "Let a calendar go by its own times again, at once", Errors: []int{404}},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body []CalendarNow }, error) {
			return s.setHours(ctx, in.ID, OverridePut{})
		})
	huma.Register(a, huma.Operation{OperationID: "preview-calendar", Method: http.MethodPost, Metadata: asks, Path: "/api/draft/calendar-preview", Summary: "A month of a calendar, before it is saved", Errors: []int{422}},
		func(_ context.Context, in *struct{ Body CalendarAsk }) (*struct{ Body CalendarMonth }, error) {
			m, err := previewHours(in.Body, time.Now())
			if err != nil {
				return nil, err
			}
			return &struct{ Body CalendarMonth }{m}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-calendar-numbers", Method: http.MethodGet, Path: "/api/draft/calendars/{id}/numbers", Summary: "Public numbers whose calls depend on a calendar of the draft", Errors: []int{404}},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body CalendarNumbers }, error) {
			out, err := s.calendarNumbers(ctx, in.ID)
			if err != nil {
				return nil, err
			}
			return &struct{ Body CalendarNumbers }{out}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "read-calendar", Method: http.MethodPost, Path: "/api/ical", Summary: "Read the dates and the week out of an iCalendar file (RFC 5545); nothing is saved", MaxBodyBytes: ical.MaxBytes + 1, Errors: []int{422}},
		func(_ context.Context, in *struct {
			Zone    string `query:"zone" maxLength:"60"`
			State   string `query:"state" maxLength:"40" doc:"Of events without a category"`
			RawBody []byte `contentType:"text/calendar"`
		}) (*struct{ Body ical.Reading }, error) {
			r, err := ical.Read(in.RawBody, in.Zone, in.State)
			if err != nil {
				return nil, huma.Error422UnprocessableEntity(err.Error())
			}
			return &struct{ Body ical.Reading }{r}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "export-calendar", Method: http.MethodGet, Path: "/api/draft/calendars/{id}/calendar.ics", Summary: "A calendar of the draft as iCalendar (RFC 5545)", Errors: []int{404},
		Responses: map[string]*huma.Response{"200": {Description: "OK", Content: map[string]*huma.MediaType{"text/calendar": {}}}}},
		func(ctx context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*fileOutput, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			h := plan.NewIndex(d.Plan).Calendars[in.ID]
			if h == nil {
				return nil, huma.Error404NotFound("the draft has no calendar " + in.ID)
			}
			text, err := ical.Write(h.ID, h.Name, h.Times(zonesOf(d.Plan, h)[0].Zone), time.Now())
			if err != nil {
				return nil, s.failed(err)
			}
			return &fileOutput{"text/calendar; charset=utf-8", fmt.Sprintf("attachment; filename=%q", h.ID+".ics"), []byte(text)}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-holiday-countries", Method: http.MethodGet, Path: "/api/holidays", Summary: "Countries, and parts of them, whose public holidays are known"},
		func(context.Context, *struct{}) (*struct{ Body []string }, error) {
			return &struct{ Body []string }{hours.Countries()}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "list-clocks", Method: http.MethodGet, Path: "/api/clocks", Summary: "The switch's clock beside those of the database and of far ends"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body Clocks }, error) {
			return &struct{ Body Clocks }{s.clocks(ctx)}, nil
		})
}

// zonesOf are the time zones in which a calendar is used, with the switches there.
func zonesOf(p plan.Plan, h *plan.Calendar) (out []CalendarAt) {
	used := map[string]bool{}
	index := plan.NewIndex(p)
	for i := range p.Tables {
		for j := range p.Tables[i].Rules {
			if p.Tables[i].Rules[j].Match.When.Calendar == h.ID {
				used[p.Tables[i].Switch] = true
			}
		}
	}
	for _, g := range p.CallerGroups {
		if slices.ContainsFunc(g.Permissions, func(l plan.Permission) bool { return l.When.Calendar == h.ID }) {
			for _, id := range g.Trunks {
				if t := index.Trunks[id]; t != nil {
					used[t.Switch] = true
				}
			}
		}
	}
	for _, sw := range p.Switches {
		if len(used) > 0 && !used[sw.ID] {
			continue
		}
		zone := h.TimeZone
		if zone == "" {
			zone = sw.Region.TimeZone
		}
		if zone == "" {
			zone = "UTC"
		}
		i := slices.IndexFunc(out, func(a CalendarAt) bool { return a.Zone == zone })
		if i < 0 {
			i = len(out)
			out = append(out, CalendarAt{Zone: zone, Switches: []string{}})
		}
		if used[sw.ID] {
			out[i].Switches = append(out[i].Switches, sw.Name)
		}
	}
	if len(out) == 0 {
		out = []CalendarAt{{Zone: "UTC", Switches: []string{}}}
	}
	if len(used) == 0 {
		out = out[:1]
	}
	return out
}

func (s *server) hoursNow(now time.Time) []CalendarNow {
	out := []CalendarNow{}
	run := s.Plan.Current()
	if run == nil {
		return out
	}
	set := map[string]standing.Override{}
	for _, o := range s.Overrides.List(now) {
		set[o.Hours] = o
	}
	p := run.Snapshot.Plan()
	for i := range p.Calendars {
		h := &p.Calendars[i]
		n := CalendarNow{ID: h.ID, Name: h.Name, States: h.States(), Places: zonesOf(p, h)}
		o, byHand := set[h.ID]
		if byHand {
			n.Override = &OverrideIs{State: o.State, Since: o.Since, By: o.By, Why: o.Why}
			if !o.Until.IsZero() {
				n.Override.Until = &o.Until
			}
		}
		for j := range n.Places {
			a := &n.Places[j]
			c := h.Compile(a.Zone)
			a.State, a.Because = c.Explain(now)
			if at, state, ok := c.Next(now); ok {
				a.Change = &CalendarTurn{at, state}
			}
			if byHand {
				a.Times, a.State, a.Because = a.State, o.State, hours.Because{By: hours.ByHand, Name: o.By}
			}
		}
		out = append(out, n)
	}
	return out
}

func (s *server) setHours(ctx context.Context, id string, put OverridePut) (*struct{ Body []CalendarNow }, error) {
	run := s.Plan.Current()
	var h *plan.Calendar
	if run != nil {
		h = plan.NewIndex(run.Snapshot.Plan()).Calendars[id]
	}
	if h == nil {
		return nil, huma.Error404NotFound("the live plan has no calendar " + id)
	}
	if put.State != "" && !slices.Contains(h.States(), put.State) {
		reason := fmt.Sprintf("%s has no state %q; it has %q", h.Name, put.State, h.States())
		return nil, huma.Error422UnprocessableEntity(reason, &huma.ErrorDetail{Location: "body.state", Message: reason})
	}
	now := time.Now()
	o := standing.Override{Hours: id, State: put.State, Since: now, By: user(s, ctx), Why: put.Why}
	what := fmt.Sprintf("let calendar %s go by its own times again", id)
	if put.State != "" {
		what = fmt.Sprintf("put calendar %s in state %s: %s", id, put.State, put.Why)
	}
	if put.Minutes > 0 {
		o.Until = now.Add(time.Duration(put.Minutes) * time.Minute)
		what += fmt.Sprintf(" (for %d min)", put.Minutes)
	}
	s.Overrides.Set(o)
	s.audit(ctx, what)
	return &struct{ Body []CalendarNow }{s.hoursNow(now)}, nil
}

func previewHours(ask CalendarAsk, now time.Time) (CalendarMonth, error) {
	out := CalendarMonth{Problems: []plan.Problem{}, Days: []CalendarDay{}, States: ask.Calendar.States(), Next: []CalendarTurn{}}
	zone := ask.Calendar.TimeZone
	if zone == "" {
		zone = ask.Zone
	}
	out.Zone = zone
	first, err := time.Parse("2006-01", ask.Month)
	if err != nil {
		reason := fmt.Sprintf("invalid month %q; use YYYY-MM", ask.Month)
		return out, huma.Error422UnprocessableEntity(reason, &huma.ErrorDetail{Location: "body.month", Message: reason})
	}
	out.Problems = append(out.Problems, ask.Calendar.Problems()...)
	c, faults := hours.Compile(ask.Calendar.Times(zone))
	if len(faults) > 0 {
		return out, nil
	}
	for d := first; d.Month() == first.Month(); d = d.AddDate(0, 0, 1) {
		from := time.Date(d.Year(), d.Month(), d.Day(), 0, 0, 0, 0, c.Zone())
		to := time.Date(d.Year(), d.Month(), d.Day()+1, 0, 0, 0, 0, c.Zone())
		out.Days = append(out.Days, dayOf(c, from, to))
	}
	out.Next = nextChanges(c, now)
	return out, nil
}

// maxNext is how many of the next changes of a calendar are listed.
const maxNext = 10

func nextChanges(c *hours.Calendar, from time.Time) []CalendarTurn {
	list := []CalendarTurn{}
	for len(list) < maxNext {
		at, state, ok := c.Next(from)
		if !ok {
			break
		}
		list, from = append(list, CalendarTurn{at, state}), at
	}
	return list
}

func dayOf(c *hours.Calendar, from, to time.Time) CalendarDay {
	day := CalendarDay{Date: from.Format(time.DateOnly), Hours: to.Sub(from).Hours(), Spans: []DaySpans{}}
	for _, s := range c.Spans(from, to) {
		end := s.To.In(c.Zone()).Format("15:04")
		if s.To.Equal(to) {
			end = "24:00"
		}
		day.Spans = append(day.Spans, DaySpans{s.From.In(c.Zone()).Format("15:04"), end, s.To.Sub(s.From).Hours() / day.Hours, s.State, s.Because})
	}
	return day
}

// clocks compares ours with others.
func (s *server) clocks(ctx context.Context) Clocks {
	out := Clocks{Now: time.Now(), FarEnds: []FarEndsClock{}}
	is := func(c standing.Clock) ClockIs {
		differ := c.Ahead > live.ClocksDiffer || c.Ahead < -live.ClocksDiffer
		out.Differ = out.Differ || differ
		return ClockIs{c.Ahead.Seconds(), c.At, differ}
	}
	if c, err := s.Store.Clock(ctx); err == nil {
		database := is(c)
		out.Database = &database
	}
	if run := s.Plan.Current(); run != nil {
		for _, t := range run.Snapshot.Plan().Trunks {
			if c := s.Trunks.Clock(t.ID); !c.At.IsZero() {
				out.FarEnds = append(out.FarEnds, FarEndsClock{t.ID, t.Name, is(c)})
			}
		}
	}
	return out
}
