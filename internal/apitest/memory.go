package apitest

import (
	"bytes"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/store"
)

// gap is the distance between the places of neighbours when they are first put down.
const gap = 1 << 20

// Memory is the API's database in memory: plans as objects by key, and edits with what they
// replaced. It answers as package store does; a campaign in that package holds it to that.
type Memory struct {
	mu        sync.Mutex
	live      objects
	draft     objects
	revisions []revision // from 0, the empty plan
	version   int64
	edits     []edit
	records
	runs map[string]store.CheckRun
}

// objects is a plan by its objects, and the plan that they make.
type objects struct {
	name string
	by   map[plan.Key]plan.Object
	who  map[plan.Key]string // who edited last
	plan plan.Plan
}

type revision struct {
	store.Revision
	plan plan.Plan
}

// edit is what somebody replaced: some objects (nil where there was none), or all.
type edit struct {
	who    string
	was    map[plan.Key]*plan.Object
	whoWas map[plan.Key]string
	all    *objects
}

// NewMemory returns a database with an empty plan.
func NewMemory(name string) (*Memory, error) {
	m := &Memory{runs: map[string]store.CheckRun{}}
	m.live = objects{name: name, by: map[plan.Key]plan.Object{}, who: map[plan.Key]string{}}
	if err := m.live.arrange(); err != nil {
		return nil, err
	}
	m.draft = m.live.copied()
	m.revisions = []revision{{plan: m.live.plan}}
	return m, nil
}

func (o objects) copied() objects {
	o.by, o.who = maps.Clone(o.by), maps.Clone(o.who)
	return o
}

// arrange makes the plan of the objects.
func (o *objects) arrange() error {
	list := slices.SortedFunc(maps.Values(o.by), func(a, b plan.Object) int {
		return cmp.Or(cmp.Compare(a.Kind, b.Kind), cmp.Compare(a.Place, b.Place), cmp.Compare(a.ID, b.ID))
	})
	a, err := plan.Arrange(o.name, list)
	if err == nil {
		o.plan = a.Plan
	}
	return err
}

// list are the objects of a list in order, but for one.
func (o *objects) list(l plan.List, but string) (out []plan.Object) {
	for _, one := range o.by {
		if one.List() == l && one.ID != but {
			out = append(out, one)
		}
	}
	slices.SortFunc(out, func(a, b plan.Object) int { return cmp.Or(cmp.Compare(a.Place, b.Place), cmp.Compare(a.ID, b.ID)) })
	return out
}

// change is an edit that is being made on a copy of the draft.
type change struct {
	objects
	edit
}

func (c *change) touch(k plan.Key) {
	if _, known := c.was[k]; known || c.all != nil {
		return
	}
	c.whoWas[k] = c.objects.who[k]
	c.was[k] = nil
	if o, there := c.by[k]; there {
		c.was[k] = &o
	}
}

func (c *change) put(o plan.Object) {
	c.touch(o.Key())
	c.by[o.Key()], c.objects.who[o.Key()] = o, c.edit.who
}

func (c *change) remove(k plan.Key) {
	c.touch(k)
	delete(c.by, k)
	c.objects.who[k] = c.edit.who
}

func (c *change) must(kind plan.Kind, id string) (plan.Object, error) {
	o, ok := c.by[plan.Key{Kind: kind, ID: id}]
	if !ok {
		return o, fmt.Errorf("%s %q: %w", kind, id, store.ErrNotFound)
	}
	return o, nil
}

// placeBefore finds a place before another object, or at the end. Where there is no room, the
// list is spread out again.
func (c *change) placeBefore(l plan.List, before, moving string) (int, error) {
	list := c.list(l, moving)
	at := len(list)
	if before != "" {
		if _, err := c.must(l.Kind, before); err != nil {
			return 0, err
		}
		at = slices.IndexFunc(list, func(o plan.Object) bool { return o.ID == before })
	}
	switch {
	case at < 0:
		return 0, fmt.Errorf("no %s %q in this list: %w", l.Kind, before, store.ErrNotFound)
	case len(list) == 0:
		return 0, nil
	case at == 0:
		return list[0].Place - gap, nil
	case at == len(list):
		return list[at-1].Place + gap, nil
	case list[at].Place-list[at-1].Place > 1:
		return list[at-1].Place + (list[at].Place-list[at-1].Place)/2, nil
	}
	for i, o := range list {
		o.Place = i * gap
		c.put(o)
	}
	return at*gap - gap/2, nil
}

