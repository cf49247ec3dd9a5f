package sip

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// framed are the messages of a stream that comes in pieces of the given lengths.
func framed(stream []byte, piece func() int) (messages []string, pings int, err error) {
	var f Framer
	for len(stream) > 0 {
		n := min(len(stream), max(1, piece()))
		f.Add(stream[:n])
		stream = stream[n:]
		for {
			m, p, err := f.Next()
			pings += p
			if err != nil {
				return messages, pings, err
			}
			if m == nil {
				break
			}
			messages = append(messages, string(m))
		}
		if len(f.buf) > MaxStreamMessage+n {
			panic("it keeps more than a message")
		}
	}
	return messages, pings, nil
}

func whole(n int) func() int { return func() int { return n } }

func TestMessagesAreFoundInAStream(t *testing.T) {
	first, second := string(wire(invite)), string(wire("SIP/2.0 200 OK\n\n"))
	got, pings, err := framed([]byte("\r\n\r\n"+first+"\r\n"+second+"\r\n\r\n\r\n\r\n"), whole(100_000))
	require.NoError(t, err)
	assert.Equal(t, []string{first, second}, got)
	assert.Equal(t, 3, pings)
	got, _, err = framed(wire("SIP/2.0 200 OK\n\nnext"), whole(100))
	require.NoError(t, err)
	assert.Equal(t, []string{second}, got, "on a stream no length is no body")
	_, _, err = framed(wire("SIP/2.0 200 OK\nl: x\n\n"), whole(100))
	assert.EqualError(t, err, `Content-Length "x" is no length`)
	for _, length := range []string{"99999999", "65536", "9223372036854775807"} {
		_, _, err = framed(wire("SIP/2.0 200 OK\nl: "+length+"\n\n"), whole(100))
		assert.ErrorContains(t, err, "longer than 65536")
	}
	_, _, err = framed([]byte(strings.Repeat("x", MaxStreamMessage+1)), whole(1000))
	assert.ErrorContains(t, err, "no header ends within")
}

// Line ends without end are keep-alives or nothing, and none is kept.
func TestEndlessLineEndsAreNotKept(t *testing.T) {
	for _, piece := range []string{"\r\n", "\n", "\r", "\r\n\r\n", "\n\r"} {
		var f Framer
		for range 100_000 {
			f.Add([]byte(piece))
			m, _, err := f.Next()
			require.NoError(t, err)
			require.Nil(t, m)
			require.LessOrEqual(t, len(f.buf), 4)
		}
		assert.LessOrEqual(t, cap(f.buf), 64)
	}
}

// However a stream is cut, its messages are the same.
func FuzzFramesDoNotDependOnTheCuts(f *testing.F) {
	f.Add([]byte("\r\n\r\n"+string(wire(invite))+string(wire("SIP/2.0 200 OK\nl: 3\n\nabc"))), uint64(1))
	f.Add(wire("SIP/2.0 200 OK\nl: 99999999\n\n"), uint64(2))
	f.Add([]byte("\n\r\r\n\r\nx\r\n\r\n"), uint64(3))
	f.Fuzz(func(t *testing.T, stream []byte, seed uint64) {
		if len(stream) > MaxStreamMessage {
			return
		}
		r := rand.New(rand.NewPCG(seed, 1))
		want, _, wantErr := framed(stream, whole(len(stream)+1))
		for _, cut := range []func() int{whole(1), whole(3), func() int { return r.IntN(40) }} {
			got, _, err := framed(stream, cut)
			require.Equal(t, want, got)
			require.Equal(t, wantErr, err)
		}
	})
}
