package inventory

import (
	"bytes"
	"encoding/json"
	"errors"
	"iter"
	"reflect"
	"slices"

	"switchback.example/switchback/internal/core/digits"
)

// List is the inventory: blocks, and single numbers, each in order. It is immutable; With
// makes another that shares the pages in which nothing changes. The zero List is empty.
type List struct {
	blocks, singles run
	// bad are rows that cannot be packed, as they came: kept so that a document can be
	// told what is wrong with it.
	bad []Number
}

// run is pages in order, with what finds one.
type run struct {
	pages []*Page
	froms []uint64
	rows  int
}

func runOf(pages []*Page) run {
	r := run{pages: pages, froms: make([]uint64, len(pages))}
	for i, p := range pages {
		r.froms[i] = p.from
		r.rows += len(p.rows)
	}
	return r
}

// page is the place of the page to which a first number belongs, -1 for none.
func (r *run) page(first uint64) int {
	i, exact := slices.BinarySearch(r.froms, first)
	if !exact {
		i--
	}
	return i
}

// at finds the last row that begins at or before a number.
func (r *run) at(first uint64) (p *Page, i int) {
	for at := r.page(first); at >= 0; at-- { // a page can be empty before its first row
		p := r.pages[at]
		if i := p.after(first) - 1; i >= 0 {
			return p, i
		}
	}
	return nil, 0
}

// New makes a list of rows in any order. Rows that cannot be held are kept apart: see
// Bad.
func New(rows []Number) List {
	l, bad := List{}.with(rows, nil)
	l.bad = bad
	return l
}

// FromPages puts a list together again.
func FromPages(pages []*Page) List {
	i := slices.IndexFunc(pages, func(p *Page) bool { return !p.blocks })
	if i < 0 {
		i = len(pages)
	}
	return List{blocks: runOf(pages[:i:i]), singles: runOf(pages[i:])}
}

// Pages are the pieces of the list, in the order of their places.
func (l List) Pages() []*Page {
	return append(l.blocks.pages[:len(l.blocks.pages):len(l.blocks.pages)], l.singles.pages...)
}

// Bad are the rows that cannot be held.
func (l List) Bad() []Number { return l.bad }

// Len is how many rows there are.
func (l List) Len() int { return l.blocks.rows + l.singles.rows + len(l.bad) }

// Bytes is how much memory the list takes.
func (l List) Bytes() (n int) {
	for _, p := range l.Pages() {
		n += p.Bytes() + 16
	}
	return n
}

// Same tells whether two lists are the same memory.
func (l List) Same(other List) bool {
	return len(l.bad)+len(other.bad) == 0 && slices.Equal(l.blocks.pages, other.blocks.pages) && slices.Equal(l.singles.pages, other.singles.pages)
}

// Entry is a row of a list, where it lies.
type Entry struct {
	page *Page
	at   int
}

func (e Entry) row() *row            { return &e.page.rows[e.at] }
func (e Entry) text(col int) string  { return e.page.words.at(e.row().texts[col]) }
func (e Entry) Destination() string  { return e.text(colDestination) }
func (e Entry) Site() string         { return e.text(colSite) }
func (e Entry) Carrier() string      { return e.text(colCarrier) }
func (e Entry) Tag() string          { return e.text(colTag) }
func (e Entry) Ring() string         { return e.text(colRing) }
func (e Entry) Busy() string         { return e.text(colBusy) }
func (e Entry) State() string        { return States[e.row().flags&stateMask] }
func (e Entry) Gaps() bool           { return e.row().flags&gapsFlag != 0 }
func (e Entry) Answered() bool       { return answered(e.State()) }
func (e Entry) IsBlock() bool        { return e.row().block() }
func (e Entry) First() digits.Number { return digits.Unpack(e.row().first, true) }
func (e Entry) Last() digits.Number  { return digits.Unpack(e.row().last, true) }

// Block is the numbers that the row stands for.
func (e Entry) Block() digits.Block { return digits.Block{First: e.First(), Last: e.Last()} }

// ExtensionKey is the extension packed as by digits.Pack; 0 for none.
func (e Entry) ExtensionKey() uint64 { return e.row().extension }

