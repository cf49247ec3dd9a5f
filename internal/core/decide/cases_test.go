package decide_test

import (
	"flag"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/demo"
)

var update = flag.Bool("update", false, "write the trails that result into testdata/cases, to be read before they are kept")

func loadPlan(t *testing.T, name string) plan.Plan {
	if name == "skerry-line" {
		p, err := demo.Plan()
		require.NoError(t, err)
		return p
	}
	f, err := os.Open(filepath.Join(calltest.Root(), "testdata", "plans", name+".json"))
	require.NoError(t, err)
	defer f.Close()
	p, err := document.Read(f)
	require.NoError(t, err)
	return p
}

func compile(t *testing.T, p plan.Plan) *decide.Snapshot {
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	return s
}

func TestCases(t *testing.T) {
	cases, err := calltest.Cases()
	require.NoError(t, err)
	require.NotEmpty(t, cases)
	for _, c := range cases {
		t.Run(c.Name, func(t *testing.T) {
			s := compile(t, loadPlan(t, c.Plan))
			call, err := s.CallFrom(c.From, c.Dial, c.Caller)
			require.NoError(t, err)
			call.At = c.At
			res, err := s.Dry(call, c.Suppose)
			require.NoError(t, err)
			got := trail.Text(res.Steps)
			if *update {
				rewriteCase(t, c.Name, got)
			}
			assert.Equal(t, c.Want, got)
		})
	}
}

func rewriteCase(t *testing.T, name, trail string) {
	file := filepath.Join(calltest.Root(), "testdata", "cases", name+".txt")
	text, err := os.ReadFile(file)
	require.NoError(t, err)
	head, _, _ := strings.Cut(string(text), "\n---\n")
	require.NoError(t, os.WriteFile(file, []byte(head+"\n---\n"+trail), 0o644))
}
