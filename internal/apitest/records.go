package apitest

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"math"
	"slices"
	"time"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/store"
)

// records are calls, and who may sign in.
type records struct {
	calls     map[string]record.Call
	passwords map[string]string
}

// Save keeps calls, as an index of records does.
func (m *Memory) Save(_ context.Context, _ []record.Place, calls []record.Call) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.calls == nil {
		m.calls = map[string]record.Call{}
	}
	for _, c := range calls {
		m.calls[c.ID] = c
	}
	return nil
}

// newest are the calls that are wanted, newest first.
func (m *Memory) newest(limit int, wanted func(record.Call) bool) (out []record.Call) {
	m.mu.Lock()
	defer m.mu.Unlock()
	out = slices.DeleteFunc(slices.Collect(maps.Values(m.calls)), func(c record.Call) bool { return !wanted(c) })
	slices.SortFunc(out, func(a, b record.Call) int { return cmp.Or(b.Started.Compare(a.Started), cmp.Compare(a.ID, b.ID)) })
	return out[:min(limit, len(out))]
}

func (m *Memory) one(wanted func(record.Call) bool) (record.Call, error) {
	list := m.newest(1, wanted)
	if len(list) == 0 {
		return record.Call{}, fmt.Errorf("call: %w", store.ErrNotFound)
	}
	return list[0], nil
}

// FindCalls implements api.Calls.
func (m *Memory) FindCalls(_ context.Context, q record.Query, limit int) ([]record.Summary, error) {
	out := []record.Summary{}
	for _, c := range m.newest(limit, func(c record.Call) bool { return q.Matches(record.Summarize(c)) }) {
		out = append(out, record.Summarize(c))
	}
	return out, nil
}

// CallVolume implements api.Calls.
func (m *Memory) CallVolume(_ context.Context, q record.Query, span time.Duration) ([]record.Volume, error) {
	list := m.newest(math.MaxInt, func(c record.Call) bool { return q.Matches(record.Summarize(c)) })
	out := []record.Volume{}
	for _, c := range slices.Backward(list) {
		from := time.Unix(c.Started.Unix()/int64(span.Seconds())*int64(span.Seconds()), 0).UTC()
		if len(out) == 0 || !out[len(out)-1].From.Equal(from) {
			out = append(out, record.Volume{From: from})
		}
		out[len(out)-1].Add(record.Summarize(c).Outcome, 1)
	}
	return out, nil
}

// Call implements api.Calls.
func (m *Memory) Call(_ context.Context, id string) (record.Call, error) {
	return m.one(func(c record.Call) bool { return c.ID == id })
}

// CallByLeg implements api.Calls.
func (m *Memory) CallByLeg(_ context.Context, legs ...string) (record.Call, error) {
	return m.one(func(c record.Call) bool { return len(c.Legs) > 0 && slices.Contains(legs, c.Legs[0].ID) })
}

// Session implements api.Calls.
func (m *Memory) Session(_ context.Context, session string) ([]record.Call, error) {
	list := m.newest(20, func(c record.Call) bool { return session != "" && c.Session == session })
	slices.Reverse(list)
	return list, nil
}

// Messages implements api.Calls: nothing is archived.
func (m *Memory) Messages(context.Context, record.Call) ([]record.Place, error) { return nil, nil }

// LastTrails implements api.Calls.
func (m *Memory) LastTrails(_ context.Context, limit int) (out []store.PastCall, err error) {
	for _, c := range m.newest(limit, func(c record.Call) bool { return !c.Ended.IsZero() }) {
		text, err := json.Marshal(c.Trail)
		if err != nil {
			return nil, err
		}
		out = append(out, store.PastCall{ID: c.ID, Started: c.Started, Trail: text})
	}
	return out, nil
}

// CheckPassword implements api.People.
func (m *Memory) CheckPassword(_ context.Context, name, password string) (bool, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	want, known := m.passwords[name]
	return known && want == password, nil
}

// AddFirstUser implements api.People.
func (m *Memory) AddFirstUser(_ context.Context, name, password string) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	if len(m.passwords) > 0 {
		return store.ErrTaken
	}
	m.passwords = map[string]string{name: password}
	return nil
}

// Live implements api.Revisions.
func (m *Memory) Live(context.Context) (plan.Plan, int64, error) {
	s := m.now()
	return s.live.plan, s.revision, nil
}

// Revision implements api.Revisions.
func (m *Memory) Revision(_ context.Context, id int64) (plan.Plan, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if id < 0 || id >= int64(len(m.revisions)) {
		return plan.Plan{}, fmt.Errorf("revision %d: %w", id, store.ErrNotFound)
	}
	return m.revisions[id].plan, nil
}

// Revisions implements api.Revisions.
func (m *Memory) Revisions(_ context.Context, limit int) ([]store.Revision, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	out := []store.Revision{}
	for i := len(m.revisions) - 1; i > 0 && len(out) < limit; i-- {
		out = append(out, m.revisions[i].Revision)
	}
	return out, nil
}

// CheckRuns implements api.Drafts.
func (m *Memory) CheckRuns(context.Context) (map[string]store.CheckRun, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	return maps.Clone(m.runs), nil
}

// SaveCheckRuns implements api.Drafts.
func (m *Memory) SaveCheckRuns(_ context.Context, list []store.CheckRun) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	for _, r := range list {
		m.runs[r.ID] = r
	}
	return nil
}

// SaveService implements api.Operations: what is shown is kept by the trunks.
func (m *Memory) SaveService(context.Context, standing.Service) error { return nil }

// PutSecret implements api.Operations: what is shown is kept by the secrets.
func (m *Memory) PutSecret(context.Context, string, string) error { return nil }

// Clock implements api.Operations.
func (m *Memory) Clock(context.Context) (standing.Clock, error) {
	return standing.Clock{At: time.Now()}, nil
}
