package sip

import (
	"encoding/binary"
	"math/rand/v2"
	"net"
	"net/netip"
	"runtime"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/net/bpf"
)

func header(source uint32) []byte {
	b := make([]byte, 28)
	binary.BigEndian.PutUint32(b[sourceAt:], source)
	return b
}

// The program says what a walk over the networks says, for any list; run by the machine of
// golang.org/x/net/bpf.
func TestTheProgramChoosesAsAWalkDoes(t *testing.T) {
	for seed := range uint64(60) {
		r := rand.New(rand.NewPCG(seed, 7))
		var networks []netip.Prefix
		for range r.IntN(400) {
			a := netip.AddrFrom4([4]byte{byte(r.IntN(3) * 127), byte(r.IntN(3)), byte(r.IntN(256)), byte(r.IntN(256))})
			networks = append(networks, netip.PrefixFrom(a, []int{32, 32, 32, 24, 30, 16, 9, 0}[r.IntN(7+int(seed/55))]))
		}
		networks = append(networks, netip.MustParsePrefix("255.255.255.255/32"), netip.MustParsePrefix("2001:db8::/32"))
		list := rangesOf(networks)
		vm, err := bpf.NewVM(chooser(list, sourceAt))
		require.NoError(t, err)
		ask := func(source uint32) {
			b := [4]byte{}
			binary.BigEndian.PutUint32(b[:], source)
			want := 0
			for _, p := range networks {
				if p.Masked().Contains(netip.AddrFrom4(b)) {
					want = 1
				}
			}
			got, err := vm.Run(header(source))
			require.NoError(t, err)
			require.Equal(t, want, got, "seed %d: %v", seed, b)
		}
		for _, x := range list {
			for _, source := range []uint32{x.first, x.last, x.first - 1, x.last + 1} {
				ask(source)
			}
		}
		for range 500 {
			ask(r.Uint32())
		}
	}
}

func TestTheProgramFits(t *testing.T) {
	var networks []netip.Prefix
	for i := range maxRanges {
		networks = append(networks, netip.PrefixFrom(netip.AddrFrom4([4]byte{10, byte(i >> 7), byte(i << 1), 1}), 32))
	}
	require.Len(t, rangesOf(networks), maxRanges)
	raw, err := bpf.Assemble(chooser(rangesOf(networks), sourceAt))
	require.NoError(t, err)
	assert.LessOrEqual(t, len(raw), 4096)
}

// Known sources come by their socket and strangers by the other, also while the list changes.
func TestTheSystemTellsKnownFromStrange(t *testing.T) {
	s, err := bind(netip.MustParseAddrPort("127.1.66.1:0"))
	require.NoError(t, err)
	defer s.close()
	if runtime.GOOS != "linux" {
		assert.Nil(t, s.known, "one socket, where the system cannot tell them apart")
		return
	}
	require.NotNil(t, s.known)
	to := s.strange.LocalAddr().(*net.UDPAddr)
	assert.Equal(t, to.String(), s.known.LocalAddr().String())
	send := func(from string) {
		conn, err := net.DialUDP("udp4", &net.UDPAddr{IP: net.ParseIP(from)}, to)
		require.NoError(t, err)
		defer conn.Close()
		_, err = conn.Write([]byte(from))
		require.NoError(t, err)
	}
	heard := func(c *net.UDPConn) string {
		b := make([]byte, 100)
		_ = c.SetReadDeadline(time.Now().Add(5 * time.Second))
		n, _, err := c.ReadFromUDPAddrPort(b)
		require.NoError(t, err)
		return string(b[:n])
	}
	send("127.1.66.2")
	assert.Equal(t, "127.1.66.2", heard(s.strange), "nobody is known yet")
	for i := range 50 {
		known, strange := "127.1.67."+itoa(2+i), "127.1.68."+itoa(2+i)
		require.NoError(t, s.prefer([]netip.Prefix{netip.MustParsePrefix(known + "/32"), netip.MustParsePrefix("127.1.70.0/24")}))
		send(known)
		send(strange)
		send("127.1.70.9")
		assert.Equal(t, known, heard(s.known))
		assert.Equal(t, "127.1.70.9", heard(s.known))
		assert.Equal(t, strange, heard(s.strange))
	}
	many := []netip.Prefix{}
	for i := range 3 * maxRanges {
		many = append(many, netip.PrefixFrom(netip.AddrFrom4([4]byte{11, byte(i >> 7), byte(i << 1), 1}), 32))
	}
	require.NoError(t, s.prefer(many))
	assert.False(t, s.complete, "the rest stays with the strangers")
	assert.LessOrEqual(t, len(s.list), maxRanges)
}
