package api

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"sync"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/store"
)

// NumberImport is a sheet of numbers that is being brought in, or was.
type NumberImport struct {
	ID string `json:"id"`
	// Phase: reading, checking, writing, done, failed or cancelled.
	Phase string `json:"phase" enum:"reading,checking,writing,done,failed,cancelled"`
	// Share is how much of the phase is done, 0 to 1.
	Share float64 `json:"share"`
	Why   string  `json:"why,omitempty" doc:"Of one that failed"`
	// Applied: all lines are in the draft; false: none is.
	Applied bool         `json:"applied"`
	Lines   int          `json:"lines"`
	Added   int          `json:"added"`
	Changed int          `json:"changed"`
	Same    int          `json:"same"`
	Removed int          `json:"removed" doc:"Rows deleted since the file does not have them"`
	Bad     int          `json:"bad"`
	Faults  []NumberLine `json:"faults" nullable:"false" doc:"Lines that are wrong, some hundred at most; the report has all"`
	Seconds float64      `json:"seconds"`
}

// NumberLine is one line of a sheet of numbers that is wrong.
type NumberLine struct {
	Line   int            `json:"line"`
	Name   string         `json:"name"`
	Faults []plan.Problem `json:"faults" nullable:"false"`
}

// Bounds of imports: how many are remembered, how many lines are told in place, and how
// long a result stays.
const (
	maxImports     = 4
	maxFaultsShown = 500
	importLife     = time.Hour
)

// imports are the sheets that are being brought in, and some that were.
type imports struct {
	mu   sync.Mutex
	jobs map[string]*importJob
}

type importJob struct {
	mu     sync.Mutex
	state  NumberImport
	began  time.Time
	cancel context.CancelFunc
	lines  []lineFate // of all lines, for the report
	faults map[int][]plan.Problem
	apply  bool
	sweep  bool // rows that the file does not have go
	sheet  []byte
}

type lineFate struct {
	line int
	id   string
	what string
}

func (s *server) importRoutes(a huma.API) {
	huma.Register(a, huma.Operation{
		OperationID: "import-numbers", Method: http.MethodPost, Metadata: asks, Path: "/api/draft/numbers.csv", MaxBodyBytes: plan.MaxNumberSheet + 1, Errors: []int{409, 422},
		Summary: "Begin to bring a CSV file of numbers into the draft, all lines or none", DefaultStatus: http.StatusAccepted, BodyReadTimeout: 10 * time.Minute,
	},
		func(ctx context.Context, in *struct {
			Check   bool   `query:"check" doc:"Only report; leave the draft as it is"`
			Sweep   bool   `query:"sweep" doc:"Delete rows missing in the file"`
			RawBody []byte `contentType:"text/csv"`
		}) (*struct{ Body NumberImport }, error) {
			j, err := s.beginImport(user(s, ctx), in.RawBody, !in.Check, in.Sweep)
			if err != nil {
				return nil, err
			}
			return &struct{ Body NumberImport }{j.now()}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-import", Method: http.MethodGet, Path: "/api/imports/{id}", Summary: "How far an import is, and what came of it", Errors: []int{404}},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{ Body NumberImport }, error) {
			j, err := s.job(in.ID)
			if err != nil {
				return nil, err
			}
			return &struct{ Body NumberImport }{j.now()}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "cancel-import", Method: http.MethodDelete, Path: "/api/imports/{id}", Summary: "Stop an import; the draft stays as it was", Errors: []int{404}},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*struct{}, error) {
			j, err := s.job(in.ID)
			if err != nil {
				return nil, err
			}
			j.cancel()
			return nil, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-import-report", Method: http.MethodGet, Path: "/api/imports/{id}/report.csv", Summary: "What each line of an import did, as CSV", Errors: []int{404},
		Responses: map[string]*huma.Response{"200": {Description: "OK", Content: map[string]*huma.MediaType{"text/csv": {}}}}},
		func(_ context.Context, in *struct {
			ID string `path:"id" maxLength:"63"`
		}) (*csvFile, error) {
			j, err := s.job(in.ID)
			if err != nil {
				return nil, err
			}
			return newCSV("import-report.csv", j.report())
		})
	huma.Register(a, huma.Operation{OperationID: "export-numbers", Method: http.MethodGet, Path: "/api/draft/numbers.csv", Summary: "The draft's inventory as CSV (RFC 4180)",
		Responses: map[string]*huma.Response{"200": {Description: "OK", Content: map[string]*huma.MediaType{"text/csv": {}}}}},
		func(ctx context.Context, _ *struct{}) (*csvFile, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			rows := [][]string{plan.Numbers.Columns}
			for n := range d.Plan.Numbers.All() {
				rows = append(rows, plan.Numbers.Row(n))
			}
			return newCSV("numbers.csv", rows)
		})
}

