package digits

import "fmt"

// blameTries bounds how many repeats are tried before the whole is blamed: each
// try costs up to MaxStates states.
const blameTries = 8

// blame finds the part of a pattern that needs more than MaxStates states: of
// alternatives one that explodes alone, of a sequence the first repeat without
// which it would not.
func blame(text string, n *node) *PatternError {
	if n.end == 0 { // an expression's tree has no places
		return exploded(text, 0, "the expression")
	}
	if n.kind == altNode {
		for _, part := range n.parts {
			if explodes(part) {
				return blame(text, part)
			}
		}
		return exploded(text, n.at, fmt.Sprintf("all %d alternatives together", len(n.parts)))
	}
	if len(n.parts) == 1 && !n.repeat {
		return blame(text, n.parts[0])
	}
	tried := 0
	for _, r := range repeats(n, nil) {
		if tried++; tried > blameTries {
			break
		}
		r.repeat = false
		tame := !explodes(n)
		r.repeat = true
		if tame {
			return exploded(text, r.at, fmt.Sprintf("%q", text[r.at:r.end]))
		}
	}
	return exploded(text, n.at, fmt.Sprintf("%q", text[n.at:n.end]))
}

func exploded(text string, at int, part string) *PatternError {
	return &PatternError{text, at, fmt.Sprintf("%s makes more than %d states, since where it ends must be remembered over the symbols that follow; put the fixed part first, or split the pattern over several rules", part, MaxStates)}
}

// repeats lists what repeats inside n, in the order of the text.
func repeats(n *node, out []*node) []*node {
	if n.repeat {
		out = append(out, n)
	}
	for _, part := range n.parts {
		out = repeats(part, out)
	}
	return out
}

func explodes(n *node) bool {
	var a nfa
	final := a.add(nfaState{})
	_, err := a.determinize(a.build(n, final), final)
	return err != nil
}
