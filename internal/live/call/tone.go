package call

import (
	"context"
	"math"
	"net"
	"net/netip"
	"strings"
	"time"

	"github.com/pion/rtp"
	"github.com/zaf/g711"

	"switchback.example/switchback/internal/core/media"
)

// The tone with which the switch answers by itself: two short beeps of 425 Hz, as far as
// the caller takes G.711 (RFC 3551) in the clear. What it says goes with its length: set
// is two beeps, taken back is one long one (our own choice; no standard has one).
const (
	toneHz      = 425
	toneLevel   = 6000
	toneRate    = 8000
	tonePacket  = 160 // samples, 20 ms
	toneSilence = 200 * time.Millisecond
)

// toneAnswer is the answer to an offer with which a tone can be sent from a socket: how
// it is encoded, and where to; ok is false if the caller takes no plain G.711.
type toneAnswer struct {
	body    []byte
	to      netip.AddrPort
	payload uint8
	law     string
}

func answerWithTone(offer []byte, from netip.AddrPort) (a toneAnswer, ok bool) {
	a, d, ok := toneFor(offer)
	if ok {
		d.Through(from)
		a.body = d.Bytes()
	}
	return a, ok
}

// toneFor is how a tone is sent to who gave a description, with what is left of that; ok is
// false if it has no plain G.711.
func toneFor(description []byte) (a toneAnswer, d *media.Description, ok bool) {
	d, err := media.Read(description)
	if err != nil || !d.Audio() || d.Encrypted() {
		return a, d, false
	}
	if err := d.Keep(media.Rules{Codecs: []string{"PCMA", "PCMU"}, NoComfortNoise: true, NoEvents: true}); err != nil {
		return a, d, false
	}
	formats := d.Formats()
	if len(formats) == 0 {
		return a, d, false
	}
	a.payload, a.law = uint8(formats[0].Type), strings.ToUpper(formats[0].Encoding())
	a.to, ok = d.Address()
	return a, d, ok
}

// beeps is when the tone sounds, in milliseconds from its beginning.
var (
	beepsSet  = [][2]int{{0, 200}, {350, 550}}
	beepsBack = [][2]int{{0, 700}}
)

// playTone sends beeps to a caller, and returns after the last or when the context ends,
// with how many packets it sent.
func playTone(ctx context.Context, conn *net.UDPConn, a toneAnswer, beeps [][2]int) (sent int) {
	end := beeps[len(beeps)-1][1]
	tick := time.NewTicker(20 * time.Millisecond)
	defer tick.Stop()
	header := rtp.Header{Version: 2, PayloadType: a.payload, SSRC: 0x5b, Marker: true}
	for at := 0; at < end+int(toneSilence/time.Millisecond); at += 20 {
		on := false
		for _, b := range beeps {
			on = on || at >= b[0] && at < b[1]
		}
		packet, err := (&rtp.Packet{Header: header, Payload: toneSamples(on, at*toneRate/1000, a.law)}).Marshal()
		if err != nil {
			return sent
		}
		sent++
		_, _ = conn.WriteToUDPAddrPort(packet, a.to) // one that is lost is lost
		header.SequenceNumber++
		header.Timestamp += tonePacket
		header.Marker = false
		select {
		case <-tick.C:
		case <-ctx.Done():
			return sent
		}
	}
	return sent
}

func toneSamples(on bool, from int, law string) []byte {
	pcm := make([]byte, 2*tonePacket)
	for i := range tonePacket {
		if v := int16(0); on {
			v = int16(toneLevel * math.Sin(2*math.Pi*toneHz*float64(from+i)/toneRate))
			pcm[2*i], pcm[2*i+1] = byte(v), byte(v>>8)
		}
	}
	if law == "PCMU" {
		return g711.EncodeUlaw(pcm)
	}
	return g711.EncodeAlaw(pcm)
}
