package digits

// MaxPacked is the longest number that Pack takes, in digits: those of E.164
// (ITU-T E.164 section 6).
const MaxPacked = 15

// Pack packs a number of digits in a word, four bits each behind a one, so that 0 and 00
// differ; a '+' is left out. Of numbers of one length the order is kept, and shorter ones
// come before longer ones. ok is false for what is not digits or longer than MaxPacked.
func Pack(n Number) (word uint64, ok bool) {
	if n.symbols() > MaxPacked || !n.Digits() {
		return 0, false
	}
	word = 1
	for _, c := range n.bytes() {
		if c != '+' {
			word = word<<4 | uint64(c-'0')
		}
	}
	return word, true
}

// Unpack is the number of a packed word, with or without a '+'. The zero word is the
// empty number.
func Unpack(word uint64, plus bool) (n Number) {
	if word == 0 {
		return n
	}
	if plus {
		n.push('+')
	}
	at := 60
	for word>>at == 0 {
		at -= 4
	}
	for at -= 4; at >= 0; at -= 4 {
		n.push('0' + byte(word>>at&15))
	}
	return n
}
