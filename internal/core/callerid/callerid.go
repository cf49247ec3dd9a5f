// Package callerid holds who is calling, as one value that travels with a call from the edge where
// it came in, through the decision, to the edge where it leaves: the number with its format, the
// name, and what may be shown of them, each with where it came from.
//
// It decides nothing and knows no protocol: package decide says who is shown, and carriers read and
// write it.
package callerid

import (
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

// Presentation says whether the caller may be shown (ITU-T Q.931 table 4-11, octet 3a).
type Presentation string

// The presentations.
const (
	Allowed    Presentation = "allowed"
	Restricted Presentation = "restricted"
	// Unavailable: no number came, and nobody asked to withhold it.
	Unavailable Presentation = "unavailable"
)

// Screening says who vouches for the number (ITU-T Q.931 table 4-11, octet 3a).
type Screening string

// The screenings.
const (
	NotScreened     Screening = "not-screened"     // user provided, not screened
	Verified        Screening = "verified"         // user provided, verified and passed
	NetworkProvided Screening = "network-provided" // the switch gave it
)

// Caller is who is calling.
type Caller struct {
	Number numbering.Written
	// Text is what was given in place of a number.
	Text         string
	Name         string
	Presentation Presentation
	Screening    Screening
	// Fields are the parts of the message that said so, such as From; empty where none did.
	Fields Fields
}

// Fields name the parts of a message that the parts of a caller came from.
type Fields struct {
	Number       string `json:"number,omitempty"`
	Name         string `json:"name,omitempty"`
	Presentation string `json:"presentation,omitempty"`
}

// Of is a caller of whom the number alone is known, in a format that is not.
func Of(n digits.Number) Caller { return Caller{Number: numbering.Written{Number: n}}.Settled() }

// Read reads a caller that was typed or written in a field: a number, or else a text that is none.
func Read(text string) (c Caller) {
	n, err := digits.ParseNumber(text)
	if err != nil {
		c.Text = text
	}
	c.Number.Number = n
	return c.Settled()
}

// anonymous is the user of an address that stands for one who is withheld (RFC 3323 section
// 4.1.1.3).
const anonymous = "anonymous"

// Settled is the caller with what follows where nothing was said: one who calls as anonymous is
// restricted, a number may be shown, and nobody has screened it.
func (c Caller) Settled() Caller {
	if c.Presentation == "" {
		switch {
		case strings.EqualFold(c.Text, anonymous):
			c.Presentation = Restricted
		case c.Number.Number.Empty():
			c.Presentation = Unavailable
		default:
			c.Presentation = Allowed
		}
	}
	if c.Screening == "" {
		c.Screening = NotScreened
	}
	return c
}

// Withheld tells whether the number and the name are kept from who is called.
func (c Caller) Withheld() bool { return c.Presentation == Restricted || c.Number.Number.Empty() }

// String is the number, or what was given in its place.
func (c Caller) String() string {
	if c.Number.Number.Empty() {
		return c.Text
	}
	return c.Number.Number.String()
}
