// Package hours tells which named state a calendar is in at a moment: by dates, by public
// holidays and by a week of spans, in the time of a place and across its nights of
// daylight saving.
//
// It has no clock: the moment is given to it. It never decides a call, and knows nothing
// of states that are set by hand, which win over all of it.
package hours

import (
	"fmt"
	"slices"
	"sync"
	"time"
	_ "time/tzdata" // the time zones of the world, so that no file of the machine is needed

	"github.com/rickar/cal/v2"
)

// Days are the names of the days of a week, as they stand in a plan.
var Days = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// Weekly is some hours of some days of a week in which a state holds.
type Weekly struct {
	Days  []string `json:"days" nullable:"false" doc:"mon to sun; on which the span begins" maxItems:"7"`
	From  string   `json:"from" doc:"hh:mm, 00:00 to 23:59" maxLength:"5"`
	To    string   `json:"to" doc:"hh:mm, to 24:00, not within the span; not after from: on the next day" maxLength:"5"`
	State string   `json:"state" maxLength:"40"`
}

// Dated is one span of days, or of hours, in which a state holds.
type Dated struct {
	Name string `json:"name" maxLength:"200"`
	// On and Until are the first and the last day; an empty Until is the day of On.
	On    string `json:"on" doc:"yyyy-mm-dd" maxLength:"10"`
	Until string `json:"until,omitempty" doc:"yyyy-mm-dd" maxLength:"10"`
	// From is when it begins on its first day, and To when it ends on its last; empty are
	// 00:00 and 24:00.
	From string `json:"from,omitempty" doc:"hh:mm" maxLength:"5"`
	To   string `json:"to,omitempty" doc:"hh:mm, to 24:00" maxLength:"5"`
	// Yearly spans come again each year from then on.
	Yearly bool   `json:"yearly,omitempty"`
	State  string `json:"state" maxLength:"40"`
}

// Holidays are the public holidays of a country, with the days that stand in for those
// that fall on a weekend.
type Holidays struct {
	Country string `json:"country,omitempty" doc:"ISO 3166 code of the country, or of a part of it such as DE-BY; empty for none" maxLength:"6"`
	State   string `json:"state,omitempty" maxLength:"40"`
}

// Times are all that a calendar goes by: the first of Dates that holds a moment, single
// ones before yearly ones; else Holidays; else the first span of Week; else Otherwise.
type Times struct {
	Zone         string // IANA; empty is UTC
	Dates        []Dated
	Holidays     Holidays
	Week         []Weekly
	DefaultState string
}

// Calendar is compiled times. It is safe for concurrent use.
type Calendar struct {
	zone      *time.Location
	spans     []span
	dates     []dated
	holidays  []*cal.Holiday
	state     string // on holidays
	otherwise string
	years     sync.Map // year to the names of its holidays by day of the year
}

// span is in minutes since Monday 00:00; to may be behind the end of the week.
type span struct {
	from, to int
	state    string
}

// dated is in the clock on the wall; yearly ones of their first year.
type dated struct {
	from, to wall
	yearly   bool
	state    string
	name     string
}

// wall is a reading of the clock on the wall, as minutes since a day long ago.
type wall int64

const (
	day  = 24 * 60
	week = 7 * day
)

func wallOf(t time.Time) wall {
	return wall(time.Date(t.Year(), t.Month(), t.Day(), t.Hour(), t.Minute(), 0, 0, time.UTC).Unix() / 60)
}

// shifted is the same reading some years on.
func (w wall) shifted(years int) wall {
	return wall(time.Unix(int64(w)*60, 0).UTC().AddDate(years, 0, 0).Unix() / 60)
}

// Fault is what is wrong with a calendar, at which of its fields.
type Fault struct{ Field, Reason string }

