package archive_test

import (
	"bytes"
	"fmt"
	"io"
	"log/slog"
	"os"
	"path/filepath"
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
			Local: "127.0.10.1:5060", Remote: "127.0.20.1:5060", CallID: "leg", Bytes: append([]byte{0, 0xff, '\r'}, bytes.Repeat([]byte{byte(i)}, 5+i%7)...),
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
	places, lost := a.Append(messages(0, 3))
	assert.Empty(t, places)
	assert.Equal(t, 3, lost)
	assert.True(t, a.Failing())
	require.NoError(t, os.MkdirAll(dir, 0o750))
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
	_, _, err := a.Read(places)
	assert.ErrorContains(t, err, "recorded message 2 in segment 1")
	require.NoError(t, os.Truncate(name, 20))
	_, _, err = a.Read(places[:1])
	assert.ErrorContains(t, err, "head")
}
