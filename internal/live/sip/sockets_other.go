//go:build !linux

package sip

import (
	"errors"
	"net/netip"
)

func bindTwo(netip.AddrPort) (*sockets, error) { return nil, errors.ErrUnsupported }

func (s *sockets) attach([]addressRange) error { return nil }
