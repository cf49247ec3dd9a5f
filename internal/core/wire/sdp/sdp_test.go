package sdp

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// The example of RFC 8866 section 5, with names and addresses of our own.
var example = strings.Join([]string{
	"v=0", "o=- 3724394400 3724394405 IN IP4 127.0.20.1", "s=Call to the quay", "i=A session", "u=http://skerry.example/", "c=IN IP4 127.0.20.1",
	"t=3724394400 3724398000", "a=recvonly", "m=audio 49170 RTP/AVP 0", "m=audio 49180/2 RTP/AVP 8", "m=image 51372 udptl t38", "c=IN IP6 ::1", "a=T38FaxVersion:0", "",
}, "\r\n")

func TestWhatIsReadIsWrittenAsItWas(t *testing.T) {
	s, err := Read([]byte(example))
	require.NoError(t, err)
	assert.Equal(t, example, string(s.Bytes()))
	require.Len(t, s.Media, 3)
	assert.Equal(t, Media{Kind: "audio", Port: 49180, Count: 2, Proto: "RTP/AVP", Formats: []string{"8"}}, *s.Media[1])
	c, _ := Get(s.Media[2].Lines, 'c')
	assert.Equal(t, "IN IP6 ::1", c)
	v, ok := Attribute(s.Media[2].Lines, "T38FaxVersion")
	assert.True(t, ok)
	assert.Equal(t, "0", v)
	_, ok = Attribute(s.Lines, "recvonly")
	assert.True(t, ok)
}

func TestBareLineEndsAreRead(t *testing.T) {
	s, err := Read([]byte(strings.ReplaceAll(example, "\r\n", "\n")))
	require.NoError(t, err)
	assert.Equal(t, example, string(s.Bytes()))
}

func TestWhatCannotBeReadIsToldByItsLine(t *testing.T) {
	for text, want := range map[string]string{
		"":                               `line 1: "" is not a letter, = and a value`,
		"hello":                          `line 1: "hello" is not a letter`,
		"s=x":                            `line 1: "s=x" is not v=0`,
		"v=0\r\nm=audio x RTP/AVP 0":     `line 2: "x" is no port`,
		"v=0\r\nm=audio 70000 RTP/AVP 0": `line 2: "70000" is no port`,
		"v=0\r\nm=audio 5":               "line 2: m=audio 5 has not a kind",
		"v=0\r\nm=audio 5/x RTP/AVP 0":   `line 2: invalid number of ports "x"`,
		strings.Repeat("v=0\n", 2002):    "more than 2000 lines",
	} {
		_, err := Read([]byte(text))
		assert.ErrorContains(t, err, want)
	}
}

func TestAttributesAreSetInPlace(t *testing.T) {
	lines := []Line{{'a', "ptime:20"}, {'a', "sendrecv"}}
	assert.Equal(t, []Line{{'a', "ptime:30"}, {'a', "sendrecv"}}, SetAttribute(lines, "ptime", "30"))
	assert.Equal(t, []Line{{'a', "ptime:20"}, {'a', "sendrecv"}, {'a', "inactive"}}, SetAttribute(lines, "inactive", ""))
	assert.Equal(t, []Line{{'a', "sendrecv"}}, Without(lines, func(name, _ string) bool { return name == "ptime" }))
	assert.Equal(t, "ptime:20", lines[0].Value, "the lines that were given stay")
}

// Whatever can be read is written and read again without loss.
func FuzzReadWriteRead(f *testing.F) {
	f.Add(example)
	f.Add("v=0\nm=audio 0/3 x y z\na=\n")
	f.Fuzz(func(t *testing.T, text string) {
		s, err := Read([]byte(text))
		if err != nil {
			return
		}
		again, err := Read(s.Bytes())
		require.NoError(t, err)
		assert.Equal(t, s.Bytes(), again.Bytes())
	})
}
