package archive_test

import (
	"bytes"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
	"syscall"
	"testing"
	"time"

	"github.com/gopacket/gopacket/pcapgo"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/archive"
	"switchback.example/switchback/internal/core/record"
)

var (
	began = time.Date(2026, 11, 23, 12, 0, 0, 123_456_000, time.UTC)
	quiet = slog.New(slog.NewTextHandler(io.Discard, nil))
)

func messages(from, count int) []record.Message {
	var list []record.Message
	for i := from; i < from+count; i++ {
		list = append(list, record.Message{
			Seq: int64(i), Switch: "quay", At: began.Add(time.Duration(i) * time.Millisecond), Out: i%2 == 1,
			Local: "127.0.10.1:5060", Remote: "127.0.20.1:5060", Leg: "leg", Bytes: append([]byte{0, 0xff, '\r'}, bytes.Repeat([]byte{byte(i)}, 5+i%7)...),
		})
	}
	return list
}

func opened(t *testing.T, dir string, limits archive.Limits) *archive.Archive {
	a, err := archive.Open(dir, limits, quiet)
	require.NoError(t, err)
	t.Cleanup(a.Close)
	return a
}

func TestMessagesAreReadBackByteByByteOverSegmentsAndProcesses(t *testing.T) {
	dir := t.TempDir()
	limits := archive.DefaultLimits()
	limits.Segment = 1000
	first := opened(t, dir, limits)
	var places []record.Place
	for i := range 10 {
		p, lost := first.Append(messages(i*10, 10))
		require.Zero(t, lost)
		places = append(places, p...)
	}
	first.Close()
	second := opened(t, dir, limits)
	p, lost := second.Append(messages(100, 5))
	require.Zero(t, lost)
	require.Greater(t, p[0].Segment, places[99].Segment, "a segment of an earlier process is never written again")
	places = append(places, p...)

	got, missing, err := second.Read(places)
	require.NoError(t, err)
	assert.Zero(t, missing)
	assert.Equal(t, messages(0, 105), got)

	// Source: the general packet library reads each segment as a file.
	files, err := filepath.Glob(filepath.Join(dir, "*.pcapng"))
	require.NoError(t, err)
	assert.Greater(t, len(files), 5)
	packets := 0
	for _, name := range files {
		f, err := os.Open(name)
		require.NoError(t, err)
		r, err := pcapgo.NewNgReader(f, pcapgo.DefaultNgReaderOptions)
		require.NoError(t, err)
		for {
			if _, _, err := r.ReadPacketData(); err != nil {
				require.ErrorIs(t, err, io.EOF)
				break
			}
			packets++
		}
		require.NoError(t, f.Close())
	}
	assert.Equal(t, 105, packets)
}

func TestWholeSegmentsExpireOldestFirst(t *testing.T) {
	dir := t.TempDir()
	limits := archive.DefaultLimits()
	limits.Segment, limits.Total = 500, 1500
	a := opened(t, dir, limits)
	var places []record.Place
	for i := range 8 {
		p, _ := a.Append(messages(i*10, 10))
		places = append(places, p...)
	}
	oldest, err := a.Expire(time.Now())
	require.NoError(t, err)
	assert.Greater(t, oldest, int64(1))
	got, missing, err := a.Read(places)
	require.NoError(t, err)
	assert.Equal(t, len(places), len(got)+missing)
	assert.Positive(t, missing)
	assert.Equal(t, places[missing].Seq, got[0].Seq, "what is left are the newest")

	newest, err := a.Expire(time.Now().Add(limits.Keep + time.Hour))
	require.NoError(t, err)
	assert.Greater(t, newest, oldest)
	got, _, err = a.Read(places)
	require.NoError(t, err)
	assert.NotEmpty(t, got, "the segment that is being written stays")
}

