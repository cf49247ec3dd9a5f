package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/record"
)

// CallSearch are the criteria by which call records are found. All that are given must hold.
type CallSearch struct {
	Number     string    `query:"number" maxLength:"60" doc:"Last digits of the calling or called number; 0123* for the first, *0123* for any (at least 3 digits)"`
	Trunk      string    `query:"trunk" maxLength:"63" doc:"Id of the inbound or outbound trunk"`
	Switch     string    `query:"switch" maxLength:"63"`
	Outcome    []string  `query:"outcome,explode" maxItems:"5" enum:"answered,refused,failed,abandoned,running"`
	Media      []string  `query:"media,explode" maxItems:"3" enum:"both-ways,one-way,none"`
	Cause      int       `query:"cause" minimum:"0" maximum:"127" doc:"Q.850 cause"`
	SIP        int       `query:"sip" minimum:"0" maximum:"699" doc:"SIP status"`
	Since      time.Time `query:"since"`
	Until      time.Time `query:"until" doc:"Not included"`
	MinSeconds int       `query:"minSeconds" minimum:"0" maximum:"864000" doc:"Shortest talk time, in seconds"`
	MaxSeconds int       `query:"maxSeconds" minimum:"0" maximum:"864000" doc:"Talk time below, in seconds; 0 is no limit"`
}

func (in CallSearch) query() (q record.Query, err error) {
	q = record.Query{
		Trunk: in.Trunk, Switch: in.Switch, Outcomes: in.Outcome, Q850: in.Cause, SIP: in.SIP, Since: in.Since, Until: in.Until,
		AtLeast: time.Duration(in.MinSeconds) * time.Second, LessThan: time.Duration(in.MaxSeconds) * time.Second,
	}
	for _, m := range in.Media {
		q.Media = append(q.Media, record.Sound(m))
	}
	if q.Number, err = record.ParseNumberQuery(in.Number); err != nil {
		return q, huma.Error422UnprocessableEntity(err.Error())
	}
	return q, nil
}

// CallPage is a page of the list of calls.
type CallPage struct {
	Calls []record.Summary `json:"calls" nullable:"false"`
	Next  string           `json:"next" doc:"Cursor of the next page; empty on the last"`
}

// CallVolumes is how many calls began over time.
type CallVolumes struct {
	SpanSeconds int             `json:"spanSeconds" doc:"Length of a span"`
	Since       time.Time       `json:"since"`
	Until       time.Time       `json:"until"`
	Spans       []record.Volume `json:"spans" nullable:"false" doc:"Spans without calls are left out"`
}

func (s *server) searchRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-calls", Method: http.MethodGet, Path: "/api/calls", Summary: "Call records, newest first"},
		func(ctx context.Context, in *struct {
			CallSearch
			After string `query:"after" maxLength:"80" doc:"Cursor of the page before"`
			Limit int    `query:"limit" minimum:"1" maximum:"1000" default:"200"`
		}) (*struct{ Body CallPage }, error) {
			q, err := in.query()
			if err != nil {
				return nil, err
			}
			if q.After, err = record.ParseCursor(in.After); err != nil {
				return nil, huma.Error422UnprocessableEntity(err.Error())
			}
			list, err := s.Store.FindCalls(ctx, q, in.Limit+1)
			if err != nil {
				return nil, s.failed(err)
			}
			page := CallPage{Calls: list}
			if len(list) > in.Limit {
				page.Calls = list[:in.Limit]
				page.Next = record.CursorOf(list[in.Limit-1]).String()
			}
			return &struct{ Body CallPage }{page}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-call-volume", Method: http.MethodGet, Path: "/api/call-volume", Summary: "Number of calls over time, by outcome"},
		func(ctx context.Context, in *struct{ CallSearch }) (*struct{ Body CallVolumes }, error) {
			q, err := in.query()
			if err != nil {
				return nil, err
			}
			v, err := s.volume(ctx, q)
			if err != nil {
				return nil, err
			}
			return &struct{ Body CallVolumes }{v}, nil
		})
}

// volumeFor is the range of time that is shown where none is given.
const volumeFor = 24 * time.Hour

func (s *server) volume(ctx context.Context, q record.Query) (v CallVolumes, err error) {
	if q.Until.IsZero() {
		q.Until = time.Now()
	}
	if q.Since.IsZero() {
		q.Since = q.Until.Add(-volumeFor)
	}
	if !q.Since.Before(q.Until) {
		return v, huma.Error422UnprocessableEntity("since must be before until")
	}
	span := record.SpanFor(q.Since, q.Until)
	v = CallVolumes{SpanSeconds: int(span.Seconds()), Since: q.Since, Until: q.Until}
	if v.Spans, err = s.Store.CallVolume(ctx, q, span); err != nil {
		return v, s.failed(err)
	}
	return v, nil
}
