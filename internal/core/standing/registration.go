package standing

import "time"

// Binding is one place from which a far end has registered with us (RFC 3261
// section 10).
type Binding struct {
	Trunk, Account string
	Contact        string // URI at which it wants its calls
	Source         string // address and port that the registration came from
	Transport      string // UDP or TCP
	Agent          string // what it calls itself
	CallID         string
	CSeq           uint32
	Since, Until   time.Time
	Refreshed      time.Time
}

// OurState is where a registration of ours stands.
type OurState string

// The states of our registrations.
const (
	OurTrying     OurState = "trying"     // nothing was heard yet
	OurRegistered OurState = "registered" // until Until
	OurRefused    OurState = "refused"    // the far end said no
	OurSilent     OurState = "silent"     // it did not answer
)

// OurRegistration is one registration of ours with a far end.
type OurRegistration struct {
	Trunk, Account string
	State          OurState
	Since          time.Time // of the state
	Until          time.Time // how long the registration holds
	Next           time.Time // when it is tried or refreshed again
	Failures       int       // in a row
	Evidence       string    // what the far end said last
	Server         string    // the address of the server that said it, or took it last
}

// AccountBindings are the contacts of one account, as they are to be kept.
type AccountBindings struct {
	Trunk, Account string
	Bindings       []Binding
}
