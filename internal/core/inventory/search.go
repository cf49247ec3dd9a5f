package inventory

import (
	"cmp"
	"slices"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"switchback.example/switchback/internal/core/digits"
)

// Query is what is looked for in a list.
type Query struct {
	// Text is digits, with separators, that a number holds (of a block: that one of its
	// numbers begins or ends with, behind the country code or not), or words that stand in
	// any text of a row, whatever the case. Empty is everything.
	Text        string
	State       string
	Carrier     string
	Site        string
	Destination string
	// Kind is block or single; empty is both.
	Kind string
	// Only, if set, tells which rows are meant beside that.
	Only func(Entry) bool
}

// Found are the rows of a list that a query finds, in its order.
type Found struct {
	list List
	refs []ref // in the order of a column
	down bool  // from behind
}

// ref is a row: the place of its page, and its own in it.
type ref struct {
	page uint32
	row  uint32
}

// Len is how many rows were found.
func (f *Found) Len() int { return len(f.refs) }

// Rows returns some of them, from a place on.
func (f *Found) Rows(from, limit int) []Number {
	pages := f.list.Pages()
	out := []Number{}
	for i := max(from, 0); i < min(from+limit, len(f.refs)); i++ {
		r := f.refs[i]
		if f.down {
			r = f.refs[len(f.refs)-1-i]
		}
		out = append(out, Entry{pages[r.page], int(r.row)}.Number())
	}
	return out
}

// Search finds the rows of a list, by number. Its cost is that of going through the list
// once, on two processors.
func (l List) Search(q Query) *Found {
	m := newMatcher(q)
	pages := l.Pages()
	parts := make([][]ref, 4)
	var all sync.WaitGroup
	for i := range parts {
		all.Go(func() {
			for at := i * len(pages) / len(parts); at < (i+1)*len(pages)/len(parts); at++ {
				parts[i] = m.page(parts[i], pages[at], uint32(at))
			}
		})
	}
	all.Wait()
	return &Found{list: l, refs: byNumber(slices.Concat(parts...), pages, len(l.blocks.pages))}
}

// byNumber merges the blocks that were found, which come first, with the single numbers.
func byNumber(refs []ref, pages []*Page, blockPages int) []ref {
	split, _ := slices.BinarySearchFunc(refs, uint32(blockPages), func(r ref, p uint32) int { return cmp.Compare(r.page, p) })
	blocks, singles := refs[:split], refs[split:]
	if len(blocks) == 0 || len(singles) == 0 {
		return refs
	}
	at := func(r ref) *row { return &pages[r.page].rows[r.row] }
	out := make([]ref, 0, len(refs))
	for len(blocks) > 0 && len(singles) > 0 {
		if at(blocks[0]).first <= at(singles[0]).first {
			out, blocks = append(out, blocks[0]), blocks[1:]
		} else {
			out, singles = append(out, singles[0]), singles[1:]
		}
	}
	return append(append(out, blocks...), singles...)
}

// matcher is a query that was made ready.
type matcher struct {
	q      Query
	text   string   // in lower case
	digits []string // what a number may hold, if the text is digits
	state  int      // -1 for any
	plain  bool     // everything is found
	// caseless texts have no letters; first are the ways to write the first of others.
	caseless bool
	first    string
}

func newMatcher(q Query) *matcher {
	m := &matcher{q: q, text: strings.ToLower(strings.TrimSpace(q.Text)), state: slices.Index(States, q.State)}
	if n, err := digits.ParseNumber(m.text); err == nil && !n.Empty() && !n.HasService() {
		d := bare(n)
		m.digits = []string{d}
		// A number of the country or with an international prefix in front: the zeros are
		// none of E.164.
		if cut := strings.TrimLeft(d, "0"); !n.Plus() && cut != d && cut != "" {
			m.digits = append(m.digits, cut)
		}
	}
	m.caseless = strings.ToUpper(m.text) == m.text
	if r, size := utf8.DecodeRuneInString(m.text); size > 0 {
		m.first = string([]rune{r, unicode.ToUpper(r)})
	}
	m.plain = m.text == "" && q.State == "" && q.Carrier == "" && q.Site == "" && q.Destination == "" && q.Kind == "" && q.Only == nil
	return m
}

