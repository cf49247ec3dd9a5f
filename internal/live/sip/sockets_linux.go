package sip

import (
	"context"
	"errors"
	"net"
	"net/netip"
	"syscall"

	"golang.org/x/net/bpf"
	"golang.org/x/sys/unix"
)

// bindTwo takes an address by two sockets of one SO_REUSEPORT group (Linux). A program on the
// group chooses by the source address. It is there before the second socket, so that none falls
// into the wrong one; the first is the strangers', since an unknown index leads to it.
func bindTwo(address netip.AddrPort) (*sockets, error) {
	if !address.Addr().Unmap().Is4() {
		return nil, errors.ErrUnsupported
	}
	strange, err := listenShared(address)
	if err != nil {
		return nil, err
	}
	s := &sockets{strange: strange, complete: true}
	if err = s.attach(nil); err == nil {
		s.known, err = listenShared(netip.AddrPortFrom(address.Addr(), uint16(strange.LocalAddr().(*net.UDPAddr).Port))) //nolint:forcetypeassert // of a UDP socket
	}
	if err != nil {
		strange.Close()
		return nil, err
	}
	_ = s.strange.SetReadBuffer(strangeBuffer) // the system may allow less
	_ = s.known.SetReadBuffer(ReceiveBuffer)
	return s, nil
}

func listenShared(address netip.AddrPort) (*net.UDPConn, error) {
	config := net.ListenConfig{Control: func(_, _ string, c syscall.RawConn) (err error) {
		failed := c.Control(func(fd uintptr) { err = unix.SetsockoptInt(int(fd), unix.SOL_SOCKET, unix.SO_REUSEPORT, 1) })
		return errors.Join(err, failed)
	}}
	conn, err := config.ListenPacket(context.Background(), "udp4", address.String())
	if err != nil {
		return nil, err
	}
	return conn.(*net.UDPConn), nil //nolint:forcetypeassert // of network udp4
}

// attach puts the program for a list on the group.
func (s *sockets) attach(list []addressRange) error {
	raw, err := bpf.Assemble(chooser(list, netOffset+sourceAt))
	if err != nil {
		return err
	}
	filter := make([]unix.SockFilter, len(raw))
	for i, r := range raw {
		filter[i] = unix.SockFilter{Code: r.Op, Jt: r.Jt, Jf: r.Jf, K: r.K}
	}
	conn, err := s.strange.SyscallConn()
	if err != nil {
		return err
	}
	failed := conn.Control(func(fd uintptr) {
		err = unix.SetsockoptSockFprog(int(fd), unix.SOL_SOCKET, unix.SO_ATTACH_REUSEPORT_CBPF, &unix.SockFprog{Len: uint16(len(filter)), Filter: &filter[0]})
	})
	return errors.Join(err, failed)
}
