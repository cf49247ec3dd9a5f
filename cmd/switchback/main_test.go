package main

import (
	"bytes"
	"encoding/json"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// command runs switchback with arguments and returns what it prints.
func command(args ...string) (string, error) {
	c := root()
	var out bytes.Buffer
	c.SetOut(&out)
	c.SetErr(&out)
	c.SetArgs(args)
	err := c.Execute()
	return out.String(), err
}

func planFile(name string) string {
	if name == "skerry-line" {
		return filepath.Join(calltest.Root(), "internal", "demo", "skerry-line.json")
	}
	return filepath.Join(calltest.Root(), "testdata", "plans", name+".json")
}

// The command gives the trail of the case; the core, the API and the live
// switch are held to the same files.
func TestTryGivesTheTrailOfTheCases(t *testing.T) {
	cases, err := calltest.Cases()
	require.NoError(t, err)
	for _, c := range cases {
		if len(c.Suppose.Hears) > 0 {
			continue // the command supposes trunks down or full, not what far ends say
		}
		args := []string{"try", "--plan", planFile(c.Plan), "--from", c.From, "--called", c.Dial}
		if !c.At.IsZero() {
			args = append(args, "--time", c.At.Format(time.RFC3339))
		}
		if c.Caller != "" {
			args = append(args, "--caller", c.Caller)
		}
		for id := range c.Suppose.Down {
			args = append(args, "--down", id)
		}
		for id := range c.Suppose.Full {
			args = append(args, "--full", id)
		}
		out, err := command(args...)
		require.NoError(t, err, c.Name)
		assert.Equal(t, c.Want, out, c.Name)

		out, err = command(append(args, "--json")...)
		require.NoError(t, err, c.Name)
		var res decide.Result
		require.NoError(t, json.Unmarshal([]byte(out), &res))
		assert.Equal(t, c.Want, trail.Text(res.Steps), c.Name)
	}
}

func TestTryJSONHasItsFields(t *testing.T) {
	out, err := command("try", "--plan", planFile("skerry-line"), "--from", "2001", "--called", "901914980850", "--down", "ostrel", "--time", "2026-11-23T12:00:00Z", "--json")
	require.NoError(t, err)
	var res map[string]any
	require.NoError(t, json.Unmarshal([]byte(out), &res))
	assert.Equal(t, "answered", res["outcome"])
	assert.Equal(t, map[string]any{"q850": 16.0, "sip": 200.0}, res["cause"])
	assert.Equal(t, []any{
		map[string]any{"switch": "quay", "trunk": "ostrel", "called": "+441914980850", "caller": "+441914980101", "skipped": true, "reason": "down"},
		map[string]any{"switch": "quay", "trunk": "penhallow", "called": "01914980850", "caller": "01914980101", "skipped": false, "reason": ""},
	}, res["attempts"])
	assert.Equal(t, "01914980850", res["called"])
	assert.Equal(t, "01914980101", res["caller"])
}

func TestTryOverTwoSwitchesListsAttemptsInOrder(t *testing.T) {
	out, err := command("try", "--plan", planFile("two-switches"), "--from", "2001", "--called", "844123", "--json")
	require.NoError(t, err)
	var res decide.Result
	require.NoError(t, json.Unmarshal([]byte(out), &res))
	require.Len(t, res.Attempts, 2)
	assert.Equal(t, "quay", res.Attempts[0].Switch)
	assert.Equal(t, "cape", res.Attempts[1].Switch)
	assert.Equal(t, "cape-phones", res.Attempts[1].Trunk)
}

func TestDigits(t *testing.T) {
	out, err := command("digits", "--pattern", "(0T|00T|[1-7]xxx|x11)", "--json", "0", "3", "3456", "9", "411")
	require.NoError(t, err)
	assert.Equal(t, strings.Join([]string{
		`{"number":"0","state":"partial","waits":true}`,
		`{"number":"3","state":"partial","waits":false}`,
		`{"number":"3456","state":"complete","waits":false}`,
		`{"number":"9","state":"partial","waits":false}`,
		`{"number":"411","state":"complete-may-continue","waits":false}`, "",
	}, "\n"), out)
	out, err = command("digits", "--pattern", "0T", "0", "1")
	require.NoError(t, err)
	assert.Equal(t, "0\tpartial, the timer completes it\n1\tnone\n", out)
}

func TestDigitsAgainst(t *testing.T) {
	for _, c := range []struct{ p, q, want string }{
		{"[2-9]xx", "(2[0-9]x|3xx)", `{"relation":"contains","example":"200","onlyPattern":"400","onlyAgainst":null}`},
		{"(2[0-9]x|3xx)", "[2-9]xx", `{"relation":"within","example":"200","onlyPattern":null,"onlyAgainst":"400"}`},
		{"9xx.", "999|112", `{"relation":"overlaps","example":"999","onlyPattern":"90","onlyAgainst":"112"}`},
		{"1", "2", `{"relation":"disjoint","example":null,"onlyPattern":"1","onlyAgainst":"2"}`},
		{"x.", "x.x.", `{"relation":"equal","example":"","onlyPattern":null,"onlyAgainst":null}`},
	} {
		out, err := command("digits", "--pattern", c.p, "--against", c.q, "--json")
		require.NoError(t, err)
		assert.Equal(t, c.want+"\n", out)
	}
	out, err := command("digits", "--pattern", "x.", "--against", "9")
	require.NoError(t, err)
	assert.Equal(t, "contains\nboth: 9\nonly the pattern: (no digits)\n", out)
}

func TestDigitsDescribe(t *testing.T) {
	out, err := command("digits", "--pattern", "2[0-9]1|311", "--describe", "--json")
	require.NoError(t, err)
	assert.JSONEq(t, `{"counts":[{"length":3,"count":"11"}],"samples":["201","311"],
		"nearMisses":["20","31","2010","3110","301","202","411","321","312"],"shortest":"(31|2x)1"}`, out)
	out, err = command("digits", "--pattern", "99", "--describe")
	require.NoError(t, err)
	assert.Equal(t, "shortest\t99\n1 of 2 symbols\nmatches\t99\njust misses\t9\njust misses\t990\njust misses\t89\njust misses\t98\n", out)
}

func TestBadInputIsStatusTwoWithAPlace(t *testing.T) {
	skerry := planFile("skerry-line")
	for _, c := range []struct {
		want string
		args []string
	}{
		{`pattern "12(", position 3`, []string{"digits", "--pattern", "12(", "1"}},
		{`number "1z", position 2`, []string{"digits", "--pattern", "x.", "1", "1z"}},
		{`pattern "[", position 1`, []string{"digits", "--pattern", "x.", "--against", "["}},
		{"unknown flag", []string{"digits", "--patern", "x"}},
		{"no such file", []string{"try", "--plan", "gone.json", "--from", "2001", "--called", "1"}},
		{`number "1z", position 2`, []string{"try", "--plan", skerry, "--from", "2001", "--called", "1z"}},
		{"allowed: cape-phones", []string{"try", "--plan", skerry, "--from", "nobody", "--called", "1"}},
		{`no trunk "gone"`, []string{"try", "--plan", skerry, "--from", "2001", "--called", "1", "--down", "gone"}},
		{"no moment", []string{"try", "--plan", skerry, "--from", "2001", "--called", "1", "--time", "noon"}},
		{"line 2, column", []string{"try", "--plan", filepath.Join(calltest.Root(), "LICENSE"), "--from", "2001", "--called", "1"}},
	} {
		out, err := command(c.args...)
		var bad badInput
		require.ErrorAs(t, err, &bad, "%v", c.args)
		assert.Contains(t, err.Error(), c.want)
		assert.Empty(t, out, "nothing is printed before all input was read")
	}
	_, err := command("migrate", "--dsn", "nonsense")
	var bad badInput
	assert.False(t, errors.As(err, &bad))
	assert.ErrorContains(t, err, "DSN")
}

func TestVersionAndDescription(t *testing.T) {
	out, err := command("version")
	require.NoError(t, err)
	assert.Equal(t, "switchback 0.1.0\n", out)
	out, err = command("openapi")
	require.NoError(t, err)
	assert.True(t, json.Valid([]byte(out)))
}

func TestConfigShowsWhatHoldsAndFromWhere(t *testing.T) {
	t.Setenv("SWITCHBACK_DSN", "user:hidden@tcp(127.0.0.1:1)/x")
	out, err := command("config", "--http", "127.0.0.1:9")
	require.NoError(t, err)
	assert.NotContains(t, out, "hidden")
	assert.Regexp(t, `dsn +user:\*\*\*@tcp\(127.0.0.1:1\)/x +from SWITCHBACK_DSN`, out)
	assert.Regexp(t, `http +127.0.0.1:9 +from --http`, out)
	assert.Regexp(t, `log-level +info +from default`, out)
	var bad badInput
	_, err = command("serve", "--log-level", "loud")
	assert.ErrorAs(t, err, &bad)
	_, err = command("serve", "--instance-name", strings.Repeat("é", 61))
	require.ErrorAs(t, err, &bad)
	assert.EqualError(t, err, "instance-name, from --instance-name: 61 characters; use at most 60")
	_, err = command("config", "--config", "gone.yaml")
	assert.ErrorAs(t, err, &bad)
}

func TestPlanCheckRunsTheChecksAndTellsMistakes(t *testing.T) {
	out, err := command("plan", "check", planFile("skerry-line"))
	require.NoError(t, err, out)
	assert.Contains(t, out, "65 of 65 checks passed")

	p, err := readPlan(planFile("skerry-line"))
	require.NoError(t, err)
	p.Checks[0].Expected.TrunkOut = "penhallow"
	p.Tables[0].Rules = append([]plan.Rule{{ID: "code", Name: "A code", Match: plan.Match{Called: "21xx"}, Then: plan.Then{RejectCause: 1}}}, p.Tables[0].Rules...)
	file := filepath.Join(t.TempDir(), "plan.json")
	var b bytes.Buffer
	require.NoError(t, document.Write(&b, p))
	require.NoError(t, os.WriteFile(file, b.Bytes(), 0o600))
	out, err = command("plan", "check", file)
	assert.ErrorContains(t, err, "checks failed")
	assert.Contains(t, out, "check Emergency 999 failed")
	assert.Contains(t, out, "trunk: expected penhallow, actual ostrel")
	assert.Contains(t, out, "from Quay phones, 2100 does not reach Quay extensions: rule A code matches")
}
