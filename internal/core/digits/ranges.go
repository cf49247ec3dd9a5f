package digits

import (
	"cmp"
	"fmt"
	"math/bits"
	"slices"
)

// MaxRangeDigits is the longest number that Ranges holds, in digits: those of
// E.164.
const MaxRangeDigits = 15

// Ranges tells which of many public numbers and blocks a number belongs to. A
// single number costs one probe of a hash table with the value beside the key,
// a block a binary search; memory is about 32 bytes a single number and 24 a
// block. It is immutable and safe for use by many goroutines.
type Ranges struct {
	slots []slot
	shift uint8
	plus  bool
	spans []span // by first, disjoint
}

// slot holds a key, 0 if it is free: no number has that key.
type slot struct {
	key   uint64
	value uint32
}

type span struct {
	first, last uint64
	value       uint32
}

// NewRanges returns the ranges of blocks; Find answers with their places in the
// list. Of a block and a single number inside it the number wins; other
// overlaps are an error, as is a block that is none or longer than
// MaxRangeDigits. All blocks have a '+' or none has.
func NewRanges(blocks []Block) (*Ranges, error) {
	r := &Ranges{}
	singles := 0
	for i, b := range blocks {
		if err := b.Check(); err != nil {
			return nil, &RangeError{Place: i, Other: -1, Reason: err.Error()}
		}
		if b.First.symbols() > MaxRangeDigits {
			return nil, &RangeError{Place: i, Other: -1, Reason: fmt.Sprintf("%s is longer than %d digits", b.First, MaxRangeDigits)}
		}
		if i > 0 && b.First.Plus() != r.plus {
			return nil, &RangeError{Place: i, Other: 0, Reason: "some numbers have a + in front and some have none"}
		}
		r.plus = b.First.Plus()
		if b.First == b.Last {
			singles++
		} else {
			r.spans = append(r.spans, span{key(&b.First), key(&b.Last), uint32(i)})
		}
	}
	if err := r.sortSpans(blocks); err != nil {
		return nil, err
	}
	return r, r.addSingles(blocks, singles)
}

// RangeError says which block of a list is wrong, and with which other it
// clashes; Other is -1 if with none.
type RangeError struct {
	Place, Other int
	Reason       string
}

func (e *RangeError) Error() string { return e.Reason }

func (r *Ranges) sortSpans(blocks []Block) error {
	slices.SortFunc(r.spans, func(a, b span) int { return cmp.Compare(a.first, b.first) })
	for i := 1; i < len(r.spans); i++ {
		if before := r.spans[i-1]; before.last >= r.spans[i].first {
			b, other := int(r.spans[i].value), int(before.value)
			return &RangeError{b, other, fmt.Sprintf("%s to %s overlaps %s to %s", blocks[b].First, blocks[b].Last, blocks[other].First, blocks[other].Last)}
		}
	}
	return nil
}

// addSingles fills the hash table, at most three quarters of it.
func (r *Ranges) addSingles(blocks []Block, singles int) error {
	if singles == 0 {
		return nil
	}
	width := bits.Len(uint(singles + singles/3))
	r.slots, r.shift = make([]slot, 1<<width), uint8(64-width)
	for i, b := range blocks {
		if b.First != b.Last {
			continue
		}
		k := key(&b.First)
		at := r.home(k)
		for ; r.slots[at].key != 0; at = (at + 1) % uint64(len(r.slots)) {
			if r.slots[at].key == k {
				return &RangeError{i, int(r.slots[at].value), fmt.Sprintf("%s is there twice", b.First)}
			}
		}
		r.slots[at] = slot{k, uint32(i)}
	}
	return nil
}

// key packs digits four bits each behind a one, so that 0 and 00 differ.
func key(n *Number) uint64 {
	k := uint64(1)
	for _, c := range n.bytes() {
		if c != '+' {
			k = k<<4 | uint64(c-'0')
		}
	}
	return k
}

// home is where the probe for a key begins: the top bits of its product with
// 2^64 divided by the golden ratio.
func (r *Ranges) home(k uint64) uint64 { return k * 0x9e3779b97f4a7c15 >> r.shift }

// Find returns the place of the block that n belongs to; ok is false if it is in
// none.
func (r *Ranges) Find(n Number) (place int, ok bool) {
	if n.Plus() != r.plus || n.symbols() > MaxRangeDigits || !n.Digits() {
		return 0, false
	}
	k := key(&n)
	if len(r.slots) > 0 {
		for at := r.home(k); r.slots[at].key != 0; at = (at + 1) % uint64(len(r.slots)) {
			if r.slots[at].key == k {
				return int(r.slots[at].value), true
			}
		}
	}
	i, exact := slices.BinarySearchFunc(r.spans, k, func(s span, k uint64) int { return cmp.Compare(s.first, k) })
	if !exact {
		i--
	}
	if i >= 0 && i < len(r.spans) && k <= r.spans[i].last {
		return int(r.spans[i].value), true
	}
	return 0, false
}

// Bytes returns how much memory the ranges take.
func (r *Ranges) Bytes() int { return len(r.slots)*16 + len(r.spans)*24 }
