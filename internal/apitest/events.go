package apitest

import (
	"bufio"
	"context"
	"encoding/json"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/live"
)

// Event is one of the stream, with the news that it tells.
type Event struct {
	ID, Name string
	News     []live.News
}

// Events opens the stream as a browser does, behind the last event that it saw; next reads one
// event, and lose loses the connection.
func (c *Client) Events(last string) (next func() Event, lose func()) {
	ctx, cancel := context.WithTimeout(context.Background(), 30*time.Second)
	c.t.Cleanup(cancel)
	req, err := http.NewRequestWithContext(ctx, "GET", c.URL+"/api/events", nil)
	require.NoError(c.t, err)
	if last != "" {
		req.Header.Set("Last-Event-ID", last)
	}
	res, err := c.http.Do(req)
	require.NoError(c.t, err)
	require.Equal(c.t, 200, res.StatusCode)
	require.Equal(c.t, "text/event-stream", res.Header.Get("Content-Type"))
	lines := bufio.NewScanner(res.Body)
	next = func() (e Event) {
		for lines.Scan() {
			field, value, _ := strings.Cut(lines.Text(), ": ")
			switch field {
			case "id":
				e.ID = value
			case "event":
				e.Name = value
			case "data":
				require.NoError(c.t, json.Unmarshal([]byte(value), &e.News))
			case "":
				if e.Name != "" {
					return e
				}
			}
		}
		require.Fail(c.t, "the stream ended", "%v", lines.Err())
		return e
	}
	return next, func() { cancel(); res.Body.Close() }
}

// Until reads events until one tells a topic.
func Until(next func() Event, topic live.Topic) Event {
	for {
		e := next()
		if slices.ContainsFunc(e.News, func(n live.News) bool { return n.Topic == topic }) {
			return e
		}
	}
}
