package store

import (
	"context"
	"slices"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/record"
)

// FindCalls returns the calls that are wanted, newest first, up to a limit.
func (s *Store) FindCalls(ctx context.Context, q record.Query, limit int) ([]record.Summary, error) {
	var keys []string
	var args []any
	ways, err := s.waysTo(ctx, q)
	if err != nil {
		return nil, err
	}
	for _, w := range ways {
		keys = append(keys, `(SELECT s.started_at, s.id FROM `+w.from+` WHERE `+w.where()+newestFirst+`)`)
		args = append(append(args, w.args...), limit)
	}
	rows, err := s.db.QueryContext(ctx, `SELECT `+summaryColumns+` FROM (`+strings.Join(keys, ` UNION `)+`) found STRAIGHT_JOIN call_summaries s USING (started_at, id) WHERE TRUE`+newestFirst,
		append(args, limit)...)
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
	w, err := s.wayToAll(ctx, q)
	if err != nil {
		return nil, err
	}
	rows, err := s.db.QueryContext(ctx, `SELECT TIMESTAMPDIFF(SECOND, '1970-01-01', s.started_at) DIV ? AS at, outcome, COUNT(*) FROM `+w.from+` WHERE `+w.where()+` GROUP BY at, outcome ORDER BY at`,
		append([]any{int64(span.Seconds())}, w.args...)...)
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

const newestFirst = ` ORDER BY s.started_at DESC, s.id DESC LIMIT ?`

// way is one way to the calls that are wanted: the tables with the index that is read, which
// the optimizer would often choose otherwise, and the conditions.
type way struct {
	from  string
	parts []string
	args  []any
}

func (w *way) add(part string, values ...any) {
	w.parts, w.args = append(w.parts, part), append(w.args, values...)
}

func (w *way) oneOf(column string, values []any) {
	if len(values) > 0 {
		w.add(column+" IN ("+marks(len(values))+")", values...)
	}
}

func (w *way) where() string {
	if len(w.parts) == 0 {
		return "TRUE"
	}
	return strings.Join(w.parts, " AND ")
}

// along reads an index from its newest call on. Each index holds every column that a search
// asks of, so rows are read only of the calls that are found.
func along(index string) string { return "call_summaries s FORCE INDEX (" + index + ")" }

// waysTo are the ways whose calls together are those wanted, each read no farther than the
// limit of a page.
func (s *Store) waysTo(ctx context.Context, q record.Query) ([]way, error) {
	numbers, err := s.numbersLike(ctx, q.Number)
	if err != nil {
		return nil, err
	}
	if numbers.few() {
		return []way{numbers.calls(q)}, nil
	}
	if q.Trunk == "" {
		w := way{from: along(indexFor(q))}
		w.conditions(q)
		numbers.each(&w)
		return []way{w}, nil
	}
	var ways []way
	for _, side := range []string{"trunk_in", "trunk_out"} {
		w := way{from: along("by_" + side)}
		w.add("s."+side+"_id = ?", q.Trunk)
		w.conditions(q)
		numbers.each(&w)
		ways = append(ways, w)
	}
	return ways, nil
}

// wayToAll is one way to all calls that are wanted, for counting them.
func (s *Store) wayToAll(ctx context.Context, q record.Query) (way, error) {
	numbers, err := s.numbersLike(ctx, q.Number)
	if err != nil {
		return way{}, err
	}
	if !q.Number.Empty() {
		return numbers.calls(q), nil
	}
	w := way{from: along("by_time")}
	w.ofTrunk(q)
	w.conditions(q)
	return w, nil
}

// indexFor is the index with the fewest calls to look at.
func indexFor(q record.Query) string {
	switch {
	case q.Q850 != 0:
		return "by_cause"
	case len(q.Outcomes) == 1:
		return "by_outcome"
	default:
		return "by_time"
	}
}

func (w *way) ofTrunk(q record.Query) {
	if q.Trunk != "" {
		w.add("(s.trunk_in_id = ? OR s.trunk_out_id = ?)", q.Trunk, q.Trunk)
	}
}

// conditions are those on the columns of a summary but its trunks.
func (w *way) conditions(q record.Query) {
	if q.Switch != "" {
		w.add("s.switch_id = ?", q.Switch)
	}
	w.oneOf("s.outcome", anys(q.Outcomes))
	w.oneOf("s.media", anys(q.Media))
	if q.Q850 != 0 {
		w.add("s.q850 = ?", q.Q850)
	}
	if q.SIP != 0 {
		w.add("s.sip = ?", q.SIP)
	}
	if !q.Since.IsZero() {
		w.add("s.started_at >= ?", q.Since.UTC())
	}
	if !q.Until.IsZero() {
		w.add("s.started_at < ?", q.Until.UTC())
	}
	if q.AtLeast > 0 {
		w.add("TIMESTAMPDIFF(MICROSECOND, s.answered_at, s.ended_at) >= ?", q.AtLeast.Microseconds())
	}
	if q.LessThan > 0 {
		w.add("TIMESTAMPDIFF(MICROSECOND, s.answered_at, s.ended_at) < ?", q.LessThan.Microseconds())
	}
	if q.After.ID != "" {
		at := q.After.Started.UTC()
		// The first part is what an index can find.
		w.add("s.started_at <= ? AND (s.started_at < ? OR s.id < ?)", at, at, q.After.ID)
	}
}

func anys[T any](list []T) []any {
	out := make([]any, len(list))
	for i, v := range list {
		out[i] = v
	}
	return out
}

// Numbers that are searched for.
const (
	// manyNumbers is from how many numbers on they are compared by their digits, and not named
	// one by one.
	manyNumbers = 200
	// manyCalls is from how many calls on a number is met soon by reading the newest calls.
	manyCalls = 2_000
)

// matched are the numbers that a search is for.
type matched struct {
	column, like string
	// digits are the numbers, unless they are many.
	digits []any
	// count is of the calls with them, up to manyCalls.
	count int
	asked bool
}

// numbersLike looks up which numbers are meant: calls share few, so that an index is walked
// from number to number.
func (s *Store) numbersLike(ctx context.Context, n record.NumberQuery) (m matched, err error) {
	if n.Empty() {
		return m, nil
	}
	m = matched{asked: true, column: "digits", like: "%" + n.Digits + "%"}
	switch {
	case n.Start:
		m.like = n.Digits + "%"
	case n.End:
		m.column, m.like = "backward", reversed(n.Digits)+"%"
	}
	rows, err := s.db.QueryContext(ctx, `SELECT `+m.column+` FROM call_numbers WHERE `+m.column+` LIKE ? GROUP BY `+m.column+` LIMIT ?`, m.like, manyNumbers+1)
	if err != nil {
		return m, err
	}
	defer rows.Close()
	for rows.Next() {
		var one string
		if err := rows.Scan(&one); err != nil {
			return m, err
		}
		m.digits = append(m.digits, one)
	}
	if err := rows.Err(); err != nil {
		return m, err
	}
	if len(m.digits) > manyNumbers {
		m.digits, m.count = nil, manyCalls
		return m, nil
	}
	if len(m.digits) == 0 {
		return m, nil
	}
	condition, args := m.condition("")
	err = s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM (SELECT 1 FROM call_numbers WHERE `+condition+` LIMIT ?) found`, append(args, manyCalls)...).Scan(&m.count)
	return m, err
}

// few tells whether the calls with the numbers are soon gathered.
func (m matched) few() bool { return m.asked && m.count < manyCalls }

// condition is on the rows of the table of numbers.
func (m matched) condition(table string) (string, []any) {
	switch {
	case m.count > 0 && m.digits == nil:
		return table + m.column + " LIKE ?", []any{m.like}
	case len(m.digits) == 0:
		return "FALSE", nil
	default:
		return table + m.column + " IN (" + marks(len(m.digits)) + ")", slices.Clone(m.digits)
	}
}

// calls is the way that begins with the numbers.
func (m matched) calls(q record.Query) way {
	condition, args := m.condition("")
	w := way{from: `(SELECT DISTINCT started_at, id FROM call_numbers WHERE ` + condition + `) n STRAIGHT_JOIN call_summaries s USING (started_at, id)`, args: args}
	w.ofTrunk(q)
	w.conditions(q)
	return w
}

// each looks at the numbers of one call after the other.
func (m matched) each(w *way) {
	if !m.asked {
		return
	}
	condition, args := m.condition("n.")
	// Not EXISTS, of which the optimizer makes a join that reads all of them.
	w.add("(SELECT COUNT(*) FROM call_numbers n WHERE n.id = s.id AND "+condition+") > 0", args...)
}

func reversed(digits string) string {
	b := []byte(digits)
	slices.Reverse(b)
	return string(b)
}