func TestAFolderThatCannotBeWrittenLosesAndCounts(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "recordings")
	a := opened(t, dir, archive.DefaultLimits())
	require.NoError(t, os.RemoveAll(dir))
	now := began
	a.Disk(func() time.Time { return now }, archive.OnDisk)
	places, lost := a.Append(messages(0, 3))
	assert.Len(t, places, 3)
	assert.Zero(t, places[0].Length, "nowhere")
	assert.Equal(t, 3, lost)
	assert.True(t, a.Failing())
	require.NoError(t, os.MkdirAll(dir, 0o750))
	now = now.Add(time.Minute)
	places, lost = a.Append(messages(3, 2))
	assert.Len(t, places, 2)
	assert.Zero(t, lost)
	assert.False(t, a.Failing(), "it recovers by itself")
}

func TestWithoutAFolderNothingIsKeptAndNothingLost(t *testing.T) {
	a := opened(t, "", archive.DefaultLimits())
	assert.False(t, a.Keeps())
	places, lost := a.Append(messages(0, 3))
	assert.Empty(t, places)
	assert.Zero(t, lost)
	oldest, err := a.Expire(time.Now())
	require.NoError(t, err)
	assert.Zero(t, oldest)
}

func TestASegmentThatWasCutIsToldNotTrusted(t *testing.T) {
	dir := t.TempDir()
	a := opened(t, dir, archive.DefaultLimits())
	places, _ := a.Append(messages(0, 3))
	a.Close()
	name := filepath.Join(dir, fmt.Sprintf("segment-%09d.pcapng", places[0].Segment))
	require.NoError(t, os.Truncate(name, places[2].Offset+10))
	got, missing, err := a.Read(places)
	require.NoError(t, err)
	assert.Equal(t, 1, missing)
	assert.Len(t, got, 2)
	require.NoError(t, os.Truncate(name, 20))
	_, missing, err = a.Read(places[:1])
	require.NoError(t, err)
	assert.Equal(t, 1, missing, "its head is cut")
}

// room is a disk with so many bytes left; negative for a disk that takes no file either.
type room struct{ left int }

func (r *room) create(name string) (io.WriteCloser, error) {
	if r.left < 0 {
		return nil, syscall.ENOSPC
	}
	f, err := archive.OnDisk(name)
	return full{f, r}, err
}

type full struct {
	io.WriteCloser
	room *room
}

func (f full) Write(b []byte) (int, error) {
	n := min(len(b), max(0, f.room.left))
	f.room.left -= n
	wrote, err := f.WriteCloser.Write(b[:n])
	if err == nil && n < len(b) {
		err = syscall.ENOSPC
	}
	return wrote, err
}

// A disk that is full at any byte costs the messages of that time and nothing else: they are
// told to be missing, no file is left that holds nothing, and once there is room it goes on.
func TestAFullDiskIsToldAndPasses(t *testing.T) {
	for left := -1; left < 700; left += 7 {
		dir := t.TempDir()
		a := opened(t, dir, archive.DefaultLimits())
		disk, now := &room{1 << 20}, began
		a.Disk(func() time.Time { return now }, disk.create)
		before, lost := a.Append(messages(0, 3))
		require.Zero(t, lost)
		disk.left = left
		during, missed := before, 0
		during = nil
		for i := range 30 {
			p, lost := a.Append(messages(3+i*3, 3))
			require.Len(t, p, 3, "each has a place, or one that says that it is nowhere")
			during, missed = append(during, p...), missed+lost
			now = now.Add(400 * time.Millisecond)
		}
		assert.True(t, a.Failing())
		files, err := os.ReadDir(dir)
		require.NoError(t, err)
		assert.LessOrEqual(t, len(files), 2, "%d bytes left", left)
		disk.left = 1 << 20
		now = now.Add(2 * time.Second)
		after, lost := a.Append(messages(100, 3))
		require.Zero(t, lost, "without a restart")
		assert.False(t, a.Failing())

		read, missing, err := a.Read(before)
		require.NoError(t, err)
		assert.Len(t, read, 3)
		assert.Zero(t, missing)
		read, missing, err = a.Read(during)
		require.NoError(t, err, "a call of that time is shown, with what there is")
		assert.Equal(t, missed, missing)
		assert.Len(t, read, len(during)-missed)
		read, missing, err = a.Read(after)
		require.NoError(t, err)
		assert.Len(t, read, 3)
		assert.Zero(t, missing)
	}
}
