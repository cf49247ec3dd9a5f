package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/plan"
)

func TestTryAsksTheRunningSwitch(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	ask := []string{"try", "--server", c.URL + "/", "--from", "2001", "--called", "2150"}
	t.Setenv("SWITCHBACK_USER", "")
	_, err := command(ask...)
	assert.ErrorContains(t, err, "SWITCHBACK_USER")

	t.Setenv("SWITCHBACK_USER", apptest.User)
	t.Setenv("SWITCHBACK_PASSWORD", apptest.Password)
	out, err := command(ask...)
	require.NoError(t, err)
	byFile, err := command("try", "--plan", planFile("skerry-line"), "--from", "2001", "--called", "2150")
	require.NoError(t, err)
	assert.Equal(t, byFile, out, "the server and the file give one trail")

	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "phones-out", Rule: plan.Rule{
		ID: "phones-internal", Name: "No internal calls", Match: plan.Match{Called: "2[0-3]xx"}, Then: plan.Then{RejectCause: 21},
	}}, nil)
	out, err = command(append(ask, "--draft")...)
	require.NoError(t, err)
	assert.Contains(t, out, "refused, cause 21, status 403: rule No internal calls rejects the call")
	out, err = command(append(ask, "--down", "quay-phones")...)
	require.NoError(t, err)
	assert.Contains(t, out, "skip quay-phones, down")

	var bad badInput
	_, err = command("try", "--server", c.URL, "--from", "2001", "--called", "2z")
	assert.ErrorAs(t, err, &bad)
	assert.ErrorContains(t, err, "position 2")
	_, err = command("try", "--server", "http://127.0.0.1:9", "--from", "2001", "--called", "1")
	require.Error(t, err)
	assert.NotErrorAs(t, err, &bad)
	t.Setenv("SWITCHBACK_PASSWORD", "wrong")
	_, err = command(ask...)
	assert.ErrorContains(t, err, "the name or the password is wrong")
}

func TestPlansAreExportedAndImported(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	t.Setenv("SWITCHBACK_USER", apptest.User)
	t.Setenv("SWITCHBACK_PASSWORD", apptest.Password)
	live, err := command("plan", "export", "--server", c.URL)
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "plan.json")
	changed := strings.Replace(live, "0[1-3]xxxxxxxxx", "0[12]xxxxxxxxx", 1)
	require.NoError(t, os.WriteFile(file, []byte(changed), 0o600))
	out, err := command("plan", "import", "--server", c.URL, file)
	require.NoError(t, err)
	assert.Contains(t, out, "1 differences from the draft before\n  changed rule outside-national\n")
	draft, err := command("plan", "export", "--server", c.URL, "--draft")
	require.NoError(t, err)
	assert.Equal(t, changed, draft)
	first, err := command("plan", "export", "--server", c.URL, "--revision", "1")
	require.NoError(t, err)
	assert.Equal(t, live, first)
	_, err = command("plan", "export", "--server", c.URL, "--revision", "7")
	assert.ErrorContains(t, err, "not found")

	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(live, `"order": "as-listed"`, `"order": "loud"`, 1)), 0o600))
	_, err = command("plan", "import", "--server", c.URL, file)
	assert.ErrorContains(t, err, "/tables/phones-out/order")
	draft, err = command("plan", "export", "--server", c.URL, "--draft")
	require.NoError(t, err)
	assert.Equal(t, changed, draft, "an import never half applies")
}

func TestPlanValidateAndDiff(t *testing.T) {
	skerry := planFile("skerry-line")
	out, err := command("plan", "validate", skerry)
	require.NoError(t, err)
	assert.Contains(t, out, "is valid: 3 switches, 10 trunks, 12 tables with 48 rules")
	text, err := os.ReadFile(skerry)
	require.NoError(t, err)
	file := filepath.Join(t.TempDir(), "plan.json")
	require.NoError(t, os.WriteFile(file, []byte(strings.Replace(string(text), "0[1-3]xxxxxxxxx", "0[12", 1)), 0o600))
	out, err = command("plan", "diff", skerry, file)
	require.NoError(t, err)
	assert.Equal(t, "changed rule outside-national\n    match/called: \"0[1-3]xxxxxxxxx\" -> \"0[12\"\n", out)
	out, err = command("plan", "diff", skerry, file, "--json")
	require.NoError(t, err)
	assert.True(t, json.Valid([]byte(out)))
	_, err = command("plan", "validate", file)
	assert.ErrorContains(t, err, "/tables/outside/rules/outside-national/match/called")
	var bad badInput
	assert.NotErrorAs(t, err, &bad)
	_, err = command("plan", "validate", "gone.json")
	assert.ErrorAs(t, err, &bad)
	_, err = command("plan", "diff", skerry, "gone.json")
	assert.ErrorAs(t, err, &bad)
}