func (s *server) job(id string) (*importJob, error) {
	s.imports.mu.Lock()
	defer s.imports.mu.Unlock()
	if j := s.imports.jobs[id]; j != nil {
		return j, nil
	}
	return nil, huma.Error404NotFound("there is no such import, or it is long over")
}

// beginImport starts an import beside the request: who asked may look away.
func (s *server) beginImport(who string, sheet []byte, apply, sweep bool) (*importJob, error) {
	ctx, cancel := context.WithCancel(store.By(context.Background(), who))
	j := &importJob{
		state: NumberImport{ID: strings.ToLower(rand.Text()), Phase: "reading", Faults: []NumberLine{}}, began: time.Now(), cancel: cancel,
		faults: map[int][]plan.Problem{}, apply: apply, sweep: sweep, sheet: sheet,
	}
	s.imports.mu.Lock()
	defer s.imports.mu.Unlock()
	if s.imports.jobs == nil {
		s.imports.jobs = map[string]*importJob{}
	}
	for id, old := range s.imports.jobs {
		if old.over() && (len(s.imports.jobs) >= maxImports || time.Since(old.began) > importLife) {
			delete(s.imports.jobs, id)
		}
	}
	if len(s.imports.jobs) >= maxImports {
		cancel()
		return nil, huma.Error409Conflict(fmt.Sprintf("%d imports run already; wait for one, or stop it", maxImports))
	}
	s.imports.jobs[j.state.ID] = j
	go func() {
		defer cancel()
		s.runImport(ctx, j)
	}()
	return j, nil
}

func (j *importJob) now() NumberImport {
	j.mu.Lock()
	defer j.mu.Unlock()
	if j.state.Seconds == 0 {
		out := j.state
		out.Seconds = time.Since(j.began).Seconds()
		return out
	}
	return j.state
}

func (j *importJob) over() bool {
	j.mu.Lock()
	defer j.mu.Unlock()
	return j.state.Seconds > 0
}

func (j *importJob) at(phase string, share float64) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.state.Phase, j.state.Share = phase, share
}

func (j *importJob) end(phase, why string) {
	j.mu.Lock()
	defer j.mu.Unlock()
	j.state.Phase, j.state.Why, j.state.Seconds, j.sheet = phase, why, max(time.Since(j.began).Seconds(), 0.001), nil
}

// errBad ends an import of which some line is wrong.
var errBad = errors.New("some lines are wrong; none was taken")

func (s *server) runImport(ctx context.Context, j *importJob) {
	rows, err := j.read(ctx)
	if err == nil && !j.apply {
		var d plan.Plan
		if draft, errDraft := s.Store.Draft(ctx); errDraft != nil {
			err = s.failed(errDraft)
		} else {
			d = draft.Plan
			_, err = j.check(ctx, s, d, rows)
		}
		if errors.Is(err, errBad) {
			err = nil
		}
	} else if err == nil {
		err = s.Store.EditNumbers(ctx, func(p plan.Plan) (inventory.List, error) {
			after, err := j.check(ctx, s, p, rows)
			if err == nil {
				j.at("writing", 0)
			}
			return after, err
		})
	}
	switch {
	case err == nil: // also if it was to be stopped when all was written
		j.mu.Lock()
		j.state.Applied = j.apply
		j.mu.Unlock()
		j.end("done", "")
		if j.apply {
			s.Feed.Tell(live.TopicDraft, "")
		}
	case errors.Is(err, errBad):
		j.end("done", "")
	case ctx.Err() != nil:
		j.end("cancelled", "it was stopped; the draft is as it was")
	default:
		j.end("failed", err.Error())
	}
}

