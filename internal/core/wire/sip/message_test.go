package sip

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func wire(s string) []byte { return []byte(strings.ReplaceAll(s, "\n", "\r\n")) }

const invite = `INVITE sip:901914980850@127.0.10.1;user=phone SIP/2.0
Via: SIP/2.0/UDP 127.0.20.1:5060;branch=z9hG4bKa;rport, SIP/2.0/TCP [::1];branch=z9hG4bKb
v: SIP / 2.0 / UDP 127.0.20.9
f: "Desk \"one\", 2001" <sip:2001@127.0.20.1>;tag=t1
To: <sip:901914980850@127.0.10.1>
i: abc@127.0.20.1
CSeq: 7 INVITE
Max-Forwards: 70
Subject: folded
 over
	lines
X-Unknown:   kept  as   it is ;;=
Contact: <sip:2001@127.0.20.1:5060;transport=udp>;expires=30, "B, C" <sip:b@127.0.20.2>
l: 4

body`

func TestReadFindsWhatStands(t *testing.T) {
	m, faults := Read(wire(invite))
	require.Empty(t, faults)
	assert.Equal(t, "INVITE", m.Method)
	assert.Equal(t, "sip:901914980850@127.0.10.1;user=phone", m.URI)
	assert.True(t, m.Request())
	assert.Equal(t, "body", string(m.Body))
	assert.Equal(t, "folded over lines", m.Get("subject"))
	assert.Equal(t, "abc@127.0.20.1", m.Get("Call-ID"), "by its short form")
	assert.Equal(t, "4", m.Get("content-length"))
	assert.Equal(t, "kept  as   it is ;;=", m.Get("X-Unknown"))

	vias := m.All("Via")
	require.Len(t, vias, 3)
	for i, want := range []Via{
		{"UDP", "127.0.20.1", 5060, Params{{"branch", "z9hG4bKa", true}, {"rport", "", false}}},
		{"TCP", "::1", 0, Params{{"branch", "z9hG4bKb", true}}},
		{"UDP", "127.0.20.9", 0, nil},
	} {
		got, err := ReadVia(vias[i])
		require.NoError(t, err)
		assert.Equal(t, want, got)
	}
	from, err := ReadAddress(m.Get("From"))
	require.NoError(t, err)
	assert.Equal(t, `Desk "one", 2001`, from.Name)
	assert.Equal(t, "t1", from.Tag())
	assert.Equal(t, `"Desk \"one\", 2001" <sip:2001@127.0.20.1>;tag=t1`, from.String())
	contacts := m.All("Contact")
	require.Len(t, contacts, 2)
	first, err := ReadAddress(contacts[0])
	require.NoError(t, err)
	transport, _ := first.URI.Params.Get("transport")
	expires, _ := first.Params.Get("expires")
	assert.Equal(t, "udp", transport)
	assert.Equal(t, "30", expires)
	assert.Equal(t, wire(invite), m.Bytes(), "written as it was read")
	assert.True(t, Verify(m, faults).Fit())
}

func TestChangesTouchNothingElse(t *testing.T) {
	m, _ := Read(wire(invite))
	m.SetFirst("Via", "SIP/2.0/UDP 127.0.10.1;branch=z9hG4bKc")
	m.Set("Max-Forwards", "69")
	m.Remove("Subject")
	m.AddFirst("Via", "SIP/2.0/UDP 127.0.10.2;branch=z9hG4bKd")
	m.SetStart("INVITE", "sip:2001@127.0.20.1")
	m.SetBody("application/sdp", []byte("v=0"))
	want := strings.NewReplacer(
		"INVITE sip:901914980850@127.0.10.1;user=phone SIP/2.0\n", "INVITE sip:2001@127.0.20.1 SIP/2.0\nVia: SIP/2.0/UDP 127.0.10.2;branch=z9hG4bKd\n",
		"Via: SIP/2.0/UDP 127.0.20.1:5060;branch=z9hG4bKa;rport, SIP/2.0/TCP [::1];branch=z9hG4bKb", "Via: SIP/2.0/UDP 127.0.10.1;branch=z9hG4bKc",
		"Max-Forwards: 70", "Max-Forwards: 69", "Subject: folded\n over\n\tlines\n", "", "l: 4\n\nbody", "l: 3\nContent-Type: application/sdp\n\nv=0",
	).Replace(invite)
	assert.Equal(t, string(wire(want)), string(m.Bytes()))
	again, faults := Read(m.Bytes())
	assert.Empty(t, faults)
	assert.Equal(t, "v=0", string(again.Body))
}

func TestResponseCopiesWhatItMust(t *testing.T) {
	req, _ := Read(wire(invite))
	res := NewResponse(req, 180, "Ringing")
	res.SetBody("", nil)
	want := `SIP/2.0 180 Ringing
Via: SIP/2.0/UDP 127.0.20.1:5060;branch=z9hG4bKa;rport, SIP/2.0/TCP [::1];branch=z9hG4bKb
Via: SIP / 2.0 / UDP 127.0.20.9
From: "Desk \"one\", 2001" <sip:2001@127.0.20.1>;tag=t1
To: <sip:901914980850@127.0.10.1>
Call-ID: abc@127.0.20.1
CSeq: 7 INVITE
Content-Length: 0

`
	assert.Equal(t, string(wire(want)), string(res.Bytes()))
}

