package api

import (
	"context"
	"errors"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
)

// PatternAsk is a pattern that somebody types, with numbers to hold against it.
type PatternAsk struct {
	Pattern string   `json:"pattern" maxLength:"4096"`
	Numbers []string `json:"numbers,omitempty" maxItems:"50"`
}

// PatternEffect is what a pattern matches.
type PatternEffect struct {
	// Position (from 1) and Reason are set if the pattern is wrong.
	Position     int             `json:"position"`
	Reason       string          `json:"reason"`
	MatchesEmpty bool            `json:"matchesEmpty"`
	Samples      []string        `json:"samples" doc:"Shortest matching numbers, one for each symbol that can begin one"`
	Lengths      []PatternLength `json:"lengths" doc:"How many numbers of each length match"`
	NearMisses   []string        `json:"nearMisses" doc:"Numbers that one key keeps from matching"`
	Shortest     string          `json:"shortest" doc:"A shorter way to write the same pattern; empty if there is none"`
	Verdicts     []Verdict       `json:"verdicts"`
}

// PatternLength is how many numbers of a length match.
type PatternLength struct {
	Length int    `json:"length"`
	Count  string `json:"count" doc:"A decimal number of any size"`
}

// Verdict is how one number stands to the pattern.
type Verdict struct {
	Number string `json:"number"`
	State  string `json:"state" enum:"none,partial,complete,complete-may-continue,invalid"`
	Waits  bool   `json:"waits"`
	Reason string `json:"reason" doc:"Why the number is invalid"`
}

// StepsAsk is digit steps to show on a number.
type StepsAsk struct {
	Switch string           `json:"switch"`
	Number string           `json:"number" maxLength:"100"`
	Format numbering.Format `json:"format,omitempty"`
	Steps  []rewrite.Step   `json:"steps" maxItems:"50"`
}

// StepsEffect is what each step makes of the number.
type StepsEffect struct {
	Steps  []StepEffect `json:"steps"`
	After  string       `json:"after"`
	Format string       `json:"format"`
}

// StepEffect is one step's tiles, or why it cannot act.
type StepEffect struct {
	Label  string       `json:"label"`
	Runs   []digits.Run `json:"runs"`
	After  string       `json:"after"`
	Format string       `json:"format"`
	Note   string       `json:"note"`
	Failed bool         `json:"failed"`
}

func (s *server) patternRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "explain-pattern", Method: http.MethodPost, Path: "/api/patterns", Summary: "What a dial pattern matches"},
		func(_ context.Context, in *struct{ Body PatternAsk }) (*struct{ Body PatternEffect }, error) {
			return &struct{ Body PatternEffect }{patternEffect(in.Body)}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "apply-steps", Method: http.MethodPost, Path: "/api/steps", Summary: "What digit steps make of a number"},
		func(ctx context.Context, in *struct{ Body StepsAsk }) (*struct{ Body StepsEffect }, error) {
			region, err := s.region(ctx, in.Body.Switch)
			if err != nil {
				return nil, err
			}
			n, err := digits.ParseNumber(in.Body.Number)
			if err != nil {
				return nil, huma.Error422UnprocessableEntity(err.Error(), &huma.ErrorDetail{Location: "body.number", Message: err.Error()})
			}
			return &struct{ Body StepsEffect }{stepsEffect(region, numbering.As(n, in.Body.Format), in.Body.Steps)}, nil
		})
}

func (s *server) region(ctx context.Context, switchID string) (numbering.Region, error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return numbering.Region{}, s.failed(err)
	}
	sw := plan.NewIndex(d.Plan).Switches[switchID]
	if sw == nil {
		return numbering.Region{}, huma.Error404NotFound("the draft has no switch " + switchID)
	}
	r, err := sw.Region.Compile()
	if err != nil {
		return r, huma.Error422UnprocessableEntity(err.Error())
	}
	return r, nil
}

// patternSamples and patternMisses are how many numbers are shown.
const (
	patternSamples = 8
	patternMisses  = 4
)

func patternEffect(ask PatternAsk) PatternEffect {
	out := PatternEffect{Samples: []string{}, Lengths: []PatternLength{}, NearMisses: []string{}, Verdicts: []Verdict{}}
	p, err := digits.Compile(ask.Pattern)
	var bad *digits.PatternError
	if errors.As(err, &bad) {
		out.Position, out.Reason = bad.Offset+1, bad.Reason
		return out
	}
	out.MatchesEmpty = p.MatchesEmpty()
	for _, n := range p.Samples(patternSamples) {
		out.Samples = append(out.Samples, n.String())
	}
	for _, n := range p.Set().NearMisses(patternMisses) {
		out.NearMisses = append(out.NearMisses, n.String())
	}
	if r, err := p.Set().Readable(); err == nil && !r.Expression && len(r.Text) < len(ask.Pattern) {
		out.Shortest = r.Text
	}
	for _, c := range p.CountByLength() {
		out.Lengths = append(out.Lengths, PatternLength{c.Length, c.Count.String()})
	}
	for _, text := range ask.Numbers {
		out.Verdicts = append(out.Verdicts, verdict(p, text))
	}
	return out
}

func verdict(p *digits.Pattern, text string) Verdict {
	n, err := digits.ParseNumber(text)
	if err != nil {
		return Verdict{Number: text, State: "invalid", Reason: err.Error()}
	}
	v := p.Dialled(n)
	return Verdict{Number: n.String(), State: v.State.String(), Waits: v.Waits}
}

func stepsEffect(region numbering.Region, in numbering.Written, steps []rewrite.Step) StepsEffect {
	out := StepsEffect{Steps: []StepEffect{}}
	for _, step := range steps {
		effect := StepEffect{Label: step.Label(), Runs: []digits.Run{}, Failed: true}
		compiled, faults := step.Compile()
		if len(faults) > 0 {
			effect.Note = faults[0].Field + ": " + faults[0].Reason
		} else if res := compiled.Explain(&region, in); !res.Edit.OK() {
			effect.Note = compiled.Err(res).Error()
		} else {
			in = res.After
			effect.Failed, effect.Note = false, res.Note.String()
			effect.Runs = res.Edit.Runs()
		}
		effect.After, effect.Format = in.Number.String(), string(in.Format)
		out.Steps = append(out.Steps, effect)
		if effect.Failed {
			break
		}
	}
	out.After, out.Format = in.Number.String(), string(in.Format)
	return out
}
