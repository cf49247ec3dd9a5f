package live_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/live"
)

var nine = time.Date(2026, 11, 28, 9, 0, 0, 0, time.UTC)

func TestOverridesHoldFromThenUntilThen(t *testing.T) {
	o := live.NewOverrides(live.NewFeed(0), []standing.Override{{Hours: "office", State: "night", Since: nine.Add(-time.Hour)}, {Hours: "old", State: "x", Since: nine.Add(-2 * time.Hour), Ended: nine.Add(-time.Hour)}})
	assert.Equal(t, map[string]string{"office": "night"}, o.At(nine), "one that was kept, and not one that is over")
	var told []string
	stop := o.Watch(func(h string) { told = append(told, h) })
	o.Set(standing.Override{Hours: "bookings", State: "storm", Since: nine, Until: nine.Add(time.Hour), By: "2001"})
	assert.Equal(t, map[string]string{"office": "night", "bookings": "storm"}, o.At(nine))
	assert.Equal(t, map[string]string{"office": "night"}, o.At(nine.Add(time.Hour)), "it ran out, though nobody has looked yet")
	o.Expire(nine.Add(30 * time.Minute))
	assert.Len(t, o.List(nine.Add(30*time.Minute)), 2)
	o.Expire(nine.Add(2 * time.Hour))
	o.Set(standing.Override{Hours: "office", Since: nine.Add(3 * time.Hour)})
	assert.Empty(t, o.At(nine.Add(3*time.Hour)))
	assert.Equal(t, []string{"bookings", "bookings", "office"}, told)
	stop()
	o.Set(standing.Override{Hours: "office", State: "day", Since: nine})
	assert.Len(t, told, 3)

	var kept []string
	for _, c := range o.Changed() {
		word := "begins"
		if !c.Ended.IsZero() {
			word = "ended " + c.Ended.Format("15:04")
		}
		kept = append(kept, c.Hours+" "+word)
	}
	assert.Equal(t, []string{"bookings begins", "bookings ended 10:00", "office ended 12:00", "office begins"}, kept)
	assert.Empty(t, o.Changed())
	o.Again([]standing.Override{{Hours: "again"}})
	assert.Len(t, o.Changed(), 1)
}

func TestArrivalsAreLearntAndSummedUp(t *testing.T) {
	a := live.NewArrivals([]standing.Arrival{{Number: digits.MustNumber("+441914980110"), Trunk: "ostrel", First: nine, Last: nine, Calls: 3}})
	a.Note(digits.MustNumber("+441914980110"), "penhallow", nine.Add(time.Hour))
	a.Note(digits.MustNumber("+441914980250"), "ostrel", nine.Add(2*time.Hour))
	a.Note(digits.MustNumber("+442079460400"), "ostrel", nine)
	a.Note(digits.MustNumber("*1"), "ostrel", nine)
	block := digits.Block{First: digits.MustNumber("+441914980100"), Last: digits.MustNumber("+441914980299")}
	sum := a.In(block)
	assert.Equal(t, []any{int64(5), nine, nine.Add(2 * time.Hour), "+441914980250"}, []any{sum.Calls, sum.First, sum.Last, sum.Number.String()})
	one := digits.MustNumber("+441914980110")
	assert.Equal(t, "penhallow", a.In(digits.Block{First: one, Last: one}).Trunk)
	none := digits.MustNumber("+441914980111")
	assert.Zero(t, a.In(digits.Block{First: none, Last: none}).Calls)
	list, count := a.Where(1, func(n digits.Number) bool { return !block.Contains(n) })
	assert.Equal(t, 1, count)
	assert.Equal(t, "+442079460400", list[0].Number.String())
	assert.Len(t, a.Changed(), 3)
	assert.Empty(t, a.Changed())
	a.Again(list)
	assert.Len(t, a.Changed(), 1)
}
