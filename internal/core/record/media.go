package record

import (
	"fmt"

	"switchback.example/switchback/internal/core/media"
)

// Audio is what a side says of its sound, and what was heard of it.
type Audio struct {
	// Address and port at which the side wants to hear.
	Address string `json:"address"`
	// Codec is the first format of the list: in an answer, the one that is used.
	Codec string `json:"codec"`
	// Encrypted: it is to be SRTP.
	Encrypted bool `json:"encrypted,omitempty"`
	// Heard is what came from the side through the switch; nil where the sound
	// went past it, or nothing was agreed.
	Heard *Reception `json:"heard,omitempty"`
}

// Reception is what came from one side of a call (RFC 3550 section 6.4.1).
type Reception struct {
	Packets   int64   `json:"packets"`
	Lost      int64   `json:"lost"`
	JitterMS  float64 `json:"jitterMs"`
	Spoiled   int64   `json:"spoiled,omitempty" doc:"Encrypted packets that were changed, repeated or of another key"`
	Elsewhere int64   `json:"elsewhere,omitempty" doc:"Packets from other addresses, which were not passed on"`
}

// ReadMedia reads a session description (RFC 8866); nil if it has no audio or
// cannot be read.
func ReadMedia(description []byte) *Audio {
	d, err := media.Read(description)
	if err != nil || len(d.Formats()) == 0 {
		return nil
	}
	m := &Audio{Encrypted: d.Encrypted()}
	if at, ok := d.Address(); ok {
		m.Address = at.String()
	}
	first := d.Formats()[0]
	if m.Codec = first.Name; m.Codec == "" {
		m.Codec = fmt.Sprintf("payload type %d", first.Type)
	}
	return m
}
