// Package calltest reads the call cases in testdata/cases: calls as text, with
// the trail that must result. The core, the API and the live switch all run
// the same cases. It is for tests only.
package calltest

import (
	"fmt"
	"os"
	"path/filepath"
	"runtime"
	"strconv"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/trail"
)

// Case is one call and its expected trail.
//
//	plan   skerry-line          the demo plan, or a file in testdata/plans
//	from   2001                 a source, as for a try
//	dial   901914980801
//	caller 2001                 optional
//	at     2026-11-27T10:00:00Z  optional; live, every calendar of the plan is open
//	down   ostrel               supposed: nothing is sent there
//	hear   ostrel refused 503 34    supposed: what comes back (status, Q.850)
//	live                        real stand-ins make what is supposed come true
//	---
//	the trail, as decide.Text writes it
type Case struct {
	Name               string
	Plan               string
	From, Dial, Caller string
	At                 time.Time
	Suppose            decide.Suppose
	Live               bool
	Want               string
}

// Root returns the project's root folder.
func Root() string {
	_, file, _, _ := runtime.Caller(0)
	return filepath.Join(filepath.Dir(file), "..", "..")
}

// Cases reads every case.
func Cases() ([]Case, error) {
	files, err := filepath.Glob(filepath.Join(Root(), "testdata", "cases", "*.txt"))
	if err != nil {
		return nil, err
	}
	var out []Case
	for _, f := range files {
		c, err := read(f)
		if err != nil {
			return nil, fmt.Errorf("%s: %w", f, err)
		}
		out = append(out, c)
	}
	return out, nil
}

func read(file string) (Case, error) {
	text, err := os.ReadFile(file)
	if err != nil {
		return Case{}, err
	}
	head, want, ok := strings.Cut(string(text), "\n---\n")
	if !ok {
		return Case{}, fmt.Errorf("no line --- between the call and its trail")
	}
	c := Case{
		Name: strings.TrimSuffix(filepath.Base(file), ".txt"), Want: want,
		Suppose: decide.Suppose{Down: map[string]bool{}, Full: map[string]bool{}, Hears: map[string]decide.Report{}},
	}
	for i, line := range strings.Split(head, "\n") {
		if err := c.line(strings.Fields(line)); err != nil {
			return Case{}, fmt.Errorf("line %d: %w", i+1, err)
		}
	}
	return c, nil
}

func (c *Case) line(words []string) error {
	if len(words) == 0 || strings.HasPrefix(words[0], "#") {
		return nil
	}
	arg := strings.Join(words[1:], " ")
	switch words[0] {
	case "plan":
		c.Plan = arg
	case "from":
		c.From = arg
	case "dial":
		c.Dial = arg
	case "at":
		at, err := time.Parse(time.RFC3339, arg)
		c.At = at
		return err
	case "caller":
		c.Caller = arg
	case "down":
		c.Suppose.Down[arg] = true
	case "full":
		c.Suppose.Full[arg] = true
	case "live":
		c.Live = true
	case "hear":
		return c.hear(words[1:])
	default:
		return fmt.Errorf("unknown word %q", words[0])
	}
	return nil
}

func (c *Case) hear(words []string) error {
	if len(words) < 2 {
		return fmt.Errorf("hear wants a trunk and what is heard")
	}
	r := decide.Report{Kind: trail.ReportKind(words[1])}
	for i, w := range words[2:] {
		n, err := strconv.Atoi(w)
		switch {
		case w == "progress":
			r.Progress = true
		case err != nil:
			return err
		case i == 0:
			r.Status = n
		default:
			r.Reason = cause.Q850(n)
		}
	}
	c.Suppose.Hears[words[0]] = r
	return nil
}
