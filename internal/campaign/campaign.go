// Package campaign generates what a stranger may try to get what is not theirs: an outside
// line, above all. Tests send it from sockets of their own and judge it by what leaves on the
// outside trunks, never by what the attempt was meant to be.
//
// Each protocol that carries calls has a generator here, found by the name of its package under
// core/wire; a test fails where one has none. Nothing here opens a socket, and no product code
// imports it.
package campaign

import "math/rand/v2"

// Knowledge is what the stranger has heard on the way, guessed, or is told by a test.
type Knowledge struct {
	Switch string   // address and port of the switch
	Realm  string   // of its challenges
	Users  []string // accounts and extensions
	// Outside are called numbers as a phone dials them, and Inside extensions.
	Outside, Inside []string
	// Homes are addresses of far ends, to be written into headers.
	Homes []string
	// Heard are credentials that were sent to the switch, whole header lines.
	Heard []string
	// Dialogs are calls that run.
	Dialogs []Dialog
	// Branches are of requests that the switch has sent and that may still be answered.
	Branches []string
}

// Dialog is one side of a call that runs, as a proxy on its way knows it.
type Dialog struct {
	CallID, SwitchTag, FarTag string
	FarURI                    string
}

// Attempt is one thing to try.
type Attempt struct {
	Transport string // "udp", "tcp" or "tls"
	// Spoof says that it is sent from the address of a registered flow by who hears no answer.
	Spoof bool
	// First is sent at once. Then, if it is not nil, makes what is sent after a challenge
	// from the nonce in it.
	First string
	Then  func(nonce string) string
	What  string // in a few words, for a test that fails
}

// Generator makes an attempt.
type Generator func(r *rand.Rand, k Knowledge) Attempt

// Generators are those of each protocol.
var Generators = map[string]Generator{"sip": SIP}

func pick[T any](r *rand.Rand, list []T) (one T) {
	if len(list) == 0 {
		return one
	}
	return list[r.IntN(len(list))]
}
