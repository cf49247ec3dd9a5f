package inventory

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/core/digits"
)

func one(first string) Number { return Number{First: first, State: Active} }

func scattered(n int) []Number {
	rows := make([]Number, n)
	for i := range rows {
		rows[i] = Number{First: fmt.Sprintf("+44%09d", (i*7919)%1_000_000_000), State: States[i%5], Site: []string{"Quay", "Island"}[i%2], Note: fmt.Sprint("note ", i%100)}
	}
	return rows
}

func rows(l List) []Number { return slices.Collect(l.All()) }

func TestRowsComeBackAsTheyWere(t *testing.T) {
	full := Number{First: "+442079460400", Last: "+442079460499", State: Trial, Carrier: "ostrel", Site: "Quay", Owner: "Bookings", Destination: "desks",
		Extension: "0300", Gaps: true, ForwardOnBusy: "07700900461", NamePrefix: "Bookings", AlertInfo: "<urn:alert:source:external>", Note: "brought in March"}
	l := New([]Number{one("+16175550100"), full, one("+442079460450")})
	assert.Equal(t, []Number{one("+16175550100"), full, one("+442079460450")}, rows(l), "shorter numbers first, the block before what is in it")
	text, err := json.Marshal(l)
	require.NoError(t, err)
	var back List
	require.NoError(t, json.Unmarshal(text, &back))
	assert.Equal(t, rows(l), rows(back))
	e, ok := l.Get("442079460400-442079460499")
	require.True(t, ok)
	assert.Equal(t, full, e.Number())
	assert.Equal(t, "442079460400-442079460499", e.ID())
	_, ok = l.Get("442079460400")
	assert.False(t, ok, "the first of a block is no row of its own")
	assert.ErrorContains(t, json.Unmarshal([]byte(`[{"first":"+441","state":"active","colour":"red"}]`), &back), "colour")
}

func TestWhatCannotBeHeldIsKeptApart(t *testing.T) {
	bad := []Number{{First: "0808", State: Active}, {First: "+44x", State: Active}, {First: "+442079460499", Last: "+442079460400", State: Active}, {First: "+442079460400", State: "sold"},
		{First: "+442079460400", Last: "+442079460499", State: Active, Extension: "9950"}}
	l := New(append(bad, one("+441914980100")))
	assert.Equal(t, bad, l.Bad())
	assert.Equal(t, 6, l.Len())
	assert.Equal(t, "9950 is too short for 100 numbers", bad[4].Check()[0].Reason)
	_, err := l.With(bad[:1], nil)
	assert.ErrorContains(t, err, "E.164")
}

// A list is what a plain table of its rows is, whatever is put in and taken out, and the
// list that it was made from stays what it was.
func TestListsBehaveLikeTables(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		number := rapid.Custom(func(t *rapid.T) Number {
			n := one(fmt.Sprintf("+4419149%05d", rapid.IntRange(0, 3000).Draw(t, "n")*10))
			if rapid.IntRange(0, 4).Draw(t, "block") == 0 {
				n.Last = n.First[:len(n.First)-1] + "9"
			}
			n.Note = rapid.SampledFrom([]string{"", "a", "b"}).Draw(t, "note")
			return n
		})
		table := map[string]Number{}
		l := List{}
		for range rapid.IntRange(1, 8).Draw(t, "rounds") {
			put := rapid.SliceOfNDistinct(number, 0, 300, Number.ID).Draw(t, "put")
			var gone []string
			for id := range table {
				if len(gone) < 100 && !slices.ContainsFunc(put, func(n Number) bool { return n.ID() == id }) {
					gone = append(gone, id)
				}
			}
			gone = gone[:rapid.IntRange(0, len(gone)).Draw(t, "gone")]
			before := rows(l)
			next, err := l.With(put, gone)
			require.NoError(t, err)
			assert.Equal(t, before, rows(l))
			was := map[string]Number{}
			for id, n := range table {
				was[id] = n
			}
			for _, id := range gone {
				delete(table, id)
			}
			for _, n := range put {
				table[n.ID()] = n
			}
			checkAgainst(t, next, table)
			differs := 0
			l.Diff(next, func(a, b Entry) bool {
				differs++
				if !a.Zero() {
					assert.Equal(t, was[a.ID()], a.Number())
				}
				if !b.Zero() {
					assert.Equal(t, table[b.ID()], b.Number())
				}
				return true
			})
			assert.Equal(t, len(unlike(was, table)), differs)
			assert.Equal(t, rows(next), rows(l.Becoming(New(rows(next)))))
			l = next
		}
	})
}

func unlike(a, b map[string]Number) map[string]bool {
	out := map[string]bool{}
	for id, n := range a {
		if b[id] != n {
			out[id] = true
		}
	}
	for id, n := range b {
		if a[id] != n {
			out[id] = true
		}
	}
	return out
}

func checkAgainst(t *rapid.T, l List, table map[string]Number) {
	require.Equal(t, len(table), l.Len())
	for id, n := range table {
		e, ok := l.Get(id)
		require.True(t, ok, id)
		require.Equal(t, n, e.Number())
	}
	for i, p := range l.Pages() {
		require.NotEmpty(t, p.rows)
		require.LessOrEqual(t, len(p.rows), maxPage)
		if i > 0 {
			require.Less(t, l.Pages()[i-1].Place(), p.Place())
		}
		var back Page
		text, err := json.Marshal(p)
		require.NoError(t, err)
		require.NoError(t, json.Unmarshal(text, &back))
		require.Equal(t, *p, back)
	}
}

func TestEditsShareWhatTheyDoNotTouch(t *testing.T) {
	l := New(scattered(50_000))
	next, err := l.With([]Number{one("+44000000001")}, nil)
	require.NoError(t, err)
	shared := 0
	for _, p := range next.Pages() {
		if slices.Contains(l.Pages(), p) {
			shared++
		}
	}
	assert.GreaterOrEqual(t, shared, len(l.Pages())-1)
	assert.True(t, l.Same(FromPages(l.Pages())))
	assert.False(t, l.Same(next))
	assert.True(t, next.Becoming(l).Len() == l.Len())
}

// In a list of blocks and numbers each number is found where going through all of them
// finds it.
func TestFindAgreesWithGoingThroughAll(t *testing.T) {
	var list []Number
	for i := range 200 {
		list = append(list, Number{First: fmt.Sprintf("+4419149%05d", i*100), Last: fmt.Sprintf("+4419149%05d", i*100+49), State: Active})
		list = append(list, one(fmt.Sprintf("+4419149%05d", i*100)), one(fmt.Sprintf("+4419149%05d", i*100+13)), one(fmt.Sprintf("+4419149%05d", i*100+77)))
	}
	l := New(list)
	for n := range 20_000 {
		number := digits.MustNumber(fmt.Sprintf("+4419149%05d", n))
		want := ""
		for _, r := range list {
			b, _ := r.Block()
			if b.First == number && r.Last == "" {
				want = r.ID()
				break
			}
			if b.Contains(number) {
				want = r.ID()
			}
		}
		e, ok := l.Find(number)
		require.Equal(t, want != "", ok)
		if ok {
			require.Equal(t, want, e.ID())
		}
	}
	_, ok := l.Find(digits.MustNumber("01914900000"))
	assert.False(t, ok, "without + it is another form")
}
