package api

import (
	"bytes"
	"context"
	"encoding/csv"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// CollectAsk is digits that come one by one, so far.
type CollectAsk struct {
	Plan   string `json:"plan" enum:"live,draft"`
	From   string `json:"from" maxLength:"200"`
	Typed  string `json:"typed" maxLength:"100"`
	Caller string `json:"caller,omitempty" maxLength:"200"`
	Time   string `json:"time,omitempty" maxLength:"40"`
}

// ListAsk is many numbers that are tried dry in the same way.
type ListAsk struct {
	Plan     string         `json:"plan" enum:"live,draft"`
	From     string         `json:"from" maxLength:"200"`
	Numbers  []string       `json:"numbers" maxItems:"10000" doc:"As they would be dialled"`
	Caller   string         `json:"caller,omitempty" maxLength:"200"`
	Simulate plan.Simulated `json:"simulate,omitzero"`
}

// Listed is what would happen to one number.
type Listed struct {
	Line    int        `json:"line" doc:"From 1"`
	Dialled string     `json:"dialled"`
	Bad     string     `json:"bad,omitempty" doc:"Why it is not a number"`
	Outcome string     `json:"outcome"`
	Class   string     `json:"class"`
	Rule    *trail.Ref `json:"rule,omitempty" doc:"Last rule matched"`
	Trunk   string     `json:"trunk"`
	Called  string     `json:"called" doc:"As it leaves"`
	Caller  string     `json:"caller" doc:"As it leaves"`
	Status  int        `json:"status"`
	Cause   int        `json:"cause"`
	Why     string     `json:"why"`
}

func (s *server) listRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "collect-digits", Method: http.MethodPost, Path: "/api/collected-digits", Summary: "What the switch does after the digits that were typed so far"},
		func(ctx context.Context, in *struct{ Body CollectAsk }) (*struct{ Body decide.Collection }, error) {
			out, err := s.collect(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			return &struct{ Body decide.Collection }{out}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "run-test-list", Method: http.MethodPost, Path: "/api/test-calls/list", Summary: "What would happen to each of a list of numbers"},
		func(ctx context.Context, in *struct{ Body ListAsk }) (*struct{ Body []Listed }, error) {
			list, err := s.tryList(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			return &struct{ Body []Listed }{list}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "export-test-list", Method: http.MethodPost, Path: "/api/test-calls/list.csv", Summary: "The same as CSV (RFC 4180), with a header line",
		Responses: map[string]*huma.Response{"200": {Description: "OK", Content: map[string]*huma.MediaType{"text/csv": {}}}}},
		func(ctx context.Context, in *struct{ Body ListAsk }) (*csvFile, error) {
			list, err := s.tryList(ctx, in.Body)
			if err != nil {
				return nil, err
			}
			return listCSV(list)
		})
}

func (s *server) collect(ctx context.Context, ask CollectAsk) (out decide.Collection, err error) {
	snapshot, err := s.snapshot(ctx, TestAsk{Mode: "dry", Plan: ask.Plan})
	if err != nil {
		return out, err
	}
	call, err := s.callOf(snapshot, ask.From, ask.Typed, ask.Caller, ask.Time)
	if err != nil {
		return out, err
	}
	out, _ = snapshot.Collect(call) // the trunk is one of the snapshot
	return out, nil
}

// callOf is the call of a dry try; what is wrong is told at its field.
func (s *server) callOf(snapshot *decide.Snapshot, from, dial, caller, at string) (decide.Call, error) {
	call, err := snapshot.CallFrom(from, dial, caller)
	var bad *decide.InputError
	if errors.As(err, &bad) {
		return call, huma.Error422UnprocessableEntity(bad.Reason, &huma.ErrorDetail{Location: "body." + bad.Field, Message: bad.Reason})
	}
	if call.At, err = momentOf(at); err != nil {
		return call, huma.Error422UnprocessableEntity(err.Error(), &huma.ErrorDetail{Location: "body.at", Message: err.Error()})
	}
	if at == "" {
		call.Overrides = s.Overrides.At(call.At) // as a call now
	}
	return call, nil
}

func (s *server) tryList(ctx context.Context, ask ListAsk) ([]Listed, error) {
	snapshot, err := s.snapshot(ctx, TestAsk{Mode: "dry", Plan: ask.Plan})
	if err != nil {
		return nil, err
	}
	call, err := s.callOf(snapshot, ask.From, "", ask.Caller, ask.Simulate.Time)
	if err != nil {
		return nil, err
	}
	suppose := decide.Suppose{Down: set(ask.Simulate.Down), Full: set(ask.Simulate.Full)}
	out := []Listed{}
	for i, text := range ask.Numbers {
		if i%100 == 99 && ctx.Err() != nil {
			return nil, s.failed(ctx.Err())
		}
		row := Listed{Line: i + 1, Dialled: strings.TrimSpace(text)}
		if call.Called, err = digits.ParseNumber(row.Dialled); err != nil {
			row.Bad, row.Outcome = err.Error(), "no number"
		} else if res, err := snapshot.Dry(call, suppose); err != nil {
			row.Bad = err.Error()
		} else {
			row.fill(res)
		}
		out = append(out, row)
	}
	return out, nil
}

func (row *Listed) fill(res decide.Result) {
	row.Outcome, row.Called, row.Caller = string(res.Outcome), res.Called, res.Caller
	row.Status, row.Cause, row.Why = res.Cause.SIP, int(res.Cause.Q850), res.Why()
	row.Trunk = decide.Expect(res).TrunkOut
	row.Rule, row.Class = res.Deciding()
}

// csvFile is an answer that is saved as a file.
type csvFile struct {
	ContentType string `header:"Content-Type"`
	Disposition string `header:"Content-Disposition"`
	Body        []byte
}

// newCSV writes a table of text that programs for tables can open without harm.
func newCSV(name string, rows [][]string) (*csvFile, error) {
	for _, row := range rows[min(1, len(rows)):] {
		for i := range row {
			row[i] = plan.Neutral(row[i])
		}
	}
	var b bytes.Buffer
	w := csv.NewWriter(&b)
	w.UseCRLF = true // RFC 4180
	if err := w.WriteAll(rows); err != nil {
		return nil, err
	}
	return &csvFile{"text/csv; charset=utf-8", fmt.Sprintf("attachment; filename=%q", name), b.Bytes()}, nil
}

func listCSV(list []Listed) (*csvFile, error) {
	rows := [][]string{{"dialled", "outcome", "class", "rule", "trunk", "called", "caller", "status", "cause", "why"}}
	for _, l := range list {
		rule := ""
		if l.Rule != nil {
			rule = l.Rule.Name
		}
		why := l.Why
		if l.Bad != "" {
			why = l.Bad
		}
		rows = append(rows, []string{l.Dialled, l.Outcome, l.Class, rule, l.Trunk, l.Called, l.Caller, fmt.Sprint(l.Status), fmt.Sprint(l.Cause), why})
	}
	return newCSV("numbers-"+time.Now().UTC().Format("20060102-150405")+".csv", rows)
}
