package store

import (
	"context"
	"database/sql"
	"slices"
	"strings"
	"time"
	"unicode/utf8"

	"switchback.example/switchback/internal/core/record"
)

const summaryColumns = `started_at, id, switch_id, answered_at, ended_at, trunk_in_id, trunk_in, trunk_out_id, trunk_out, caller, called_in, called_out, attempts, outcome, q850, sip, why, media, silent, last_resort, trial, post_dial_ms, ring_ms, codec, released_by`

// shorten cuts a text to what a column takes, in characters.
func shorten(text string, most int) string {
	if utf8.RuneCountInString(text) <= most {
		return text
	}
	return string([]rune(text)[:most-1]) + "…"
}

// putSummary writes the row by which a call is listed and found, and its numbers.
func putSummary(ctx context.Context, tx *sql.Tx, c record.Call) error {
	s := record.Summarize(c)
	_, err := tx.ExecContext(ctx, `REPLACE INTO call_summaries (`+summaryColumns+`) VALUES (`+marks(25)+`)`,
		s.Started.UTC(), s.ID, s.Switch, orNull(c.Answered), orNull(c.Ended), s.TrunkInID, shorten(s.TrunkIn, 200), s.TrunkOutID, shorten(s.TrunkOut, 200),
		shorten(s.Caller, 100), shorten(s.CalledIn, 100), shorten(s.CalledOut, 100), s.Attempts, s.Outcome, s.Q850, s.SIP, shorten(s.Why, 300), s.Media, shorten(s.Silent, 200),
		s.LastResort, s.Trial, s.PostDialDelayMs, s.RingMs, shorten(s.Codec, 40), s.ReleasedBy)
	if err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM call_numbers WHERE id = ?`, s.ID); err != nil {
		return err
	}
	var args []any
	for _, digits := range numbersOf(s) {
		args = append(args, digits, s.Started.UTC(), s.ID)
	}
	if len(args) == 0 {
		return nil
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO call_numbers (digits, started_at, id) VALUES `+strings.TrimSuffix(strings.Repeat("(?,?,?),", len(args)/3), ","), args...)
	return err
}

// maxDigits is the longest number that is searched for.
const maxDigits = 40

// numbersOf are the digits of a call's numbers, each once.
func numbersOf(s record.Summary) (list []string) {
	for _, n := range s.Numbers() {
		if digits := record.DigitsOf(n); len(digits) >= record.MinSearched && len(digits) <= maxDigits && !slices.Contains(list, digits) {
			list = append(list, digits)
		}
	}
	return list
}

func marks(n int) string { return strings.TrimSuffix(strings.Repeat("?,", n), ",") }

func scanSummary(scan func(...any) error) (s record.Summary, err error) {
	var answered, ended sql.NullTime
	err = scan(&s.Started, &s.ID, &s.Switch, &answered, &ended, &s.TrunkInID, &s.TrunkIn, &s.TrunkOutID, &s.TrunkOut, &s.Caller, &s.CalledIn, &s.CalledOut,
		&s.Attempts, &s.Outcome, &s.Q850, &s.SIP, &s.Why, &s.Media, &s.Silent, &s.LastResort, &s.Trial, &s.PostDialDelayMs, &s.RingMs, &s.Codec, &s.ReleasedBy)
	if answered.Valid {
		s.Answered = &answered.Time
	}
	if ended.Valid {
		s.Ended = &ended.Time
	}
	s.Running = !ended.Valid
	return s, err
}

// summarizeAtOnce is how many older calls one transaction gives their rows.
const summarizeAtOnce = 200

// SummarizeCalls gives calls that were kept before there were summaries theirs, newest first,
// until none is left. Each round is short, so that nothing waits for it.
func (s *Store) SummarizeCalls(ctx context.Context) error {
	before := time.Now().Add(time.Hour)
	for {
		list, err := s.calls(ctx, `SELECT `+callColumns+` FROM calls WHERE started_at <= ? AND NOT EXISTS
			(SELECT 1 FROM call_summaries s WHERE s.started_at = calls.started_at AND s.id = calls.id) ORDER BY started_at DESC LIMIT ?`, before.UTC(), summarizeAtOnce)
		if err != nil || len(list) == 0 {
			return err
		}
		before = list[len(list)-1].Started
		err = s.inTx(ctx, func(tx *sql.Tx) error {
			for _, c := range list {
				if err := putSummary(ctx, tx, c); err != nil {
					return err
				}
			}
			return nil
		})
		if err != nil {
			return err
		}
	}
}

// rare is up to how many rows with a number are read by their index. A number with more is met
// soon by reading the newest calls.
const rare = 2_000

