package inventory

import (
	"cmp"
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func search(t *testing.T, l List, q Query) []string { return ids(t, l.Search(q), "", false) }

func ids(t *testing.T, f *Found, column string, down bool) []string {
	f, err := f.Sorted(column, down)
	require.NoError(t, err)
	out := []string{}
	for _, n := range f.Rows(0, 10_000) {
		out = append(out, n.ID())
	}
	return out
}

func few() List {
	return New([]Number{
		{First: "+441914980100", Last: "+441914980299", State: Active, Carrier: "town", Site: "Quay", Destination: "desks", Extension: "2000"},
		{First: "+442079460400", Last: "+442079460499", State: Active, Carrier: "ostrel", Site: "Quay", Destination: "desks", Extension: "2300"},
		{First: "+448081570123", State: Active, Carrier: "ostrel", Owner: "Bookings", Note: "Free for callers"},
		{First: "+16175550100", State: Ordered, Carrier: "tamarack", Site: "Cape"},
		{First: "+442079460450", State: Spare, Site: "Quay"},
	})
}

func TestSearchFindsAsPeopleWriteNumbers(t *testing.T) {
	l := few()
	for text, want := range map[string][]string{
		"":                  {"16175550100", "441914980100-441914980299", "442079460400-442079460499", "442079460450", "448081570123"},
		"0191 498 0250":     {"441914980100-441914980299"},
		"+44 191 498 02":    {"441914980100-441914980299"},
		"0191 498 0300":     {},
		"8 0299":            {"441914980100-441914980299"},
		"0450":              {"442079460400-442079460499", "442079460450"},
		"20 7946":           {"442079460400-442079460499", "442079460450"},
		"(617) 555":         {"16175550100"},
		"2300":              {"442079460400-442079460499"},
		"free for":          {"448081570123"},
		"BOOKINGS":          {"448081570123"},
		"0044 808":          {"448081570123"},
		"no such text":      {},
		"99999999999999999": {},
	} {
		assert.Equal(t, want, search(t, l, Query{Text: text}), text)
	}
	assert.Equal(t, []string{"442079460400-442079460499", "448081570123"}, search(t, l, Query{Carrier: "ostrel"}))
	assert.Equal(t, []string{"442079460450"}, search(t, l, Query{Site: "Quay", State: Spare}))
	assert.Equal(t, []string{"16175550100", "442079460450", "448081570123"}, search(t, l, Query{Kind: "single"}))
	assert.Equal(t, []string{"441914980100-441914980299", "442079460400-442079460499"}, search(t, l, Query{Destination: "desks"}))
	assert.Equal(t, []string{"448081570123"}, search(t, l, Query{Only: func(e Entry) bool { return e.Number().Owner != "" }}))
	assert.Equal(t, []string{"442079460450", "448081570123"}, ids(t, l.Search(Query{Kind: "single"}), "state", true)[:2], "a number's life the other way")
	_, err := l.Search(Query{}).Sorted("colour", false)
	assert.ErrorContains(t, err, "colour")
}

// Sorting by any column is sorting the rows themselves by that column, then by number.
func TestSortsAgreeWithSortingTheRows(t *testing.T) {
	list := scattered(5000)
	for i := range list {
		list[i].Extension = fmt.Sprint(2000 + i%37)
		list[i].Owner = strings.Repeat("x", i%7)
	}
	l := New(list)
	value := map[string]func(n Number) string{
		"state": func(n Number) string { return fmt.Sprint(slices.Index(States, n.State)) }, "site": func(n Number) string { return n.Site },
		"note": func(n Number) string { return n.Note }, "owner": func(n Number) string { return n.Owner }, "extension": func(n Number) string { return n.Extension },
	}
	slices.SortFunc(list, func(a, b Number) int { return strings.Compare(a.First, b.First) })
	for column, of := range value {
		want := slices.Clone(list)
		slices.SortStableFunc(want, func(a, b Number) int { return cmp.Compare(of(a), of(b)) })
		f, err := l.Search(Query{}).Sorted(column, false)
		require.NoError(t, err)
		require.Equal(t, len(list), f.Len())
		assert.Equal(t, want, f.Rows(0, len(list)), column)
		f, err = f.Sorted(column, true)
		require.NoError(t, err)
		slices.Reverse(want)
		assert.Equal(t, want[100:200], f.Rows(100, 100), column)
	}
}

func BenchmarkSearchAMillion(b *testing.B) {
	n := 1_000_000
	if testing.Short() { // as bin/test runs it, to show that it still does
		n = 1000
	}
	l := New(scattered(n))
	b.ReportMetric(float64(l.Bytes())/float64(l.Len()), "bytes/number")
	for name, q := range map[string]Query{"all": {}, "digits": {Text: "0191498"}, "text": {Text: "note 42"}, "site": {Site: "Island"}} {
		b.Run(name, func(b *testing.B) {
			for b.Loop() {
				l.Search(q)
			}
		})
	}
	all := l.Search(Query{})
	for _, column := range []string{"state", "note", "extension"} {
		b.Run("sort-"+column, func(b *testing.B) {
			for b.Loop() {
				if _, err := all.Sorted(column, true); err != nil {
					b.Fatal(err)
				}
			}
		})
	}
}
