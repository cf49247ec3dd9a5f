package inventory

import (
	"bytes"
	"cmp"
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/digits"
)

// The texts of a row.
const (
	colDestination = iota
	colCarrier
	colSite
	colOwner
	colBusy
	colTag
	colRing
	colNote
	columns
)

// row is one row of a page, in 48 bytes; texts are places in the words of its page.
type row struct {
	first, last uint64 // packed; equal for a single number
	extension   uint64 // packed; 0 for none
	texts       [columns]uint16
	flags       uint8 // the place of its state in States, and gapsFlag
}

const (
	stateMask = 7
	gapsFlag  = 8
)

func (r *row) key() key { return key{r.first, r.last} }

func (r *row) block() bool { return r.first != r.last }

// expanded is a row with its texts in it, as it is edited.
type expanded struct {
	first, last, extension uint64
	flags                  uint8
	texts                  [columns]string
}

func (e *expanded) key() key { return key{e.first, e.last} }

func compareKeys(a, b key) int {
	return cmp.Or(cmp.Compare(a.first, b.first), cmp.Compare(b.last, a.last))
}

// Page is a run of rows, all blocks or all single numbers, in order: the piece in which
// a list is stored and shared. It is immutable.
type Page struct {
	// from is the least first number that belongs on the page.
	from   uint64
	blocks bool
	rows   []row
	words  words // the texts of its rows, each once; the first is empty
}

// words are texts behind one another.
type words struct {
	text string
	ends []uint32
}

func (w *words) at(i uint16) string {
	if i == 0 {
		return ""
	}
	return w.text[w.ends[i-1]:w.ends[i]]
}

func (w *words) len() int { return len(w.ends) }

// find is the place of a text; -1 if it is none of them.
func (w *words) find(text string) int {
	for i := range w.ends {
		if w.at(uint16(i)) == text {
			return i
		}
	}
	return -1
}

// Most rows of a page, and how many a page begins with where many are put down.
const (
	maxPage  = 1024
	freshest = 768
)

// ID names the page among those of a list, and Place orders them.
func (p *Page) ID() string { return pageID(p.blocks, p.from) }

func pageID(blocks bool, from uint64) string {
	if blocks {
		return fmt.Sprintf("blocks-%x", from)
	}
	return fmt.Sprintf("singles-%x", from)
}

// Place orders the pages of a list: blocks before single numbers, each by number.
func (p *Page) Place() int {
	if p.blocks {
		return int(p.from)
	}
	return int(p.from | 1<<62)
}

func makePage(blocks bool, from uint64, rows []expanded) *Page {
	p := &Page{from: from, blocks: blocks, rows: make([]row, len(rows))}
	var text strings.Builder
	ends := []uint32{0}
	places := map[string]uint16{"": 0}
	for i := range rows {
		e := &rows[i]
		r := row{first: e.first, last: e.last, extension: e.extension, flags: e.flags}
		for c, word := range e.texts {
			place, known := places[word]
			if !known {
				place = uint16(len(ends))
				places[word] = place
				text.WriteString(word)
				ends = append(ends, uint32(text.Len()))
			}
			r.texts[c] = place
		}
		p.rows[i] = r
	}
	p.words = words{strings.Clone(text.String()), slices.Clip(ends)}
	return p
}

// makePages makes as many pages of sorted rows as they need.
func makePages(blocks bool, from uint64, rows []expanded) (pages []*Page) {
	if len(rows) <= maxPage {
		return []*Page{makePage(blocks, from, rows)}
	}
	parts := (len(rows) + freshest - 1) / freshest
	for i := range parts {
		part := rows[i*len(rows)/parts : (i+1)*len(rows)/parts]
		if i > 0 {
			from = part[0].first
		}
		pages = append(pages, makePage(blocks, from, part))
	}
	return pages
}

func (p *Page) expand(i int) expanded {
	r := &p.rows[i]
	e := expanded{first: r.first, last: r.last, extension: r.extension, flags: r.flags}
	for c, place := range r.texts {
		e.texts[c] = p.words.at(place)
	}
	return e
}

func (e *expanded) number() Number {
	n := Number{
		First: digits.Unpack(e.first, true).String(), State: States[e.flags&stateMask], Gaps: e.flags&gapsFlag != 0,
		Carrier: e.texts[colCarrier], Site: e.texts[colSite], Owner: e.texts[colOwner], Destination: e.texts[colDestination],
		Extension: digits.Unpack(e.extension, false).String(), ForwardOnBusy: e.texts[colBusy], NamePrefix: e.texts[colTag], AlertInfo: e.texts[colRing], Note: e.texts[colNote],
	}
	if e.last != e.first {
		n.Last = digits.Unpack(e.last, true).String()
	}
	return n
}

// after is the place of the first row behind a first number.
func (p *Page) after(first uint64) int {
	i, _ := slices.BinarySearchFunc(p.rows, first, func(r row, first uint64) int {
		if r.first <= first {
			return -1
		}
		return 1
	})
	return i
}

// Bytes is how much memory the page takes.
func (p *Page) Bytes() int {
	return 80 + len(p.rows)*48 + len(p.words.text) + len(p.words.ends)*4
}

// storedPage is a page as JSON.
type storedPage struct {
	From    string   `json:"from"` // hexadecimal, packed
	Blocks  bool     `json:"blocks"`
	Numbers []Number `json:"numbers"`
}

// MarshalJSON writes the page as it is stored.
func (p *Page) MarshalJSON() ([]byte, error) {
	s := storedPage{fmt.Sprintf("%x", p.from), p.blocks, make([]Number, len(p.rows))}
	for i := range p.rows {
		e := p.expand(i)
		s.Numbers[i] = e.number()
	}
	return json.Marshal(s)
}

// UnmarshalJSON reads a page that was stored.
func (p *Page) UnmarshalJSON(text []byte) error {
	var s storedPage
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	if err := d.Decode(&s); err != nil {
		return err
	}
	var from uint64
	if _, err := fmt.Sscanf(s.From, "%x", &from); err != nil {
		return fmt.Errorf("page of numbers: from: %w", err)
	}
	rows := make([]expanded, len(s.Numbers))
	for i, n := range s.Numbers {
		e, faults := pack(n)
		if len(faults) > 0 {
			return fmt.Errorf("number %s: %s: %s", n.Name(), faults[0].Field, faults[0].Reason)
		}
		rows[i] = e
	}
	*p = *makePage(s.Blocks, from, rows)
	return nil
}

// Len is how many rows there are on the page, and At one of them.
func (p *Page) Len() int { return len(p.rows) }

// At is a row of the page.
func (p *Page) At(i int) Entry { return Entry{p, i} }

// Numbers are the rows of the page.
func (p *Page) Numbers() []Number {
	out := make([]Number, len(p.rows))
	for i := range p.rows {
		out[i] = p.At(i).Number()
	}
	return out
}
