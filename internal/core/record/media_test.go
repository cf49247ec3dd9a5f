package record

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestReadMedia(t *testing.T) {
	head := "v=0\r\no=- 1 1 IN IP4 127.0.20.1\r\ns=-\r\nc=IN IP4 127.0.20.1\r\nt=0 0\r\n"
	for _, c := range []struct {
		body string
		want *Audio
	}{
		{head + "m=audio 40000 RTP/AVP 8 0\r\n", &Audio{Address: "127.0.20.1:40000", Codec: "PCMA/8000"}},
		{head + "m=video 9 RTP/AVP 99\r\nm=audio 40002 RTP/AVP 96 0\r\nc=IN IP4 127.0.30.1/127\r\na=rtpmap:96 opus/48000/2\r\n", &Audio{Address: "127.0.30.1:40002", Codec: "opus/48000/2"}},
		{head + "m=audio 5 RTP/AVP 77\r\n", &Audio{Address: "127.0.20.1:5", Codec: "payload type 77"}},
		{head + "m=audio 0 RTP/AVP 77\r\n", nil},
		{head, nil},
		{"", nil},
		{strings.Repeat("x", 1000), nil},
	} {
		assert.Equal(t, c.want, ReadMedia([]byte(c.body)), c.body)
	}
}
