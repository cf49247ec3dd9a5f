package media

import (
	"strings"

	"github.com/zaf/g711"
)

// Encodings of speech at 8,000 samples a second that the switch converts into each other
// (ITU-T G.711; L16 is RFC 3551 section 4.5.11, in network byte order; S16LE is what sound devices
// of modems have).
const (
	PCMA  = "PCMA"
	PCMU  = "PCMU"
	L16   = "L16"
	S16LE = "S16LE"
)

// Converter returns a function that converts speech from one encoding to another: it appends to
// dst what src becomes, and returns the whole. ok is false if one of them is not known here. An
// odd byte at the end of 16-bit samples is left out.
func Converter(from, to string) (convert func(dst, src []byte) []byte, ok bool) {
	read, width := decoders[strings.ToUpper(from)], 1
	write, ok := encoders[strings.ToUpper(to)]
	if !ok || read == nil {
		return nil, false
	}
	if strings.EqualFold(from, to) {
		return func(dst, src []byte) []byte { return append(dst, src...) }, true
	}
	if from := strings.ToUpper(from); from == L16 || from == S16LE {
		width = 2
	}
	return func(dst, src []byte) []byte {
		for ; len(src) >= width; src = src[width:] {
			dst = write(dst, read(src))
		}
		return dst
	}, true
}

var decoders = map[string]func([]byte) int16{
	PCMA:  func(b []byte) int16 { return g711.DecodeAlawFrame(b[0]) },
	PCMU:  func(b []byte) int16 { return g711.DecodeUlawFrame(b[0]) },
	L16:   func(b []byte) int16 { return int16(b[0])<<8 | int16(b[1]) },
	S16LE: func(b []byte) int16 { return int16(b[1])<<8 | int16(b[0]) },
}

var encoders = map[string]func([]byte, int16) []byte{
	PCMA:  func(dst []byte, v int16) []byte { return append(dst, g711.EncodeAlawFrame(v)) },
	PCMU:  func(dst []byte, v int16) []byte { return append(dst, g711.EncodeUlawFrame(v)) },
	L16:   func(dst []byte, v int16) []byte { return append(dst, byte(v>>8), byte(v)) },
	S16LE: func(dst []byte, v int16) []byte { return append(dst, byte(v), byte(v>>8)) },
}
