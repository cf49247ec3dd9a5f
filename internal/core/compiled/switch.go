package compiled

import (
	"net/netip"

	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// Switch is a switch with its numbering plan and what tells its trunks.
type Switch struct {
	plan.Switch
	Numbering numbering.Region
	Address   string // of its host, without a port
	trusted   map[netip.Addr][]trusting
	networks  []trusting
	called    map[netip.Addr]*Trunk
	// certified are trunks that a certificate alone tells.
	certified []trusting
	// takesCredentials: some trunk proves itself by a secret.
	takesCredentials bool
}
