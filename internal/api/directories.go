package api

import (
	"context"
	"encoding/json"
	"net/http"
	"slices"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// SheetReport says what each line of a sheet did, or would do.
type SheetReport struct {
	Applied bool        `json:"applied" doc:"All lines are in the draft; false: none is"`
	Lines   []SheetLine `json:"lines" nullable:"false"`
	Added   int         `json:"added"`
	Changed int         `json:"changed"`
	Same    int         `json:"same"`
	Bad     int         `json:"bad"`
}

// SheetLine is one line of a sheet.
type SheetLine struct {
	Line   int            `json:"line"`
	ID     string         `json:"id"`
	Name   string         `json:"name"`
	What   string         `json:"what" enum:"added,changed,same,bad"`
	Faults []plan.Problem `json:"faults" nullable:"false"`
}

// Callers is what is to know of who may call what.
type Callers struct {
	// Ungrouped are trunks by which somebody can call who is in no group, and whom
	// nothing holds back.
	Ungrouped []trail.Ref `json:"ungrouped" nullable:"false"`
	// Shadowed are the groups that can never act, since those before them take all their
	// callers.
	Shadowed []findings.ShadowedGroup `json:"shadowed" nullable:"false"`
}

func (s *server) directoryRoutes(a huma.API) {
	sheets(s, a, "caller-groups", "caller groups", plan.KindCallerGroup, plan.Groups, func(p *plan.Plan) *[]plan.CallerGroup { return &p.CallerGroups })
	sheets(s, a, "destinations", "destinations", plan.KindDestination, plan.Directory, func(p *plan.Plan) *[]plan.Destination { return &p.Destinations })
	huma.Register(a, huma.Operation{OperationID: "list-caller-group-findings", Method: http.MethodGet, Path: "/api/draft/caller-group-findings", Summary: "Who is in no caller group of the draft"},
		func(ctx context.Context, _ *struct{}) (*struct{ Body Callers }, error) {
			snapshot, err := s.draftSnapshotNow(ctx)
			if err != nil {
				return nil, err
			}
			shadowed, err := findings.Shadowed(snapshot.Graph)
			if err != nil {
				return nil, s.failed(err)
			}
			return &struct{ Body Callers }{Callers{snapshot.Ungrouped(), shadowed}}, nil
		})
}

// sheets adds the routes that write a directory as CSV and read it back.
func sheets[T any](s *server, a huma.API, path, name string, kind plan.Kind, sheet plan.Sheet[T], list func(*plan.Plan) *[]T) {
	huma.Register(a, huma.Operation{OperationID: "export-" + path, Method: http.MethodGet, Path: "/api/draft/" + path + ".csv", Summary: "The draft's " + name + " as CSV (RFC 4180)",
		Responses: map[string]*huma.Response{"200": {Description: "OK", Content: map[string]*huma.MediaType{"text/csv": {}}}}},
		func(ctx context.Context, _ *struct{}) (*csvFile, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			return newCSV(path+".csv", sheet.Rows(*list(&d.Plan)))
		})
	huma.Register(a, huma.Operation{OperationID: "import-" + path, Method: http.MethodPost, Path: "/api/draft/" + path + ".csv", Summary: "Write " + name + " of a CSV file into the draft, all lines or none", MaxBodyBytes: plan.MaxSheet + 1, Errors: []int{422}},
		func(ctx context.Context, in *struct {
			Check   bool   `query:"check" doc:"Only report; leave the draft as it is"`
			RawBody []byte `contentType:"text/csv"`
		}) (*struct{ Body SheetReport }, error) {
			report, err := importSheet(ctx, s, kind, sheet, list, in.RawBody, !in.Check)
			if err != nil {
				return nil, err
			}
			return &struct{ Body SheetReport }{report}, nil
		})
}

// importSheet writes the lines of a sheet into the draft if none of them is wrong.
func importSheet[T any](ctx context.Context, s *server, kind plan.Kind, sheet plan.Sheet[T], list func(*plan.Plan) *[]T, text []byte, apply bool) (SheetReport, error) {
	report := SheetReport{Lines: []SheetLine{}}
	lines, err := sheet.Read(text)
	if err != nil {
		return report, huma.Error422UnprocessableEntity("nothing was read: "+err.Error(), &huma.ErrorDetail{Location: "body", Message: err.Error()})
	}
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return report, s.failed(err)
	}
	before, _ := bodies(*list(&d.Plan), sheet)
	after := d.Plan
	put := slices.Clone(*list(&after))
	for _, l := range lines {
		if id, _ := sheet.Key(l.Object); len(l.Bad) == 0 {
			if i := slices.IndexFunc(put, func(x T) bool { has, _ := sheet.Key(x); return has == id }); i >= 0 {
				put[i] = l.Object
			} else {
				put = append(put, l.Object)
			}
		}
	}
	*list(&after) = put
	problems := s.validate(after)
	path := map[plan.Kind]string{plan.KindCallerGroup: "callerGroups", plan.KindDestination: "destinations"}[kind]
	var objects []plan.Object
	for _, l := range lines {
		id, name := sheet.Key(l.Object)
		row := SheetLine{Line: l.Number, ID: id, Name: name, Faults: append(append([]plan.Problem{}, l.Bad...), within(problems, "/"+path+"/"+id+"/")...)}
		body, err := json.Marshal(l.Object)
		if err != nil {
			return report, s.failed(err)
		}
		was, there := before[id]
		switch {
		case len(row.Faults) > 0:
			row.What = "bad"
			report.Bad++
		case !there:
			row.What = "added"
			report.Added++
		case was == string(body):
			row.What = "same"
			report.Same++
		default:
			row.What = "changed"
			report.Changed++
		}
		if row.What == "added" || row.What == "changed" {
			objects = append(objects, plan.Object{Kind: kind, ID: id, Name: name, Body: body})
		}
		report.Lines = append(report.Lines, row)
	}
	if report.Bad > 0 || !apply {
		return report, nil
	}
	if len(objects) > 0 {
		if err := s.Store.PutObjects(ctx, objects); err != nil {
			return report, s.failed(err)
		}
	}
	report.Applied = true
	return report, nil
}

// bodies are objects as they stand in the plan, by id.
func bodies[T any](list []T, sheet plan.Sheet[T]) (map[string]string, error) {
	out := map[string]string{}
	for _, x := range list {
		body, err := json.Marshal(x)
		if err != nil {
			return nil, err
		}
		id, _ := sheet.Key(x)
		out[id] = string(body)
	}
	return out, nil
}
