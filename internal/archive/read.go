package archive

import (
	"errors"
	"io"
	"io/fs"
	"os"

	"github.com/gopacket/gopacket/pcapgo"

	"switchback.example/switchback/internal/core/record"
)

// maxHead is more than the blocks at the front of a segment take.
const maxHead = 4096

// Read reads messages back. Those that were never written, whose segment has expired or whose
// bytes are not what was written are left out, and missing counts them.
func (a *Archive) Read(places []record.Place) (messages []record.Message, missing int, err error) {
	files := map[int64]*os.File{}
	defer func() {
		for _, f := range files {
			if f != nil {
				f.Close()
			}
		}
	}()
	for _, p := range places {
		if p.Length == 0 {
			missing++
			continue
		}
		f, seen := files[p.Segment]
		if !seen {
			if f, err = os.Open(a.path(p.Segment)); errors.Is(err, fs.ErrNotExist) {
				f, err = nil, nil
			}
			if err != nil {
				return nil, 0, err
			}
			files[p.Segment] = f
		}
		if f == nil {
			missing++
			continue
		}
		m := p.Message
		if m.Bytes, err = payload(f, p); err != nil { // cut off when the disk was full, or touched since
			a.log.Warn("a recorded message cannot be read", "message", p.Seq, "segment", p.Segment, "error", err)
			missing, err = missing+1, nil
			continue
		}
		messages = append(messages, m)
	}
	return messages, missing, nil
}

// payload reads one message: the segment's head, which says how blocks are to
// be read, and then its block alone.
func payload(f *os.File, p record.Place) ([]byte, error) {
	head, err := headLength(f)
	if err != nil {
		return nil, err
	}
	r, err := pcapgo.NewNgReader(io.MultiReader(io.NewSectionReader(f, 0, head), io.NewSectionReader(f, p.Offset, p.Length)), pcapgo.DefaultNgReaderOptions)
	if err != nil {
		return nil, err
	}
	packet, _, err := r.ReadPacketData()
	if err != nil {
		return nil, err
	}
	return record.Payload(packet)
}

// headLength is the length of the section header and the interface description
// (pcapng: draft-ietf-opsawg-pcapng section 4), each of which tells its own.
func headLength(f *os.File) (int64, error) {
	var head [maxHead]byte
	n, err := f.ReadAt(head[:], 0)
	if err != nil && !errors.Is(err, io.EOF) {
		return 0, err
	}
	at := int64(0)
	for range 2 {
		if at+8 > int64(n) {
			return 0, errors.New("the segment ends within its head")
		}
		at += int64(head[at+4]) | int64(head[at+5])<<8 | int64(head[at+6])<<16 | int64(head[at+7])<<24
		if at > int64(n) || at < 0 {
			return 0, errors.New("the segment's head is not what was written")
		}
	}
	return at, nil
}
