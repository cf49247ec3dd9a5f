package decide_test

import (
	"bufio"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/document"
)

// A thousand calls as version 1 decided them: from every trunk, at every hour of a year, with and
// without a trunk that is down. Written by the commit before version 2.
func TestAPlanOfVersion1DecidesAsItDid(t *testing.T) {
	p, err := document.Read(calltest.Version1(t, "live.json.gz"))
	require.NoError(t, err)
	s, problems := decide.Compile(p)
	require.Empty(t, problems)
	calls := 0
	for lines := bufio.NewScanner(calltest.Version1(t, "dry-runs.txt.gz")); lines.Scan(); calls++ {
		f := strings.Split(lines.Text(), "|")
		called, err := digits.ParseNumber(f[1])
		require.NoError(t, err)
		caller, err := digits.ParseNumber(f[2])
		require.NoError(t, err)
		at, err := time.Parse(time.RFC3339, f[3])
		require.NoError(t, err)
		got, err := s.Dry(decide.Call{Trunk: f[0], Called: called, Caller: callerid.Of(caller), At: at}, decide.Suppose{Down: map[string]bool{f[4]: true}})
		require.NoError(t, err)
		var attempts []string
		for _, a := range got.Attempts {
			attempts = append(attempts, fmt.Sprintf("%s %s %s %v", a.Trunk, a.Called, a.Caller, a.Skipped))
		}
		told := 0 // who is presented: the one step that trails gained since
		for _, step := range got.Steps {
			if step.Presented != nil {
				told++
			}
		}
		is := fmt.Sprintf("%s|%d|%d|%s|%s|%d|%s", got.Outcome, got.Cause.SIP, got.Cause.Q850, got.Called, got.Caller, len(got.Steps)-told, strings.Join(attempts, ";"))
		assert.Equal(t, strings.Join(f[5:], "|"), is, lines.Text())
	}
	assert.Equal(t, 1000, calls)
}
