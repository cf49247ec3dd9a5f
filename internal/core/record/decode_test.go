package record

import (
	"math/rand/v2"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/campaign"
	"switchback.example/switchback/internal/core/wire/sip"
)

const answer = "\r\nSIP/2.0 200 OK\r\nVia: SIP/2.0/UDP 127.0.10.1;branch=z9hG4bKx\r\nf: <sip:2001@quay.example>;tag=1\r\n" +
	"Call-ID: a\r\nSubject: far\r\n  and wide\r\nCSeq: 1 INVITE\r\nContent-Type: application/sdp\r\n\r\n" +
	"v=0\r\no=- 1 1 IN IP4 127.0.20.1\r\ns=-\r\nc=IN IP4 127.0.20.1\r\nt=0 0\r\nm=audio 4000 RTP/AVP 8\r\na=rtpmap:8 PCMA/8000\r\n"

func TestAMessageIsDecodedWithItsPlaces(t *testing.T) {
	d := Message{Protocol: "sip", Bytes: []byte(answer)}.Decode()
	assert.Equal(t, "a", d.Key)
	assert.Equal(t, "<sip:2001@quay.example>;tag=1", d.Party)
	require.NotNil(t, d.Media)
	assert.Equal(t, Audio{Address: "127.0.20.1:4000", Codec: "PCMA/8000"}, *d.Media)
	for _, f := range d.Fields {
		raw := answer[f.Offset : f.Offset+f.Length]
		assert.True(t, strings.HasPrefix(raw, f.Name), f.Name)
		assert.True(t, strings.HasSuffix(raw, "\r\n"))
	}
	assert.Equal(t, Field{"Subject", "far and wide", strings.Index(answer, "Subject"), len("Subject: far\r\n  and wide\r\n")}, d.Fields[4])
	unknown := Message{Protocol: "smoke", Bytes: []byte("up")}.Decode()
	assert.Equal(t, Decoded{Label: "unreadable", Fault: "no decoder reads smoke"}, unknown)
}

// Whatever comes, each field is where it is said to be, none overlaps another, and they are those
// that the reader of the wire finds; seeded, with messages of the campaign of attacks.
func TestPlacesOfFieldsAreThoseOfTheBytes(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 7))
	known := campaign.Knowledge{
		Switch: "127.0.10.1:5060", Realm: "quay.example", Users: []string{"2001"}, Outside: []string{"09123456"}, Inside: []string{"2002"},
		Homes: []string{"127.0.20.1:5060"}, Dialogs: []campaign.Dialog{{CallID: "a", SwitchTag: "s", FarTag: "f", FarURI: "sip:2001@127.0.20.1"}},
	}
	for range 2000 {
		text := []byte(campaign.Generators["sip"](r, known).First)
		d := Message{Protocol: "sip", Bytes: text}.Decode()
		end := 0
		for _, f := range d.Fields {
			require.GreaterOrEqual(t, f.Offset, end)
			end = f.Offset + f.Length
			require.LessOrEqual(t, end, len(text))
			require.Contains(t, string(text[f.Offset:end]), f.Name)
		}
		if m, err := sip.Read(text); err == nil && len(d.Fields) > 0 {
			var want, got []string
			for _, f := range m.Fields {
				want = append(want, strings.ToLower(f.Name))
			}
			for _, f := range d.Fields[1:] {
				got = append(got, strings.ToLower(f.Name))
			}
			require.Equal(t, want, got, "%q", text)
		}
	}
}

func TestALegHasANameOfOurOwn(t *testing.T) {
	l := Leg{}.Named("sip", "a@127.0.20.1")
	assert.Equal(t, "b3f9096aa82c3fd8a785f40e", l.ID, "SHA-256 as hashlib of Python makes it, the first half")
	assert.Equal(t, l.ID, LegID("sip", "a@127.0.20.1"))
	assert.NotEqual(t, l.ID, LegID("iax2", "a@127.0.20.1"))
	assert.Empty(t, LegID("sip", ""))
	assert.LessOrEqual(t, testing.AllocsPerRun(100, func() { LegID("sip", "a@127.0.20.1") }), 1.0)
}
