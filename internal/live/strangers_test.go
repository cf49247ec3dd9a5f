package live

import (
	"net/netip"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is kept of strangers has a number and a length, whatever they send.
func TestStrangersAreBounded(t *testing.T) {
	s := NewStrangers()
	now := time.Now()
	long := strings.Repeat("x", 100_000)
	for i := range 5 * MaxStrangers {
		from := netip.AddrFrom4([4]byte{198, 51, byte(i >> 8), byte(i)})
		s.Note(from, Stranger{Switch: "quay", Last: now.Add(time.Duration(i)), Method: long, Called: long, From: long, Agent: long})
	}
	list, all := s.List(time.Time{}, 10)
	require.Len(t, list, 10)
	assert.Equal(t, MaxStrangers, all)
	assert.Less(t, len(list[0].Called), 200)
	assert.Equal(t, "198.51.19.135", list[0].Source, "the latest is first")

	s = NewStrangers()
	one := netip.MustParseAddr("198.51.100.1")
	for range 3 {
		s.Note(one, Stranger{Switch: "quay", Last: now})
	}
	list, _ = s.List(time.Time{}, 10)
	assert.EqualValues(t, 3, list[0].Count)
	s.Forget("quay", one)
	_, all = s.List(time.Time{}, 10)
	assert.Zero(t, all)
}
