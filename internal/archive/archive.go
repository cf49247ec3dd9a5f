// Package archive keeps recorded messages as bytes in rolling pcapng segment
// files, which general tools open as they are, and reads single messages back
// by their place. Where each message lies is the index's business (package
// store); whole segments expire.
//
// It never delays a call, and it never knows what a message says.
package archive

import (
	"errors"
	"fmt"
	"io"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/pcapgo"

	"switchback.example/switchback/internal/core/record"
)

// Limits say how much is kept.
type Limits struct {
	Segment int64         // bytes after which a new segment begins
	Roll    time.Duration // or after so long
	Total   int64         // bytes of all segments; the oldest go first
	Keep    time.Duration // how long a segment is kept after its last message
}

// DefaultLimits are what a process keeps unless it is told otherwise.
func DefaultLimits() Limits {
	return Limits{Segment: 16 << 20, Roll: time.Hour, Total: 1 << 30, Keep: 30 * 24 * time.Hour}
}

// Archive is a folder of segments. Append and Expire are for one goroutine,
// Read for many. The zero folder keeps nothing.
type Archive struct {
	dir    string
	limits Limits
	log    *slog.Logger

	mu      sync.Mutex // guards what follows
	packer  *record.Packer
	last    int64    // id of the newest segment
	current *segment // nil before the first message
	failing bool
	again   time.Time // before which nothing is tried after a failure
	now     func() time.Time
	create  func(name string) (io.WriteCloser, error)
}

// retry is how long nothing is tried after a failure: a disk that is full stays so for a while.
const retry = time.Second

func create(name string) (io.WriteCloser, error) {
	return os.OpenFile(name, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o640) //nolint:gosec // the name is ours
}

// segment is the file that is being written.
type segment struct {
	id    int64
	file  io.WriteCloser
	out   *pcapgo.NgWriter
	count counter
	holds bool  // messages that were written to the end
	end   int64 // where the next block begins, what is buffered included
	since time.Time
}

// counter counts what goes through it, so that the place of each block is known.
type counter struct {
	w io.Writer
	n int64
}

func (c *counter) Write(b []byte) (int, error) {
	n, err := c.w.Write(b)
	c.n += int64(n)
	return n, err
}

// Open opens a folder, making it if it is not there. Segments of earlier
// processes are kept, and never written again. An empty name keeps nothing.
func Open(dir string, limits Limits, log *slog.Logger) (*Archive, error) {
	a := &Archive{dir: dir, limits: limits, log: log, packer: record.NewPacker(), now: time.Now, create: create}
	if dir == "" {
		return a, nil
	}
	if err := os.MkdirAll(dir, 0o750); err != nil {
		return nil, fmt.Errorf("folder for recordings: %w", err)
	}
	ids, err := a.segments()
	if err != nil {
		return nil, err
	}
	if len(ids) > 0 {
		a.last = ids[len(ids)-1]
	}
	return a, nil
}

const prefix, suffix = "segment-", ".pcapng"

func (a *Archive) path(id int64) string {
	return filepath.Join(a.dir, fmt.Sprintf("%s%09d%s", prefix, id, suffix))
}

// segments lists the ids of the folder's segments in order.
func (a *Archive) segments() ([]int64, error) {
	entries, err := os.ReadDir(a.dir)
	if err != nil {
		return nil, fmt.Errorf("folder for recordings: %w", err)
	}
	var ids []int64
	for _, e := range entries {
		name, ours := strings.CutPrefix(e.Name(), prefix)
		name, pcap := strings.CutSuffix(name, suffix)
		if id, err := strconv.ParseInt(name, 10, 64); ours && pcap && err == nil {
			ids = append(ids, id)
		}
	}
	slices.Sort(ids)
	return ids, nil
}

// Keeps tells whether messages are kept at all.
func (a *Archive) Keeps() bool { return a.dir != "" }

// After makes the next segment's id higher than one that the index knows, in
// case its file was lost.
func (a *Archive) After(id int64) {
	a.mu.Lock()
	defer a.mu.Unlock()
	a.last = max(a.last, id)
}

