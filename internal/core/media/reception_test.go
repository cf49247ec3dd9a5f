package media

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

// Jitter of RFC 3550 section 6.4.1 and appendix A.8, worked by hand: 8 packets at
// 8000 Hz every 20 ms, beginning 160 before the timestamp wraps.
func TestJitterByHand(t *testing.T) {
	rows := []struct {
		timestamp, arrival uint32
		scaled, reported   int64
	}{
		{4294967136, 1000, 0, 0},
		{0, 1160, 0, 0},
		{160, 1330, 10, 0},
		{320, 1470, 29, 1},
		{480, 1640, 37, 2},
		{640, 1800, 35, 2},
		{800, 2040, 113, 7},
		{960, 2100, 206, 12},
	}
	var r Reception
	for i, row := range rows {
		r.Packet(1, uint16(100+i), row.timestamp, row.arrival)
		assert.Equal(t, row.scaled, r.scaled, "packet %d", i+1)
		assert.Equal(t, row.reported, r.Jitter(), "packet %d", i+1)
	}
}

// Loss of RFC 3550 appendix A.3, worked by hand, with the sequence number
// wrapping, out of order and repeated.
func TestLossByHand(t *testing.T) {
	rows := []struct {
		name     string
		arrivals []uint16
		want     Loss
		received int64
	}{
		{"over the wrap", []uint16{65530, 65531, 65533, 65534, 65535, 0, 1, 3, 4, 5}, Loss{12, 2}, 10},
		{"late ones", []uint16{65530, 65531, 65533, 65534, 65535, 0, 1, 3, 4, 5, 6, 7, 8, 10, 9, 11, 12, 13, 14, 15}, Loss{22, 2}, 20},
		{"repeated", []uint16{10, 11, 12, 12, 13, 14}, Loss{5, -1}, 6},
		{"late at the end", []uint16{100, 101, 103, 104}, Loss{5, 1}, 4},
		{"and come", []uint16{100, 101, 103, 104, 102, 105, 106, 107}, Loss{8, 0}, 8},
	}
	for _, row := range rows {
		var r Reception
		for i, s := range row.arrivals {
			r.Packet(7, s, uint32(i)*160, uint32(i)*160)
		}
		assert.Equal(t, row.want, r.Loss(), row.name)
		assert.Equal(t, row.received, r.Received(), row.name)
	}
}

func TestAnotherSourceAndARestartCountOn(t *testing.T) {
	var r Reception
	for i := range 5 {
		r.Packet(1, uint16(i), 0, 0)
	}
	for i := range 5 {
		r.Packet(2, uint16(40000+2*i), 0, 0)
	}
	assert.Equal(t, Loss{5 + 9, 4}, r.Loss())
	r.Packet(2, 10, 0, 0) // jumps: not counted, unless the next follows
	assert.Equal(t, int64(10), r.Received())
	r.Packet(2, 11, 0, 0)
	r.Packet(2, 12, 0, 0)
	assert.Equal(t, int64(12), r.Received())
	assert.Equal(t, int64(4), r.Loss().Lost)
}
