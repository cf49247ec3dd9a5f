package call

import (
	"context"
	"fmt"
	"net"
	"sync/atomic"
	"time"
)

// ear takes the audio of a test call and counts it, and plays a tone.
type ear struct {
	conn    *net.UDPConn
	packets atomic.Int64
}

func listen(host string) (*ear, error) {
	conn, err := net.ListenUDP("udp", &net.UDPAddr{IP: net.ParseIP(host)})
	if err != nil {
		return nil, err
	}
	e := &ear{conn: conn}
	go func() {
		b := make([]byte, 2048)
		for {
			if _, err := conn.Read(b); err != nil {
				return
			}
			e.packets.Add(1)
		}
	}()
	return e, nil
}

func (e *ear) close() { e.conn.Close() }

// play sends a tone to where an answer says, a second on and a second off, until the
// context ends, and then tells how much was sent.
func (e *ear) play(ctx context.Context, answer []byte) (told <-chan string) {
	out := make(chan string, 1)
	a, _, ok := toneFor(answer)
	if !ok {
		out <- "no tone was sent: the answer has no plain G.711"
		return out
	}
	go func() {
		var beeps [][2]int
		for at := 0; at < int(MaxTestTalk/time.Millisecond); at += 2000 {
			beeps = append(beeps, [2]int{at, at + 1000})
		}
		out <- fmt.Sprintf("%d packets of tone were sent", playTone(ctx, e.conn, a, beeps))
	}()
	return out
}

// heard says what came.
func (e *ear) heard() string {
	if n := e.packets.Load(); n > 0 {
		return fmt.Sprintf("%d packets of audio came", n)
	}
	return "no audio came"
}

// description offers both G.711 laws (RFC 8866, RFC 3551).
func (e *ear) description() []byte {
	at := e.conn.LocalAddr().(*net.UDPAddr) //nolint:forcetypeassert // ListenUDP
	return fmt.Appendf(nil, "v=0\r\no=- 1 1 IN IP4 %[1]s\r\ns=-\r\nc=IN IP4 %[1]s\r\nt=0 0\r\nm=audio %[2]d RTP/AVP 8 0\r\na=rtpmap:8 PCMA/8000\r\na=rtpmap:0 PCMU/8000\r\na=sendrecv\r\n", at.IP, at.Port)
}