// Extension is that on which the first is mapped; empty for none.
func (e Entry) Extension() digits.Number { return digits.Unpack(e.row().extension, false) }

// Name is how the row is called.
func (e Entry) Name() string {
	if e.IsBlock() {
		return name(e.First().String(), e.Last().String())
	}
	return e.First().String()
}

// ID is that of the row, as Number.ID.
func (e Entry) ID() string {
	if e.IsBlock() {
		return bare(e.First()) + "-" + bare(e.Last())
	}
	return bare(e.First())
}

// Number is the whole row.
func (e Entry) Number() Number {
	x := e.page.expand(e.at)
	return x.number()
}

// Find returns the row to which a number belongs: it itself or, where it stands nowhere
// by itself, the block that holds it. The number has its +. It allocates nothing.
func (l *List) Find(n digits.Number) (e Entry, ok bool) {
	k, ok := digits.Pack(n)
	if !ok || !n.Plus() {
		return e, false
	}
	if p, i := l.singles.at(k); p != nil && p.rows[i].first == k {
		return Entry{p, i}, true
	}
	if p, i := l.blocks.at(k); p != nil && k <= p.rows[i].last {
		return Entry{p, i}, true
	}
	return e, false
}

// Get returns a row by its id.
func (l *List) Get(id string) (e Entry, ok bool) {
	k, ok := parseID(id)
	if !ok {
		return e, false
	}
	r := &l.singles
	if k.first != k.last {
		r = &l.blocks
	}
	if p, i := r.at(k.first); p != nil && p.rows[i].key() == k {
		return Entry{p, i}, true
	}
	return e, false
}

// parseID reads the id of a row.
func parseID(id string) (k key, ok bool) {
	n := Number{First: "+" + id}
	for i := range id {
		if id[i] == '-' {
			n.First, n.Last = "+"+id[:i], "+"+id[i+1:]
			break
		}
	}
	b, err := n.Block()
	if err != nil || b.Check() != nil {
		return k, false
	}
	first, ok := digits.Pack(b.First)
	last, okLast := digits.Pack(b.Last)
	return key{first, last}, ok && okLast
}

// All goes through the rows by number, a block before the single numbers in it; those
// that cannot be held come last.
func (l List) All() iter.Seq[Number] {
	return func(yield func(Number) bool) {
		for e := range l.Entries() {
			if !yield(e.Number()) {
				return
			}
		}
		for _, n := range l.bad {
			if !yield(n) {
				return
			}
		}
	}
}

// Entries goes through the rows that can be held, by number.
func (l List) Entries() iter.Seq[Entry] {
	return func(yield func(Entry) bool) {
		next, stop := iter.Pull(l.blocks.entries())
		defer stop()
		block, more := next()
		for e := range l.singles.entries() {
			for more && compareKeys(block.row().key(), e.row().key()) <= 0 {
				if !yield(block) {
					return
				}
				block, more = next()
			}
			if !yield(e) {
				return
			}
		}
		for ; more; block, more = next() {
			if !yield(block) {
				return
			}
		}
	}
}

func (r *run) entries() iter.Seq[Entry] {
	return func(yield func(Entry) bool) {
		for _, p := range r.pages {
			for i := range p.rows {
				if !yield(Entry{p, i}) {
					return
				}
			}
		}
	}
}

// MarshalJSON writes the rows as an array.
func (l List) MarshalJSON() ([]byte, error) {
	out := bytes.NewBufferString("[")
	for n := range l.All() {
		text, err := json.Marshal(n)
		if err != nil {
			return nil, err
		}
		if out.Len() > 1 {
			out.WriteByte(',')
		}
		out.Write(text)
	}
	out.WriteByte(']')
	return out.Bytes(), nil
}

// UnmarshalJSON reads rows strictly: a field that is not known is an error.
// JSONShape is what the inventory looks like in a document: a list of numbers.
func (*List) JSONShape() reflect.Type { return reflect.TypeFor[[]Number]() }

// UnmarshalJSON reads such a list.
func (l *List) UnmarshalJSON(text []byte) error {
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	var rows []Number
	if err := d.Decode(&rows); err != nil {
		return errors.Join(errors.New("numbers"), err)
	}
	*l = New(rows)
	return nil
}