// edit runs a change of the draft; nothing is changed if it fails.
func (m *Memory) edit(ctx context.Context, do func(c *change) error) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	c := &change{m.draft.copied(), edit{who: store.Author(ctx), was: map[plan.Key]*plan.Object{}, whoWas: map[plan.Key]string{}}}
	if err := do(c); err != nil {
		return err
	}
	if err := c.arrange(); err != nil {
		return err
	}
	m.draft, m.version = c.objects, m.version+1
	if m.edits = append(m.edits, c.edit); len(m.edits) > store.MaxUndo {
		m.edits = m.edits[1:]
	}
	return nil
}

// PutObject implements api.Drafts.
func (m *Memory) PutObject(ctx context.Context, o plan.Object, before string, was json.RawMessage) error {
	return m.edit(ctx, func(c *change) (err error) {
		current, there := c.by[o.Key()]
		switch {
		case len(was) > 0 && !there:
			return &store.StaleError{}
		case len(was) > 0 && !bytes.Equal(current.Body, was):
			return &store.StaleError{Current: &current}
		}
		if o.Kind == plan.KindRule {
			if _, err := c.must(plan.KindTable, o.Table); err != nil {
				return err
			}
		}
		return c.putAt(o, before)
	})
}

// putAt puts an object: in its place where it is there, else before another.
func (c *change) putAt(o plan.Object, before string) (err error) {
	if current, there := c.by[o.Key()]; there && current.Table == o.Table {
		o.Place = current.Place
	} else if o.Place, err = c.placeBefore(o.List(), before, ""); err != nil {
		return err
	}
	c.put(o)
	return nil
}

// PutObjects implements api.Drafts.
func (m *Memory) PutObjects(ctx context.Context, list []plan.Object) error {
	return m.edit(ctx, func(c *change) error {
		for _, o := range list {
			if err := c.putAt(o, ""); err != nil {
				return err
			}
		}
		return nil
	})
}

// MoveObject implements api.Drafts.
func (m *Memory) MoveObject(ctx context.Context, kind plan.Kind, id, before string) error {
	return m.edit(ctx, func(c *change) error {
		o, err := c.must(kind, id)
		if err != nil || before == id {
			return err
		}
		if o.Place, err = c.placeBefore(o.List(), before, id); err != nil {
			return err
		}
		c.put(o)
		return nil
	})
}

// DeleteObject implements api.Drafts.
func (m *Memory) DeleteObject(ctx context.Context, kind plan.Kind, id string) error {
	return m.edit(ctx, func(c *change) error {
		o, err := c.must(kind, id)
		if err == nil {
			c.remove(o.Key())
		}
		return err
	})
}

// EditNumbers implements api.Drafts.
func (m *Memory) EditNumbers(ctx context.Context, do func(plan.Plan) (inventory.List, error)) error {
	return m.edit(ctx, func(c *change) error {
		numbers, err := do(c.plan)
		if err != nil {
			return err
		}
		left := map[string]*inventory.Page{}
		for _, p := range c.plan.Numbers.Pages() {
			left[p.ID()] = p
		}
		for _, p := range numbers.Pages() {
			if left[p.ID()] != p {
				c.put(plan.Object{Kind: plan.KindNumbers, ID: p.ID(), Place: p.Place(), Read: p})
			}
			delete(left, p.ID())
		}
		for id := range left {
			c.remove(plan.Key{Kind: plan.KindNumbers, ID: id})
		}
		return nil
	})
}

// ReplaceDraft implements api.Drafts.
func (m *Memory) ReplaceDraft(ctx context.Context, p plan.Plan) error {
	p.Numbers = m.now().live.plan.Numbers.Becoming(p.Numbers)
	list, err := plan.Objects(p)
	if err != nil {
		return err
	}
	return m.edit(ctx, func(c *change) error {
		before := c.objects.copied()
		c.all = &before
		c.objects = m.live.replaced(p.Name, list, c.edit.who)
		return nil
	})
}

// replaced are the objects of another plan. Lists in the same order keep their places.
func (o objects) replaced(name string, list []plan.Object, who string) objects {
	out := objects{name: name, by: map[plan.Key]plan.Object{}, who: map[plan.Key]string{}}
	ids := map[plan.List][]string{}
	for _, one := range list {
		ids[one.List()] = append(ids[one.List()], one.ID)
	}
	for _, one := range list {
		was := o.list(one.List(), "")
		switch {
		case one.Kind == plan.KindNumbers: // by their numbers
		case slices.EqualFunc(was, ids[one.List()], func(a plan.Object, id string) bool { return a.ID == id }):
			one.Place = was[one.Place].Place
		default:
			one.Place *= gap
		}
		out.by[one.Key()], out.who[one.Key()] = one, who
	}
	for k := range o.by {
		out.who[k] = who
	}
	return out
}

