package sip

import (
	"strings"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// Who is calling, in SIP: From, and between switches of ours, which trust each other,
// P-Asserted-Identity (RFC 3325); Privacy says what is to be withheld (RFC 3323).

// callerIn reads who calls. Identity that is asserted counts from a switch of ours alone.
func callerIn(req *wire.Message, trunk *plan.Trunk) callerid.Caller {
	from, _ := wire.ReadAddress(req.Get("From")) // verified
	c := callerOf(from)
	c.Fields = callerid.Fields{Number: "From", Name: "From", Presentation: "From"}
	if trunk.OppositeTrunk != "" {
		if asserted, err := wire.ReadAddress(req.Get("P-Asserted-Identity")); err == nil {
			kept := c.Presentation
			c = callerOf(asserted)
			c.Presentation = kept
			c.Fields = callerid.Fields{Number: "P-Asserted-Identity", Name: "P-Asserted-Identity", Presentation: "From"}
		}
	}
	if withheld(req) {
		c.Presentation, c.Fields.Presentation = callerid.Restricted, "Privacy"
	}
	if c.Name == "" {
		c.Fields.Name = ""
	}
	return c
}

func callerOf(a wire.Address) callerid.Caller {
	text, _ := telephone(a.URI)
	c := callerid.Read(text)
	c.Name = a.Name
	return c
}

// withheld tells whether Privacy asks that the number is not shown: by id (RFC 3325 section 9.3),
// or by user or header, which cover what names the caller (RFC 3323 section 4.2).
func withheld(req *wire.Message) bool {
	for _, line := range req.All("Privacy") {
		for _, v := range strings.Split(line, ";") {
			switch strings.ToLower(strings.TrimSpace(v)) {
			case "id", "user", "header":
				return true
			}
		}
	}
	return false
}

// present writes who calls. The number of one who is withheld goes to a switch of ours alone.
func (a *Agent) present(req *wire.Message, t *plan.Trunk, c callerid.Caller) {
	if !c.Withheld() {
		req.Add("From", a.callerURI(t, c).String())
		return
	}
	from := wire.Address{Name: c.Name, URI: wire.URI{Scheme: "sip", User: "anonymous", Host: "anonymous.invalid"}} // RFC 3323 section 4.1.1.3
	keeps := t.OppositeTrunk != "" && !c.Number.Number.Empty()
	if from.Name == "" || keeps {
		from.Name = "Anonymous"
	}
	req.Add("From", tagged(from).String())
	if keeps {
		asserted := a.callerURI(t, c)
		asserted.Params = nil
		req.Add("P-Asserted-Identity", asserted.String())
	}
	if c.Presentation == callerid.Restricted {
		req.Add("Privacy", "id")
	}
}

// callerURI is the From of a caller who is shown.
func (a *Agent) callerURI(t *plan.Trunk, c callerid.Caller) wire.Address {
	w := c.Number
	from := tagged(wire.Address{Name: c.Name, URI: a.numberOfOurs(t, w)})
	switch t.Link.SIP.NumberURI {
	case plan.NumbersTel:
		from.URI = wire.URI{Scheme: "tel", Opaque: telNumber(userPart(w), w, from.URI.Host)}
	case plan.NumbersUserPhone:
		from.URI.Params = wire.Params{{Name: "user", Value: "phone", HasValue: true}}
	}
	return from
}

func tagged(a wire.Address) wire.Address {
	a.Params = wire.Params{{Name: "tag", Value: newID(), HasValue: true}}
	return a
}