// Append writes messages and returns where each lies. What could not be written is lost and
// counted, for a full disk must not hold up calls; its place has no length, so that who looks
// for it is told that it is missing. After a failure nothing is tried for a moment.
func (a *Archive) Append(messages []record.Message) (places []record.Place, lost int) {
	if a.dir == "" {
		return nil, 0
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	places = make([]record.Place, 0, len(messages))
	if a.now().Before(a.again) {
		return a.lose(places, messages), len(messages)
	}
	for i, m := range messages {
		p, err := a.write(m)
		if err != nil {
			a.fail(err)
			if err := a.flush(); err != nil { // those before it may be there, but nobody knows which
				return a.lose(places[:0], messages), len(messages)
			}
			return a.lose(places, messages[i:]), len(messages) - i
		}
		places = append(places, p)
	}
	if err := a.flush(); err != nil {
		a.fail(err)
		return a.lose(places[:0], messages), len(messages)
	}
	if a.failing {
		a.log.Info("messages are recorded again", "folder", a.dir)
	}
	a.failing = false
	return places, 0
}

// lose adds places of messages that are nowhere. They go when the present segment does.
func (a *Archive) lose(places []record.Place, messages []record.Message) []record.Place {
	for _, m := range messages {
		m.Bytes = nil
		places = append(places, record.Place{Message: m, Segment: max(1, a.last)})
	}
	return places
}

// fail tells the first failure of a row of them.
func (a *Archive) fail(err error) {
	if !a.failing {
		a.log.Error("messages cannot be recorded; it is tried again every second", "folder", a.dir, "error", err)
	}
	a.failing, a.again = true, a.now().Add(retry)
}

// write puts a message behind the others; flush must follow.
func (a *Archive) write(m record.Message) (record.Place, error) {
	packet, err := a.packer.Packet(m)
	if err != nil {
		return record.Place{}, err
	}
	if err := a.roll(m.At); err != nil {
		return record.Place{}, err
	}
	s := a.current
	if err := s.out.WritePacket(gopacket.CaptureInfo{Timestamp: m.At, CaptureLength: len(packet), Length: len(packet)}, packet); err != nil {
		a.close()
		return record.Place{}, err
	}
	p := record.Place{Message: m, Segment: s.id, Offset: s.end, Length: blockLength(len(packet))}
	p.Bytes = nil
	s.end += p.Length
	return p, nil
}

// blockLength is that of an enhanced packet block without options (pcapng:
// draft-ietf-opsawg-pcapng section 4.3): the packet is padded to 32 bits.
func blockLength(packet int) int64 { return int64(32 + (packet+3)&^3) }

// flush writes what is buffered, and closes the segment if it is not as long as
// it must be: nothing may be written behind half a block.
func (a *Archive) flush() error {
	s := a.current
	if s == nil {
		return nil
	}
	err := s.out.Flush()
	if err == nil && s.count.n != s.end {
		err = fmt.Errorf("segment %d has %d bytes, and %d were written", s.id, s.count.n, s.end)
	}
	if err != nil {
		a.close()
		return err
	}
	s.holds = true
	return nil
}

// roll begins a new segment where the current one is full or old.
func (a *Archive) roll(now time.Time) error {
	if s := a.current; s != nil && (s.end >= a.limits.Segment || now.Sub(s.since) >= a.limits.Roll) {
		if err := a.flush(); err != nil {
			return err
		}
		a.close()
	}
	if a.current != nil {
		return nil
	}
	id := a.last + 1
	file, err := a.create(a.path(id))
	if errors.Is(err, fs.ErrExist) {
		a.last = id // of somebody else; the next one is ours
	}
	if err != nil {
		return err
	}
	s := &segment{id: id, file: file, since: now, count: counter{w: file}}
	if s.out, err = record.NewCaptureWriter(&s.count); err == nil {
		err = s.out.Flush()
	}
	if err != nil {
		return errors.Join(err, file.Close(), os.Remove(a.path(id)))
	}
	a.last = id
	s.end = s.count.n
	a.current = s
	return nil
}

// close ends the segment; one without a message is taken away.
func (a *Archive) close() {
	s := a.current
	if s == nil {
		return
	}
	if err := s.file.Close(); err != nil {
		a.log.Error("close a recording", "error", err)
	}
	if !s.holds {
		if err := os.Remove(a.path(s.id)); err == nil {
			a.last = s.id - 1
		}
	}
	a.current = nil
}

// Close ends the current segment.
func (a *Archive) Close() {
	a.mu.Lock()
	defer a.mu.Unlock()
	if err := a.flush(); err != nil {
		a.log.Error("close a recording", "error", err)
	}
	a.close()
}

// Failing tells whether the last messages could not be written.
func (a *Archive) Failing() bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	return a.failing
}

// Expire takes away segments that are too old or too many, oldest first, and
// returns the id of the oldest that is left. The one that is being written
// stays.
func (a *Archive) Expire(now time.Time) (oldest int64, err error) {
	if a.dir == "" {
		return 0, nil
	}
	ids, err := a.segments()
	if err != nil {
		return 0, err
	}
	a.mu.Lock()
	defer a.mu.Unlock()
	info := map[int64]fs.FileInfo{}
	total := int64(0)
	for _, id := range ids {
		if i, err := os.Stat(a.path(id)); err == nil {
			info[id] = i
			total += i.Size()
		}
	}
	for _, id := range ids {
		i := info[id]
		if i == nil {
			continue
		}
		if a.current != nil && a.current.id == id || total <= a.limits.Total && now.Sub(i.ModTime()) <= a.limits.Keep {
			return id, nil
		}
		if err := os.Remove(a.path(id)); err != nil {
			return id, err
		}
		total -= i.Size()
	}
	return a.last + 1, nil
}
