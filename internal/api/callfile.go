package api

import (
	"context"
	"net/http"
	"strconv"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/record"
)

// maxCallRows bounds a file of calls, and callsAtOnce how many are read from the database in one go.
const (
	maxCallRows = 100_000
	callsAtOnce = 5_000
)

func (s *server) callFileRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "export-calls", Method: http.MethodGet, Path: "/api/calls.csv", Summary: "Call records as CSV (RFC 4180), newest first, 100,000 at most",
		Responses: map[string]*huma.Response{"200": {Description: "OK", Content: map[string]*huma.MediaType{"text/csv": {}}}}},
		func(ctx context.Context, in *struct{ CallSearch }) (*csvFile, error) {
			q, err := in.query()
			if err != nil {
				return nil, err
			}
			rows := [][]string{callHead}
			for len(rows) <= maxCallRows {
				list, err := s.Store.FindCalls(ctx, q, min(callsAtOnce, maxCallRows+1-len(rows)))
				if err != nil {
					return nil, s.failed(err)
				}
				for _, c := range list {
					rows = append(rows, callRow(c))
				}
				if len(list) < callsAtOnce {
					break
				}
				q.After = record.CursorOf(list[len(list)-1])
			}
			return newCSV("calls-"+time.Now().UTC().Format("20060102-150405")+".csv", rows)
		})
}

var callHead = []string{
	"started", "answered", "ended", "switch", "inbound trunk", "calling number", "called number in", "called number out", "outbound trunk",
	"attempts", "outcome", "Q.850 cause", "SIP status", "reason", "media", "post-dial delay ms", "ring time ms", "codec", "released by", "id",
}

func callRow(c record.Summary) []string {
	moment := func(t *time.Time) string {
		if t == nil {
			return ""
		}
		return t.UTC().Format(time.RFC3339Nano)
	}
	return []string{
		moment(&c.Started), moment(c.Answered), moment(c.Ended), c.Switch, c.TrunkIn, c.Caller, c.CalledIn, c.CalledOut, c.TrunkOut,
		strconv.Itoa(c.Attempts), c.Outcome, strconv.Itoa(c.Q850), strconv.Itoa(c.SIP), c.Why, string(c.Media),
		strconv.FormatInt(c.PostDialDelayMs, 10), strconv.FormatInt(c.RingMs, 10), c.Codec, string(c.ReleasedBy), c.ID,
	}
}
