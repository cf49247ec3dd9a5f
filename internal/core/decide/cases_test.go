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
	"switchback.example/switchback/internal/core/trail"
)

var update = flag.Bool("update", false, "write the trails that result into testdata/cases, to be read before they are kept")

func TestCases(t *testing.T) {
	cases, err := calltest.Cases()
	require.NoError(t, err)
	require.NotEmpty(t, cases)
	for _, c := range cases {
		t.Run(c.Name, func(t *testing.T) {
			s := calltest.Compile(t, calltest.Plan(t, c.Plan))
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
