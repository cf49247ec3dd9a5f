package inbound

import (
	"cmp"
	"slices"
	"strconv"

	"switchback.example/switchback/internal/core/digits"
)

// Bounds of what is offered: extensions of so many digits, and so many offers.
const (
	leastDigits = 2
	mostDigits  = 6
	maxOffers   = 4
)

// offers are blocks of extensions that are there, as many as the block has numbers, whose
// last digits are those of the numbers: the nearest to what was typed first, free ones
// before taken ones.
func (w *workings) offers(typed digits.Number) []Offer {
	out := []Offer{}
	keep := len(strconv.Itoa(w.size - 1))
	if w.size == 1 {
		keep = 1
	}
	tens := pow10(keep)
	ends := value(w.block.First.Last(keep))
	for width := leastDigits; width <= mostDigits; width++ {
		if keep > width {
			continue
		}
		for _, run := range w.existing(width) {
			first, last := value(run.First), value(run.Last)
			at := first - first%tens + ends
			if at < first {
				at += tens
			}
			for ; at+int64(w.size)-1 <= last && len(out) < 1000; at += tens {
				o := Offer{First: ofWidth(at, width), Last: ofWidth(at+int64(w.size)-1, width), Free: true}
				for i := range w.size {
					if w.clash(o.First.Nth(uint64(i))) != "" {
						o.Free = false
						break
					}
				}
				if typed.Digits() && !typed.Plus() && typed.Len() == width {
					o.Off = value(typed) - at
				}
				out = append(out, o)
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Offer) int {
		return cmp.Or(byFlag(b.Free, a.Free), cmp.Compare(distance(a, typed), distance(b, typed)))
	})
	return out[:min(len(out), maxOffers)]
}

func byFlag(a, b bool) int {
	if a == b {
		return 0
	}
	if a {
		return 1
	}
	return -1
}

// distance is how far an offer is from what was typed; another width is far.
func distance(o Offer, typed digits.Number) int64 {
	if typed.Len() != o.First.Len() {
		return 1 << 40
	}
	if o.Off < 0 {
		return -o.Off
	}
	return o.Off
}

// existing are the runs of extensions of a width that the destination has.
func (w *workings) existing(width int) []digits.Block {
	whole := digits.Block{First: ofWidth(0, width), Last: ofWidth(pow10(width)-1, width)}
	_, missing := w.there.Missing(whole, 1000)
	var out []digits.Block
	next := int64(0)
	for _, m := range missing {
		if first := value(m.First); first > next {
			out = append(out, digits.Block{First: ofWidth(next, width), Last: ofWidth(first-1, width)})
		}
		next = value(m.Last) + 1
	}
	if next < pow10(width) && len(missing) < 1000 {
		out = append(out, digits.Block{First: ofWidth(next, width), Last: whole.Last})
	}
	return out
}

func pow10(n int) int64 {
	out := int64(1)
	for range n {
		out *= 10
	}
	return out
}

func value(n digits.Number) int64 {
	v, _ := strconv.ParseInt(n.Symbols(), 10, 64) // digits only, few of them
	return v
}

func ofWidth(v int64, width int) digits.Number {
	text := strconv.FormatInt(v, 10)
	for len(text) < width {
		text = "0" + text
	}
	return digits.MustNumber(text)
}