// FindCalls returns the calls that are wanted, newest first, up to a limit.
func (s *Store) FindCalls(ctx context.Context, q record.Query, limit int) ([]record.Summary, error) {
	where, args, err := s.wanted(ctx, q)
	if err != nil {
		return nil, err
	}
	rows, err := s.db.QueryContext(ctx, `SELECT `+summaryColumns+` FROM call_summaries s WHERE `+where+` ORDER BY started_at DESC, id LIMIT ?`, append(args, limit)...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	list := []record.Summary{}
	for rows.Next() {
		one, err := scanSummary(rows.Scan)
		if err != nil {
			return nil, err
		}
		list = append(list, one)
	}
	return list, rows.Err()
}

// CallVolume counts the calls that are wanted by spans of time. Spans without calls are left
// out.
func (s *Store) CallVolume(ctx context.Context, q record.Query, span time.Duration) ([]record.Volume, error) {
	where, args, err := s.wanted(ctx, q)
	if err != nil {
		return nil, err
	}
	rows, err := s.db.QueryContext(ctx, `SELECT TIMESTAMPDIFF(SECOND, '1970-01-01', started_at) DIV ? AS at, outcome, COUNT(*) FROM call_summaries s WHERE `+where+` GROUP BY at, outcome ORDER BY at`,
		append([]any{int64(span.Seconds())}, args...)...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	list := []record.Volume{}
	for rows.Next() {
		var at int64
		var outcome string
		var calls int
		if err := rows.Scan(&at, &outcome, &calls); err != nil {
			return nil, err
		}
		from := time.Unix(at*int64(span.Seconds()), 0).UTC()
		if len(list) == 0 || !list[len(list)-1].From.Equal(from) {
			list = append(list, record.Volume{From: from})
		}
		list[len(list)-1].Add(outcome, calls)
	}
	return list, rows.Err()
}

// wanted is a query as a condition on summaries.
func (s *Store) wanted(ctx context.Context, q record.Query) (where string, args []any, err error) {
	parts := []string{"TRUE"}
	add := func(part string, values ...any) { parts, args = append(parts, part), append(args, values...) }
	oneOf := func(column string, values []any) {
		if len(values) > 0 {
			add(column+" IN ("+marks(len(values))+")", values...)
		}
	}
	if q.Trunk != "" {
		add("(trunk_in_id = ? OR trunk_out_id = ?)", q.Trunk, q.Trunk)
	}
	if q.Switch != "" {
		add("switch_id = ?", q.Switch)
	}
	oneOf("outcome", anys(q.Outcomes))
	oneOf("media", anys(q.Media))
	if q.Q850 != 0 {
		add("q850 = ?", q.Q850)
	}
	if q.SIP != 0 {
		add("sip = ?", q.SIP)
	}
	if !q.Since.IsZero() {
		add("started_at >= ?", q.Since.UTC())
	}
	if !q.Until.IsZero() {
		add("started_at < ?", q.Until.UTC())
	}
	if q.AtLeast > 0 {
		add("TIMESTAMPDIFF(MICROSECOND, answered_at, ended_at) >= ?", q.AtLeast.Microseconds())
	}
	if q.LessThan > 0 {
		add("TIMESTAMPDIFF(MICROSECOND, answered_at, ended_at) < ?", q.LessThan.Microseconds())
	}
	if q.After.ID != "" {
		at := q.After.Started.UTC()
		add("(started_at < ? OR started_at = ? AND id > ?)", at, at, q.After.ID)
	}
	if !q.Number.Empty() {
		part, values, err := s.withNumber(ctx, q.Number)
		if err != nil {
			return "", nil, err
		}
		add(part, values...)
	}
	return strings.Join(parts, " AND "), args, nil
}

// withNumber is a condition on the numbers of a call: a few are looked up first; many are looked
// for call by call.
func (s *Store) withNumber(ctx context.Context, n record.NumberQuery) (string, []any, error) {
	column, like := "digits", "%"+n.Digits+"%"
	switch {
	case n.Start:
		like = n.Digits + "%"
	case n.End:
		reversed := []byte(n.Digits)
		slices.Reverse(reversed)
		column, like = "backward", string(reversed)+"%"
	}
	var found int
	if err := s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM (SELECT 1 FROM call_numbers WHERE `+column+` LIKE ? LIMIT ?) found`, like, rare).Scan(&found); err != nil {
		return "", nil, err
	}
	if found < rare {
		return `(started_at, id) IN (SELECT started_at, id FROM call_numbers WHERE ` + column + ` LIKE ?)`, []any{like}, nil
	}
	// Not EXISTS, of which the optimizer makes a join that reads all of them.
	return `(SELECT COUNT(*) FROM call_numbers n WHERE n.id = s.id AND n.` + column + ` LIKE ?) > 0`, []any{like}, nil
}

func anys[T any](list []T) []any {
	out := make([]any, len(list))
	for i, v := range list {
		out[i] = v
	}
	return out
}