// DiscardDraft implements api.Drafts.
func (m *Memory) DiscardDraft(ctx context.Context) error {
	return m.edit(ctx, func(c *change) error {
		before := c.objects.copied()
		c.all = &before
		name := c.name
		c.objects = m.live.copied()
		c.name, c.objects.who = name, map[plan.Key]string{}
		return nil
	})
}

// Undo implements api.Drafts.
func (m *Memory) Undo(ctx context.Context) error {
	m.mu.Lock()
	defer m.mu.Unlock()
	who := store.Author(ctx)
	touched, everything, last := map[plan.Key]string{}, false, ""
	for i := len(m.edits) - 1; i >= 0; i-- {
		e := m.edits[i]
		if e.who != who {
			last, everything = e.who, everything || e.all != nil
			for k := range e.was {
				touched[k] = e.who
			}
			continue
		}
		if everything || e.all != nil && last != "" {
			return &store.OvertakenError{Who: last}
		}
		for k := range e.was {
			if by, is := touched[k]; is {
				return &store.OvertakenError{Who: by}
			}
		}
		m.draft = e.undone(m.draft)
		m.edits = slices.Delete(m.edits, i, i+1)
		m.version++
		return m.draft.arrange()
	}
	return store.ErrNothingToUndo
}

// undone is a draft without the edit. What comes back bears the name of who took it back.
func (e edit) undone(draft objects) objects {
	name := draft.name
	out := draft.copied()
	if e.all != nil {
		out = e.all.copied()
		out.name = name
		for k := range out.who {
			out.who[k] = e.who
		}
		return out
	}
	for k, o := range e.was {
		delete(out.by, k)
		if o != nil {
			out.by[k] = *o
		}
		out.who[k] = e.who
	}
	return out
}

// now is the state of a moment; its objects must not be changed.
func (m *Memory) now() (s struct {
	live, draft objects
	version     int64
	revision    int64
	edits       []edit
}) {
	m.mu.Lock()
	defer m.mu.Unlock()
	s.live, s.draft, s.version, s.revision, s.edits = m.live, m.draft, m.version, int64(len(m.revisions)-1), slices.Clone(m.edits)
	return s
}

// Undoable implements api.Drafts.
func (m *Memory) Undoable(ctx context.Context) (n int, err error) {
	for _, e := range m.now().edits {
		if e.who == store.Author(ctx) {
			n++
		}
	}
	return n, nil
}

// Draft implements api.Drafts.
func (m *Memory) Draft(context.Context) (store.Draft, error) {
	s := m.now()
	return store.Draft{Plan: s.draft.plan, Version: s.version}, nil
}

// DraftVersion implements api.Drafts.
func (m *Memory) DraftVersion(context.Context) (int64, error) { return m.now().version, nil }

// Changes implements api.Drafts.
func (m *Memory) Changes(context.Context) (changes []plan.Change, count int, version int64, err error) {
	s := m.now()
	changes, count, err = plan.Diff(s.live.plan, s.draft.plan)
	return changes, count, s.version, err
}

// Authors implements api.Drafts.
func (m *Memory) Authors(context.Context) (map[plan.Key]string, error) {
	s := m.now()
	out := map[plan.Key]string{}
	for k, who := range s.draft.who {
		was, before := s.live.by[k]
		is, after := s.draft.by[k]
		same := before == after && was.Name == is.Name && was.Table == is.Table && was.Place == is.Place && bytes.Equal(was.Body, is.Body) && was.Read == is.Read
		if !same && who != "" {
			out[k] = who
		}
	}
	return out, nil
}

// GoLive makes the draft of a version the live plan, as the store does.
func (m *Memory) GoLive(version int64, who, note string) (r store.Revision, err error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if m.version != version {
		return r, store.ErrDraftMoved
	}
	_, n, err := plan.Diff(m.live.plan, m.draft.plan)
	if err != nil {
		return r, err
	}
	r = store.Revision{ID: int64(len(m.revisions)), Created: time.Now().UTC().Truncate(time.Millisecond), Who: who, Note: note, Changes: n}
	m.draft.who = map[plan.Key]string{}
	m.live, m.edits = m.draft.copied(), nil
	m.revisions = append(m.revisions, revision{r, m.draft.plan})
	m.version++
	return r, nil
}
