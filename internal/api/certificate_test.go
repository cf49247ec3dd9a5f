package api

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/live"
)

func TestCertificatesAreWarnedOf(t *testing.T) {
	now := time.Now()
	p, err := demo.Plan()
	require.NoError(t, err)
	folder := t.TempDir()
	require.NoError(t, demo.Certificates(folder, p, now))
	s := &server{Config: Config{Certificates: live.NewCertificates(folder)}}
	quay := *plan.NewIndex(p).Switches["quay"]
	got := s.secured(quay, now)
	assert.Equal(t, []string{"quay.skerry-line.example", "127.0.10.1"}, got.Names)
	assert.Empty(t, got.Warning)
	assert.Contains(t, s.secured(quay, now.Add(350*24*time.Hour)).Warning, "expires soon")
	assert.Contains(t, s.secured(quay, now.Add(400*24*time.Hour)).Warning, "has expired")
	island := *plan.NewIndex(p).Switches["island"]
	assert.Nil(t, s.secured(island, now))
	island.Listeners.SIP.TLSAddress = "127.0.11.1:5061"
	assert.Contains(t, s.secured(island, now).Warning, "no certificate")
}
