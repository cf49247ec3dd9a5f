package sip_test

import (
	"strings"
	"testing"

	library "github.com/emiago/sipgo/sip"

	"switchback.example/switchback/internal/core/wire/sip"
)

// An INVITE as a phone system sends it, with a description:
//
//	go test ./internal/core/wire/sip -run '^$' -bench . -benchmem
var typical = []byte(strings.ReplaceAll(`INVITE sip:901914980850@127.0.10.1 SIP/2.0
Via: SIP/2.0/UDP 127.0.20.1:5060;branch=z9hG4bK.Wn6MSOmx03oIYCMh;rport
Max-Forwards: 70
From: "Desk 2001" <sip:2001@127.0.20.1>;tag=fbSjxI5vlZHa
To: <sip:901914980850@127.0.10.1>
Call-ID: c23f6aa4-81b7-4450-a3b1-514bc8986713
CSeq: 1436 INVITE
Contact: <sip:2001@127.0.20.1:5060;transport=udp>
Allow: INVITE, ACK, CANCEL, BYE, OPTIONS
User-Agent: Quay phones
Content-Type: application/sdp
Content-Length: 170

v=0
o=- 1 1 IN IP4 127.0.20.1
s=Quay phones
c=IN IP4 127.0.20.1
t=0 0
m=audio 40000 RTP/AVP 8 0
a=rtpmap:8 PCMA/8000
a=rtpmap:0 PCMU/8000
a=ptime:20
a=sendrecv
`, "\n", "\r\n"))

// BenchmarkRead reads and judges the message, as the switch does with every one.
func BenchmarkRead(b *testing.B) {
	b.ReportAllocs()
	for b.Loop() {
		m, faults := sip.Read(typical)
		if !sip.Verify(m, faults).Fit() {
			b.Fatal("not fit")
		}
	}
}

func BenchmarkReadByTheLibrary(b *testing.B) {
	b.ReportAllocs()
	p := library.NewParser()
	for b.Loop() {
		if _, err := p.ParseSIP(typical); err != nil {
			b.Fatal(err)
		}
	}
}

func BenchmarkWrite(b *testing.B) {
	m, _ := sip.Read(typical)
	m.SetStart("INVITE", m.URI)
	m.SetFirst("Via", m.Get("Via"))
	buffer := make([]byte, 0, 2048)
	b.ReportAllocs()
	for b.Loop() {
		buffer = m.AppendTo(buffer[:0])
	}
}

func BenchmarkWriteByTheLibrary(b *testing.B) {
	m, err := library.NewParser().ParseSIP(typical)
	if err != nil {
		b.Fatal(err)
	}
	b.ReportAllocs()
	for b.Loop() {
		_ = m.String()
	}
}
