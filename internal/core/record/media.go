package record

import (
	"fmt"
	"strings"

	"github.com/pion/sdp/v3"
)

// Media is what a session description says of its first audio stream.
type Media struct {
	// Address and port at which the side wants to hear.
	Address string `json:"address"`
	// Codec is the first format of the list: in an answer, the one that is used.
	Codec string `json:"codec"`
}

// staticCodecs are payload types with a fixed meaning (RFC 3551 table 4).
var staticCodecs = map[string]string{
	"0": "PCMU/8000", "3": "GSM/8000", "4": "G723/8000", "8": "PCMA/8000", "9": "G722/8000", "15": "G728/8000", "18": "G729/8000",
}

// ReadMedia reads a session description (RFC 8866); nil if it has no audio or
// cannot be read.
func ReadMedia(description []byte) *Media {
	var d sdp.SessionDescription
	if err := d.Unmarshal(description); err != nil {
		return nil
	}
	for _, m := range d.MediaDescriptions {
		if m.MediaName.Media != "audio" || len(m.MediaName.Formats) == 0 {
			continue
		}
		return &Media{Address: mediaAddress(d, m), Codec: codec(m)}
	}
	return nil
}

func mediaAddress(d sdp.SessionDescription, m *sdp.MediaDescription) string {
	c := m.ConnectionInformation
	if c == nil {
		c = d.ConnectionInformation
	}
	host := ""
	if c != nil && c.Address != nil {
		host, _, _ = strings.Cut(c.Address.Address, "/")
	}
	if strings.Contains(host, ":") {
		host = "[" + host + "]"
	}
	return fmt.Sprintf("%s:%d", host, m.MediaName.Port.Value)
}

func codec(m *sdp.MediaDescription) string {
	format := m.MediaName.Formats[0]
	for _, a := range m.Attributes {
		if kind, name, ok := strings.Cut(a.Value, " "); a.Key == "rtpmap" && ok && kind == format {
			return name
		}
	}
	if name, ok := staticCodecs[format]; ok {
		return name
	}
	return fmt.Sprintf("payload type %s", format)
}