// Zone finds an IANA time zone; empty is UTC.
func Zone(name string) (*time.Location, error) {
	if name == "Local" {
		return nil, fmt.Errorf("the time zone of the machine is not allowed; use an IANA name such as Europe/London")
	}
	if z, read := zones.Load(name); read {
		return z.(*time.Location), nil
	}
	z, err := time.LoadLocation(name)
	if err != nil {
		return nil, fmt.Errorf("%q is no IANA time zone, such as Europe/London", name)
	}
	zones.Store(name, z)
	return z, nil
}

// zones are those that were read: a file each, and calls tell times. Names that are none are not
// in it, so that the database of zones bounds it.
var zones sync.Map // string to *time.Location

// Compile checks times and makes a calendar of them.
func Compile(t Times) (*Calendar, []Fault) {
	c := &Calendar{otherwise: t.DefaultState, state: t.Holidays.State}
	var faults []Fault
	bad := func(field, reason string) { faults = append(faults, Fault{field, reason}) }
	var err error
	if c.zone, err = Zone(t.Zone); err != nil {
		bad("timeZone", err.Error())
	}
	if code := t.Holidays.Country; code != "" {
		known := false
		if c.holidays, known = observances[code]; !known {
			bad("holidays/country", fmt.Sprintf("no holidays known for country %q; use an ISO 3166 code such as GB", code))
		}
	}
	for i, d := range t.Dates {
		c.addDate(fmt.Sprintf("dates/%d/", i), d, bad)
	}
	slices.SortStableFunc(c.dates, func(a, b dated) int {
		if a.yearly == b.yearly {
			return 0
		}
		if b.yearly {
			return -1
		}
		return 1
	})
	for i, s := range t.Week {
		c.addSpan(fmt.Sprintf("week/%d/", i), s, bad)
	}
	return c, faults
}

func (c *Calendar) addSpan(at string, s Weekly, bad func(field, reason string)) {
	from, ok := minutes(s.From, false)
	if !ok {
		bad(at+"from", fmt.Sprintf("invalid time %q; allowed: 00:00 to 23:59", s.From))
	}
	to, okTo := minutes(s.To, true)
	if !okTo {
		bad(at+"to", fmt.Sprintf("invalid time %q; allowed: 00:00 to 24:00", s.To))
	}
	if len(s.Days) == 0 {
		bad(at+"days", "is empty; name the days on which the span begins, mon to sun")
	}
	if to <= from {
		to += day
	}
	for j, name := range s.Days {
		d := slices.Index(Days, name)
		if d < 0 {
			bad(fmt.Sprintf("%sdays/%d", at, j), fmt.Sprintf("%q is no day; days are mon to sun", name))
			continue
		}
		c.spans = append(c.spans, span{d*day + from, d*day + to, s.State})
	}
}

func (c *Calendar) addDate(at string, d Dated, bad func(field, reason string)) {
	on, err := time.Parse(time.DateOnly, d.On)
	if err != nil {
		bad(at+"on", fmt.Sprintf("%q is no day; write it as 2026-12-24", d.On))
		return
	}
	last := on
	if d.Until != "" {
		if last, err = time.Parse(time.DateOnly, d.Until); err != nil {
			bad(at+"until", fmt.Sprintf("%q is no day; write it as 2026-12-24, or leave it empty", d.Until))
			return
		}
	}
	from, to := 0, day
	if d.From != "" {
		var ok bool
		if from, ok = minutes(d.From, false); !ok {
			bad(at+"from", fmt.Sprintf("invalid time %q; allowed: 00:00 to 23:59", d.From))
			return
		}
	}
	if d.To != "" {
		var ok bool
		if to, ok = minutes(d.To, true); !ok {
			bad(at+"to", fmt.Sprintf("invalid time %q; allowed: 00:00 to 24:00", d.To))
			return
		}
	}
	x := dated{wallOf(on) + wall(from), wallOf(last) + wall(to), d.Yearly, d.State, d.Name}
	switch {
	case x.to <= x.from && last.Before(on):
		bad(at+"until", fmt.Sprintf("it ends on %s, before it begins on %s", d.Until, d.On))
	case x.to <= x.from:
		bad(at+"to", fmt.Sprintf("it ends at %s, before it begins at %s; where it goes past midnight, its last day is the next", d.To, d.From))
	case d.Yearly && x.to > x.from.shifted(1):
		bad(at+"until", "it is longer than a year, and comes again each year")
	default:
		c.dates = append(c.dates, x)
	}
}