// read reads the sheet; lines that are wrong are noted.
func (j *importJob) read(ctx context.Context) (rows []inventory.Number, err error) {
	whole := float64(max(len(j.sheet), 1))
	err = plan.Numbers.Scan(j.sheet, func(l plan.Line[inventory.Number], read int64) error {
		if len(j.lines)%4096 == 0 {
			j.at("reading", float64(read)/whole)
			if ctx.Err() != nil {
				return ctx.Err()
			}
		}
		j.lines = append(j.lines, lineFate{line: l.Number, id: l.Object.ID()})
		if len(l.Bad) > 0 {
			j.fault(len(j.lines)-1, l.Bad)
			return nil
		}
		rows = append(rows, l.Object)
		return nil
	})
	return rows, err
}

func (j *importJob) fault(at int, faults []plan.Problem) {
	l := &j.lines[at]
	first := j.faults[l.line] == nil
	j.faults[l.line] = append(j.faults[l.line], faults...)
	l.what = "bad"
	j.mu.Lock()
	defer j.mu.Unlock()
	if first {
		j.state.Bad++
	}
	if len(j.state.Faults) < maxFaultsShown {
		j.state.Faults = append(j.state.Faults, NumberLine{l.line, l.id, faults})
	}
}

// check puts the rows into a plan and says what each line does; with lines that are wrong
// it is an error.
func (j *importJob) check(ctx context.Context, s *server, p plan.Plan, rows []inventory.Number) (inventory.List, error) {
	j.at("checking", 0)
	var gone []string
	if j.sweep {
		has := make(map[string]bool, len(j.lines))
		for _, l := range j.lines {
			has[l.id] = true
		}
		for e := range p.Numbers.Entries() {
			if id := e.ID(); !has[id] {
				gone = append(gone, id)
			}
		}
	}
	after := p
	var err error
	if after.Numbers, err = p.Numbers.With(rows, gone); err != nil {
		return p.Numbers, err
	}
	j.at("checking", 0.5)
	if ctx.Err() != nil {
		return p.Numbers, ctx.Err()
	}
	byID := map[string][]plan.Problem{}
	for _, problem := range s.validate(after) {
		if rest, ok := strings.CutPrefix(problem.Place, "/numbers/"); ok {
			id, field, _ := strings.Cut(rest, "/")
			byID[id] = append(byID[id], plan.Problem{Place: field, Reason: problem.Reason})
		}
	}
	j.fates(p.Numbers, after.Numbers, byID)
	j.mu.Lock()
	defer j.mu.Unlock()
	j.state.Lines, j.state.Removed = len(j.lines), len(gone)
	if j.state.Bad > 0 {
		return p.Numbers, errBad
	}
	return after.Numbers, nil
}

// fates notes what each line does.
func (j *importJob) fates(before, after inventory.List, bad map[string][]plan.Problem) {
	for i := range j.lines {
		l := &j.lines[i]
		if l.what == "bad" {
			continue
		}
		if faults := bad[l.id]; len(faults) > 0 {
			j.fault(i, faults)
			continue
		}
		was, there := before.Get(l.id)
		is, _ := after.Get(l.id)
		switch {
		case !there:
			l.what = "added"
		case was.Number() == is.Number():
			l.what = "same"
		default:
			l.what = "changed"
		}
	}
	j.mu.Lock()
	defer j.mu.Unlock()
	j.state.Faults = slices.Clone(j.state.Faults) // somebody may be reading them
	slices.SortStableFunc(j.state.Faults, func(a, b NumberLine) int { return a.Line - b.Line })
	for _, l := range j.lines {
		switch l.what {
		case "added":
			j.state.Added++
		case "same":
			j.state.Same++
		case "changed":
			j.state.Changed++
		}
	}
}

// report is what each line did, or would have done.
func (j *importJob) report() [][]string {
	j.mu.Lock()
	defer j.mu.Unlock()
	rows := [][]string{{"line", "number", "what", "faults"}}
	if j.state.Seconds == 0 {
		return rows
	}
	for _, l := range j.lines {
		var faults []string
		for _, f := range j.faults[l.line] {
			faults = append(faults, f.Place+": "+f.Reason)
		}
		rows = append(rows, []string{fmt.Sprint(l.line), l.id, l.what, strings.Join(faults, "; ")})
	}
	return rows
}
