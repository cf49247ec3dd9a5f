package live

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestFeedTellsWhatChangedSince(t *testing.T) {
	f := NewFeed(1000)
	news, now, complete := f.Since(1000)
	assert.Empty(t, news)
	assert.True(t, complete)
	assert.EqualValues(t, 1000, now)

	wake, open := f.Changed()
	assert.True(t, open)
	f.Tell(TopicTrunk, "ostrel")
	<-wake
	for range 50 {
		f.Tell(TopicCall, "a")
	}
	f.Tell(TopicTrunk, "ostrel")
	news, now, complete = f.Since(1000)
	assert.True(t, complete)
	assert.Equal(t, []News{{TopicCall, "a"}, {TopicTrunk, "ostrel"}}, news, "each thing once, by its last change")
	news, _, _ = f.Since(now - 1)
	assert.Equal(t, []News{{TopicTrunk, "ostrel"}}, news)
	news, _, _ = f.Since(now)
	assert.Empty(t, news)
}

func TestFeedSaysWhenItCannotSay(t *testing.T) {
	f := NewFeed(1000)
	_, _, complete := f.Since(999)
	assert.False(t, complete, "from an earlier process")
	_, _, complete = f.Since(5000)
	assert.False(t, complete, "from nowhere")
	for i := range FeedMemory + 10 {
		f.Tell(TopicCall, fmt.Sprint(i))
	}
	_, now, complete := f.Since(1005)
	assert.False(t, complete, "forgotten")
	assert.EqualValues(t, 1000+FeedMemory+10, now)
	news, _, complete := f.Since(1010)
	assert.True(t, complete)
	assert.Len(t, news, FeedMemory)
	f.Close()
	f.Tell(TopicCall, "late")
	_, open := f.Changed()
	assert.False(t, open)
}
