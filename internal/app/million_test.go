package app_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"net/http"
	"net/url"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
)

// millionSheet is a million rows, of which a tenth are blocks of ten; in the numbers of
// the demo's fiction there is no room for so many, so they stand in a country code that is
// not in use (ITU-T E.164, list of assigned codes: 999 is reserved).
func millionSheet(rows int) string {
	var b strings.Builder
	b.WriteString("first,last,state,carrier,site,owner,destination,extension,note\n")
	random := rand.New(rand.NewPCG(1, 2))
	at := 0
	for i := range rows {
		at += 10 + random.IntN(20)
		last := ""
		if i%10 == 0 {
			last = fmt.Sprintf("+999%09d", at+9)
		}
		extension := fmt.Sprintf("2%03d", random.IntN(250))
		fmt.Fprintf(&b, "+999%09d,%s,%s,%s,Site %d,Desk %d,quay-extensions,%s,order %d\n",
			at, last, inventory.States[i%5], []string{"ostrel", "penhallow"}[i%2], i%40, i%5000, extension, i%20_000)
		at += 10
	}
	return b.String()
}

// p95 is the time under which nineteen of twenty lie.
func p95(times []time.Duration) time.Duration {
	slices.Sort(times)
	return times[len(times)*95/100]
}

// BenchmarkMillionNumbers brings a million numbers in, and searches, sorts, edits, tries
// and goes live with them, through the API. Run it once:
//
//	go test ./internal/app -run XXX -bench BenchmarkMillionNumbers -benchtime 1x
func BenchmarkMillionNumbers(b *testing.B) {
	for b.Loop() {
		c := apptest.SignedIn(b, nil)
		rows := 1_000_000
		if testing.Short() { // as bin/test runs it, to show that it still does
			rows = 10_000
		}
		sheet := millionSheet(rows)
		began := time.Now()
		var j api.NumberImport
		status, text := c.Send("POST", "/api/draft/numbers.csv", []byte(sheet), http.Header{"Content-Type": {"text/csv"}})
		require.Equal(b, 202, status, string(text))
		require.NoError(b, json.Unmarshal(text, &j))
		for j.Phase == "reading" || j.Phase == "checking" || j.Phase == "writing" {
			time.Sleep(50 * time.Millisecond)
			c.Ask("GET", "/api/imports/"+j.ID, nil, &j)
		}
		require.True(b, j.Applied, "%+v", j)
		b.ReportMetric(time.Since(began).Seconds(), "import-s")

		wait := func(name string, times int, do func(i int)) {
			var took []time.Duration
			for i := range times {
				at := time.Now()
				do(i)
				took = append(took, time.Since(at))
			}
			b.ReportMetric(float64(p95(took).Microseconds())/1000, name+"-p95-ms")
			b.ReportMetric(float64(took[len(took)/2].Microseconds())/1000, name+"-p50-ms")
		}
		var page api.NumbersPage
		look := func(query string) {
			page = api.NumbersPage{} // what an answer leaves out must not stay from the one before
			c.Ask("GET", "/api/draft/numbers?"+query, nil, &page)
		}
		wait("search", 40, func(i int) { look(fmt.Sprintf("text=%d", 999_000_000+i*7919)) })
		wait("words", 20, func(i int) { look(fmt.Sprintf("text=order+%d", i*37)) })
		sorts := []string{"state", "carrier", "site", "owner", "destination", "extension", "note", "number"}
		wait("sort", 16, func(i int) { look(fmt.Sprintf("sort=%s&down=%t", sorts[i%8], i >= 8)) })
		wait("scroll", 40, func(i int) { look(fmt.Sprintf("sort=owner&from=%d&limit=100", i*24_000)) })
		wait("filter", 20, func(i int) {
			look("state=active&carrier=ostrel&site=" + url.QueryEscape(fmt.Sprint("Site ", (2+10*i)%40)))
		})
		require.Equal(b, rows+8, page.Total)
		wait("look", 20, func(i int) {
			row := page.Rows[i%len(page.Rows)].Number
			c.Ask("POST", "/api/draft/numbers-effect", api.NumberLook{Is: row, Was: &row}, nil)
		})
		wait("save", 40, func(i int) {
			was := page.Rows[i%len(page.Rows)].Number
			is := was
			is.Note = fmt.Sprint("edit ", i)
			c.Ask("PUT", "/api/draft/numbers", api.Put[inventory.Number]{Is: is, Was: &was}, nil)
			page.Rows[i%len(page.Rows)].Number = is
		})
		wait("try", 40, func(i int) {
			c.Ask("POST", "/api/test-calls", api.TestAsk{Mode: "dry", Plan: "draft", From: "ostrel", Called: page.Rows[i%len(page.Rows)].Number.First}, nil)
		})
		var changes api.Changes
		wait("changes", 20, func(int) { c.Ask("GET", "/api/changes", nil, &changes) })
		began = time.Now()
		c.Ask("POST", "/api/live", api.GoLive{Version: changes.Version}, nil)
		b.ReportMetric(time.Since(began).Seconds(), "go-live-s")
		began = time.Now()
		p, _, err := c.Store().Live(b.Context())
		require.NoError(b, err)
		b.ReportMetric(time.Since(began).Seconds(), "read-s")
		b.ReportMetric(float64(p.Numbers.Bytes())/float64(p.Numbers.Len()), "bytes/number")
		was := plan.NewIndex(p).Switches["quay"]
		require.NotNil(b, was)
		c.Stop()
	}
}