// minutes reads hh:mm.
func minutes(text string, end bool) (m int, ok bool) {
	if len(text) != 5 || text[2] != ':' {
		return 0, false
	}
	for _, i := range []int{0, 1, 3, 4} {
		if text[i] < '0' || text[i] > '9' {
			return 0, false
		}
	}
	h, m := int(text[0]-'0')*10+int(text[1]-'0'), int(text[3]-'0')*10+int(text[4]-'0')
	m += h * 60
	return m, m%60 == m-h*60 && (m < day || end && m == day)
}

// Because is what gives a state: one of these words, and the name of the date or holiday.
type Because struct {
	By   string `json:"by" enum:"override,date,holiday,week,default"`
	Name string `json:"name,omitempty"`
}

// The words of Because. ByHand is said by who knows of it.
const (
	ByHand      = "override"
	ByDate      = "date"
	ByHoliday   = "holiday"
	ByWeek      = "week"
	ByOtherwise = "default"
)

// At is the state at a moment. Spans are of the clock on the wall: in the night in which
// an hour is left out nothing is in that hour, and what happens twice is in it twice.
func (c *Calendar) At(moment time.Time) string {
	state, _ := c.Explain(moment)
	return state
}

// Explain is the state at a moment, and what gives it.
func (c *Calendar) Explain(moment time.Time) (string, Because) {
	t := moment.In(c.zone)
	now := wallOf(t)
	for i := range c.dates {
		if d := &c.dates[i]; d.holds(now, t.Year()) {
			return d.state, Because{ByDate, d.name}
		}
	}
	if name, ok := c.holiday(t); ok {
		return c.state, Because{ByHoliday, name}
	}
	minute := (int(t.Weekday())+6)%7*day + t.Hour()*60 + t.Minute()
	for i := range c.spans {
		s := &c.spans[i]
		if s.from <= minute && minute < s.to || minute+week < s.to {
			return s.state, Because{By: ByWeek}
		}
	}
	return c.otherwise, Because{By: ByOtherwise}
}

// holds tells whether a reading of the clock is in the span; a yearly one that began in
// the year before may still last.
func (d *dated) holds(now wall, year int) bool {
	if !d.yearly {
		return d.from <= now && now < d.to
	}
	first := time.Unix(int64(d.from)*60, 0).UTC().Year()
	for _, years := range []int{year - first, year - first - 1} {
		if years >= 0 && d.from.shifted(years) <= now && now < d.to.shifted(years) {
			return true
		}
	}
	return false
}

// holiday names the public holiday of a day.
func (c *Calendar) holiday(t time.Time) (name string, ok bool) {
	if len(c.holidays) == 0 {
		return "", false
	}
	names, known := c.years.Load(t.Year())
	if !known {
		names = c.holidaysOf(t.Year())
		c.years.Store(t.Year(), names)
	}
	name, ok = names.(map[int]string)[t.YearDay()]
	return name, ok
}

// holidaysOf are the names of a year's holidays by day of the year: the days themselves,
// and those that stand in for them, which can lie in the next year or the one before.
func (c *Calendar) holidaysOf(year int) map[int]string {
	names := map[int]string{}
	for y := year - 1; y <= year+1; y++ {
		for _, h := range c.holidays {
			actual, observed := h.Calc(y)
			for _, d := range []struct {
				on   time.Time
				name string
			}{{actual, h.Name}, {observed, h.Name + " (day in lieu)"}} {
				if _, taken := names[d.on.YearDay()]; !d.on.IsZero() && d.on.Year() == year && !taken {
					names[d.on.YearDay()] = d.name
				}
			}
		}
	}
	return names
}

// Zone is where the calendar's clock hangs.
func (c *Calendar) Zone() *time.Location { return c.zone }