// page adds what is found on a page.
func (m *matcher) page(out []ref, p *Page, at uint32) []ref {
	if m.q.Kind == "block" && !p.blocks || m.q.Kind == "single" && p.blocks {
		return out
	}
	if m.plain {
		for i := range p.rows {
			out = append(out, ref{at, uint32(i)})
		}
		return out
	}
	var holds []bool
	carrier, site, destination := -1, -1, -1
	for _, want := range []struct {
		text string
		is   *int
	}{{m.q.Carrier, &carrier}, {m.q.Site, &site}, {m.q.Destination, &destination}} {
		if want.text == "" {
			continue
		}
		if *want.is = p.words.find(want.text); *want.is < 0 {
			return out // no row of the page has it
		}
	}
	if m.text != "" && m.inText(p.words.text) { // in few pages, as a rule
		holds = make([]bool, p.words.len())
		for i := range holds {
			holds[i] = m.inText(p.words.at(uint16(i)))
		}
	}
	for i := range p.rows {
		r := &p.rows[i]
		switch {
		case m.q.State != "" && int(r.flags&stateMask) != m.state:
		case carrier >= 0 && int(r.texts[colCarrier]) != carrier:
		case site >= 0 && int(r.texts[colSite]) != site:
		case destination >= 0 && int(r.texts[colDestination]) != destination:
		case m.text != "" && !m.inTexts(r, holds) && !m.inDigits(r):
		case m.q.Only != nil && !m.q.Only(Entry{p, i}):
		default:
			out = append(out, ref{at, uint32(i)})
		}
	}
	return out
}

// inText tells whether a text holds the query's, whatever the case.
func (m *matcher) inText(text string) bool {
	if m.caseless {
		return strings.Contains(text, m.text)
	}
	for at := 0; at+len(m.text) <= len(text); at++ {
		next := strings.IndexAny(text[at:], m.first)
		if next < 0 || at+next+len(m.text) > len(text) {
			return false
		}
		at += next
		if strings.EqualFold(text[at:at+len(m.text)], m.text) {
			return true
		}
	}
	return false
}

func (m *matcher) inTexts(r *row, holds []bool) bool {
	if holds == nil {
		return false
	}
	for _, place := range r.texts {
		if holds[place] {
			return true
		}
	}
	return false
}

// inDigits tells whether a row's number holds the digits, or its extension does.
func (m *matcher) inDigits(r *row) bool {
	for _, d := range m.digits {
		if within(r.first, d) || r.extension != 0 && within(r.extension, d) || r.block() && blockHolds(r, d) {
			return true
		}
	}
	return false
}

// within tells whether a packed number holds digits.
func within(word uint64, d string) bool {
	want, mask := uint64(0), uint64(0)
	if len(d) > digits.MaxPacked {
		return false
	}
	for i := range len(d) {
		want, mask = want<<4|uint64(d[i]-'0'), mask<<4|15
	}
	for limit := mask + 1; word >= limit; word >>= 4 {
		if word&mask == want {
			return true
		}
	}
	return false
}

// blockHolds tells whether some number of a block begins with digits, behind the country
// code or not, or ends with them.
func blockHolds(r *row, d string) bool {
	first, width := decimal(r.first)
	last, _ := decimal(r.last)
	if len(d) > width {
		return false
	}
	typed := uint64(0)
	for i := range len(d) {
		typed = typed*10 + uint64(d[i]-'0')
	}
	end := first - first%tens[len(d)] + typed // the least that ends so, not below first
	if end < first {
		end += tens[len(d)]
	}
	if end <= last {
		return true
	}
	for i := 0; i <= 3 && i+len(d) <= width; i++ { // a country code has 1 to 3 digits
		rest := tens[width-i-len(d)]
		low := (first/tens[width-i]*tens[len(d)] + typed) * rest
		if low <= last && low+rest-1 >= first {
			return true
		}
	}
	return false
}

// decimal is a packed number as a value, and how many digits it has.
func decimal(word uint64) (value uint64, width int) {
	at := 60
	for word>>at == 0 {
		at -= 4
	}
	for width = at / 4; at > 0; {
		at -= 4
		value = value*10 + word>>at&15
	}
	return value, width
}

// tens are the powers of ten.
var tens = func() (out [digits.MaxPacked + 1]uint64) {
	out[0] = 1
	for i := 1; i < len(out); i++ {
		out[i] = out[i-1] * 10
	}
	return out
}()
