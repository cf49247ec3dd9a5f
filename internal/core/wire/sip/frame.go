package sip

import (
	"bytes"
	"fmt"
	"strconv"
)

// MaxStreamMessage bounds a message on a stream, header and body together.
const MaxStreamMessage = 64 << 10

// Framer finds the messages in the bytes of a stream as they come. On a stream
// Content-Length must be there (RFC 3261 section 18.3), and what is wrong with the framing is
// an error after which the stream means nothing any more. It looks at each byte once, and
// keeps no more than one message and what came behind it in one Add. The zero Framer is at
// the beginning of a stream.
type Framer struct {
	buf     []byte
	scanned int // bytes in which no header ends
	head    int // length of the header that has ended; 0 before
	length  int // of the body
	breaks  int // bytes of line ends before a message
}

// Add takes bytes that came. What Next returned before is not valid any more.
func (f *Framer) Add(b []byte) { f.buf = append(f.buf, b...) }

// Inside tells whether a message has begun and is not whole yet.
func (f *Framer) Inside() bool { return len(f.buf) > 0 }

// Next is the next whole message, nil if more must come. pings is how many keep-alives (RFC
// 5626 section 4.4.1: two line ends) came before it.
func (f *Framer) Next() (message []byte, pings int, err error) {
	if f.head == 0 {
		pings = f.skipBreaks()
		if err := f.findHead(); err != nil {
			return nil, pings, err
		}
	}
	if f.head == 0 || len(f.buf) < f.head+f.length {
		return nil, pings, nil
	}
	n := f.head + f.length
	message, f.buf = f.buf[:n:n], f.buf[n:]
	if len(f.buf) == 0 {
		f.buf = nil // the message may be kept
	}
	f.scanned, f.head, f.length, f.breaks = 0, 0, 0, 0
	return message, pings, nil
}

// skipBreaks drops line ends before a message: however many come, none is kept.
func (f *Framer) skipBreaks() (pings int) {
	if f.scanned > 0 {
		return 0 // of a message that has begun
	}
	for len(f.buf) > 0 && f.buf[0] == "\r\n\r\n"[f.breaks] {
		f.buf = f.buf[1:]
		if f.breaks++; f.breaks == 4 {
			pings++
			f.breaks = 0
		}
	}
	for len(f.buf) > 0 && (f.buf[0] == '\r' || f.buf[0] == '\n') {
		f.buf, f.breaks = f.buf[1:], 0
	}
	return pings
}

// findHead looks for the end of the header in what it has not looked at yet, and reads how
// long the body is.
func (f *Framer) findHead() error {
	from := max(0, f.scanned-3)
	end := bytes.Index(f.buf[from:], []byte("\r\n\r\n"))
	f.scanned = len(f.buf)
	if end < 0 {
		if len(f.buf) > MaxStreamMessage {
			return fmt.Errorf("no header ends within %d bytes", MaxStreamMessage)
		}
		return nil
	}
	f.head = from + end + 4
	if m, _ := Read(f.buf[:f.head]); m.Has("Content-Length") {
		var err error
		if f.length, err = strconv.Atoi(m.Get("Content-Length")); err != nil || f.length < 0 {
			return fmt.Errorf("Content-Length %q is no length", m.Get("Content-Length"))
		}
	}
	if f.length > MaxStreamMessage || f.head+f.length > MaxStreamMessage {
		return fmt.Errorf("a message of %d bytes is longer than %d", f.head+f.length, MaxStreamMessage)
	}
	return nil
}
