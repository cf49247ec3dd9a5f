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