func TestBrokenPartsAreToldAndKept(t *testing.T) {
	for _, c := range []struct{ in, want string }{
		{"", "byte 0: the message is empty"},
		{"\n\n", "byte 4: the message is empty"},
		{"INVITE sip:a@b.example\n\n", `byte 0: "INVITE sip:a@b.example" is no start line of SIP/2.0`},
		{"INV{TE sip:a@b.example SIP/2.0\n\n", `byte 0: "INV{TE" is no method`},
		{"INVITE sip:a b SIP/2.0\n\n", `byte 7: "sip:a b" is no request URI`},
		{"INVITE sip:a@b.example SIP/7.0\n\n", "byte 0: version SIP/7.0 is not SIP/2.0"},
		{"SIP/2.0 099 Low\n\n", `byte 0: "099" is no status, 100 to 699`},
		{"SIP/2.0 200 OK\nno colon here\n\n", `byte 16: "no colon here" is no field: it has no colon`},
		{"SIP/2.0 200 OK\nB@d: x\n\n", `byte 16: "B@d" is no field name`},
		{"SIP/2.0 200 OK\nl: -1\n\n", `byte 25: Content-Length "-1" is no length`},
		{"SIP/2.0 200 OK\nl: 5\n\nbody", `byte 28: Content-Length is 5, and only 4 bytes follow`},
		{"SIP/2.0 200 OK\nTo: x", "byte 21: the message ends before the empty line that ends the header"},
	} {
		m, faults := Read(wire(c.in))
		if assert.Len(t, faults, 1, c.in) {
			assert.EqualError(t, faults[0], c.want)
		}
		assert.Equal(t, string(wire(c.in)), string(m.Bytes()))
		assert.False(t, Verify(m, faults).Fit())
	}
	m, faults := Read([]byte("SIP/2.0 200 OK\r\n" + strings.Repeat("X: y\r\n", MaxFields+5) + "\r\n"))
	require.Len(t, faults, 1)
	assert.Len(t, m.Fields, MaxFields+1)
	m, faults = Read(wire("SIP/2.0 200 OK\nl: 2\n\nabcd"))
	assert.Empty(t, faults)
	assert.Equal(t, "ab", string(m.Body), "the rest of the datagram is not the body (RFC 3261 section 18.3)")
	assert.Equal(t, "abcd", string(m.Bytes()[len(m.Bytes())-4:]))
}

func TestURIsAreReadAndWrittenBack(t *testing.T) {
	for _, s := range []string{
		"sip:127.0.10.1", "sip:2001@127.0.10.1:5060", "sips:2001;phone-context=x@[::1]:5061;transport=tcp;lr",
		"sip:%2321@b.example", "sip:a@b.example?subject=x", "tel:+441914980850;ext=1",
	} {
		u, err := ReadURI(s)
		require.NoError(t, err)
		assert.Equal(t, s, u.String())
	}
	for _, s := range []string{"", "2001", "sip:", "sip:a@", "sip:a@b.example:0", "sip:a@b.example:x", "sip:a@[::1", "sip:a@[zz]", "s p:a", "sip:a b@c", "tel:<1>"} {
		_, err := ReadURI(s)
		assert.Error(t, err, s)
	}
}

func TestParams(t *testing.T) {
	p := readParams(`a=1; b ;c="x;y";A=2`)
	v, ok := p.Get("C")
	assert.True(t, ok)
	assert.Equal(t, "x;y", v)
	_, ok = p.Get("d")
	assert.False(t, ok)
	assert.Equal(t, `;a=3;b;c="x;y";A=2`, p.With("a", "3").String())
	assert.Equal(t, `;a=1;b;c="x;y";A=2;d=4`, p.With("d", "4").String())
	assert.Equal(t, `say "hi"\`, Unquote(Quote(`say "hi"\`)))
}

// Read, write, read again: nothing is lost, and what was understood is the same.
func FuzzReadWritesTheSameBytes(f *testing.F) {
	f.Add(wire(invite))
	f.Add(wire("SIP/2.0 486 Busy Here\nVia: x\n\n"))
	f.Add([]byte("\r\n\r\nINVITE sip:a SIP/2.0\nl: 3\n\nabcdef"))
	f.Add([]byte("A:b\n c\n\n"))
	f.Fuzz(func(t *testing.T, b []byte) {
		m, faults := Read(b)
		require.Equal(t, b, append([]byte{}, m.Bytes()...))
		again, faultsAgain := Read(m.Bytes())
		require.Equal(t, faults, faultsAgain)
		require.Equal(t, m.Fields, again.Fields)
		Verify(m, faults)
		for _, name := range []string{"Via", "Contact", "Route"} {
			for _, v := range m.All(name) {
				if via, err := ReadVia(v); err == nil {
					back, err := ReadVia(via.String())
					require.NoError(t, err)
					require.Equal(t, via.String(), back.String())
				}
				if a, err := ReadAddress(v); err == nil {
					back, err := ReadAddress(a.String())
					require.NoError(t, err, "%q -> %q", v, a.String())
					require.Equal(t, a.String(), back.String())
				}
			}
		}
	})
}
