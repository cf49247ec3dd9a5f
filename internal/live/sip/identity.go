package sip

import (
	"crypto/rand"
	"encoding/hex"
	"regexp"
	"strings"

	wire "switchback.example/switchback/internal/core/wire/sip"
)

// identity is the Session-ID of one side of a call (RFC 7989): the name of the
// end that we speak for, and that of the end that we speak to.
type identity struct{ ours, theirs string }

// nobody stands for an end whose name is not known yet (section 5).
const nobody = "00000000000000000000000000000000"

func (i identity) String() string { return i.ours + ";remote=" + i.theirs }

// newName is a name for an end that has none: 128 random bits (section 4.1).
func newName() string {
	var b [16]byte
	_, _ = rand.Read(b[:]) // never fails (crypto/rand)
	return hex.EncodeToString(b[:])
}

var isName = regexp.MustCompile(`^[0-9a-f]{32}$`)

// nameIn is the name that the sender of a message gives itself; empty if it gives
// none.
func nameIn(m *wire.Message) string {
	name, _, _ := strings.Cut(m.Get("Session-ID"), ";")
	if name = strings.TrimSpace(name); isName.MatchString(name) && name != nobody {
		return name
	}
	return ""
}

// names are those that the dialog's messages carry.
func (d *dialog) names() identity {
	d.mu.Lock()
	defer d.mu.Unlock()
	return d.identity
}

func (d *dialog) rename(i identity) {
	d.mu.Lock()
	defer d.mu.Unlock()
	d.identity = i
}
