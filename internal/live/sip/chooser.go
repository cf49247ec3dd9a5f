package sip

import "golang.org/x/net/bpf"

// The program that chooses a socket by a datagram's source (classic BPF): 1 for those in a
// list, 0 for the others.
const (
	// netOffset makes offsets count from the network header (SKF_NET_OFF of Linux), and sourceAt
	// is where the source address stands in that of IPv4 (RFC 791 section 3.1).
	netOffset = 0xfff00000
	sourceAt  = 12
	// leafRanges are looked at one by one; conditional jumps reach 255 instructions, and a leaf
	// has two for each range. maxRanges of them make no more than the 4,096 instructions that
	// a program may have.
	leafRanges = 16
	maxRanges  = 1500
)

// chooser is the program for a list in order: a binary search down to leaves.
func chooser(list []addressRange, offset uint32) []bpf.Instruction {
	return append([]bpf.Instruction{bpf.LoadAbsolute{Off: offset, Size: 4}}, branch(list)...)
}

func branch(list []addressRange) []bpf.Instruction {
	if len(list) <= leafRanges {
		return leaf(list)
	}
	half := len(list) / 2
	left, right := branch(list[:half]), branch(list[half:])
	out := []bpf.Instruction{
		bpf.JumpIf{Cond: bpf.JumpGreaterOrEqual, Val: list[half].first, SkipFalse: 1},
		bpf.Jump{Skip: uint32(len(left))},
	}
	return append(append(out, left...), right...)
}

// leaf looks at ranges in order: below the first of one, and so above the last of the one
// before, is none of them.
func leaf(list []addressRange) (out []bpf.Instruction) {
	rest := 2 * len(list) // instructions to come before the two ends
	for _, r := range list {
		rest -= 2
		out = append(out,
			bpf.JumpIf{Cond: bpf.JumpGreaterOrEqual, Val: r.first, SkipFalse: uint8(rest + 1)},
			bpf.JumpIf{Cond: bpf.JumpGreaterThan, Val: r.last, SkipFalse: uint8(rest + 1)},
		)
	}
	return append(out, bpf.RetConstant{Val: 0}, bpf.RetConstant{Val: 1})
}
