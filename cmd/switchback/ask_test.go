package main

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/apptest"
	"switchback.example/switchback/internal/core/plan"
)

func TestTryAsksTheRunningSwitch(t *testing.T) {
	c := apptest.SignedIn(t, nil)
	ask := []string{"try", "--server", c.URL + "/", "--from", "2001", "--dial", "2150"}
	t.Setenv("SWITCHBACK_USER", "")
	_, err := command(ask...)
	assert.ErrorContains(t, err, "SWITCHBACK_USER")

	t.Setenv("SWITCHBACK_USER", apptest.User)
	t.Setenv("SWITCHBACK_PASSWORD", apptest.Password)
	out, err := command(ask...)
	require.NoError(t, err)
	byFile, err := command("try", "--plan", planFile("skerry-line"), "--from", "2001", "--dial", "2150")
	require.NoError(t, err)
	assert.Equal(t, byFile, out, "the server and the file give one trail")

	c.Ask("PUT", "/api/draft/rules", api.RulePut{Table: "phones-out", Rule: plan.Rule{
		ID: "phones-internal", Name: "No internal calls", Match: plan.Match{Called: "2[0-3]xx"}, Then: plan.Then{Refuse: 21},
	}}, nil)
	out, err = command(append(ask, "--draft")...)
	require.NoError(t, err)
	assert.Contains(t, out, "refused, cause 21, status 403: rule No internal calls refuses the call")
	out, err = command(append(ask, "--down", "quay-phones")...)
	require.NoError(t, err)
	assert.Contains(t, out, "skip quay-phones, down")

	var bad badInput
	_, err = command("try", "--server", c.URL, "--from", "2001", "--dial", "2z")
	assert.ErrorAs(t, err, &bad)
	assert.ErrorContains(t, err, "position 2")
	_, err = command("try", "--server", "http://127.0.0.1:9", "--from", "2001", "--dial", "1")
	require.Error(t, err)
	assert.NotErrorAs(t, err, &bad)
	t.Setenv("SWITCHBACK_PASSWORD", "wrong")
	_, err = command(ask...)
	assert.ErrorContains(t, err, "the name or the password is wrong")
}
