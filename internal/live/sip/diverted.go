package sip

import (
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
)

// From where a call was diverted (RFC 5806, RFC 7044), both ways.

// diversionsIn are those that a request says the call had, the last one first.
func diversionsIn(m *wire.Message) []decide.Diversion {
	list, _ := wire.Diversions(m)
	out := make([]decide.Diversion, 0, len(list))
	for _, d := range list {
		text, _ := telephone(d.From)
		number, _ := digits.ParseNumber(text) // empty if it is none
		out = append(out, decide.Diversion{Number: number, Reason: d.Reason, Hidden: d.Hidden})
	}
	return out
}

// redirecting says in a request from where the call was diverted, as the trunk wants
// to be told.
func (a *Agent) redirecting(req *wire.Message, o decide.Offer) {
	if len(o.Diverted) == 0 {
		return
	}
	list := make([]wire.Diversion, len(o.Diverted))
	for i, d := range o.Diverted {
		list[i] = wire.Diversion{From: a.numberOfOurs(o.Trunk, d.Number), Reason: d.Reason, Count: 1, Hidden: d.Hidden}
	}
	how := o.Trunk.Services.Redirecting
	if how != plan.RedirectingHistory {
		for _, d := range list {
			req.Add("Diversion", d.String())
		}
	}
	if how != plan.RedirectingDiversion {
		to, _ := wire.ReadURI(req.URI) // ours
		for _, h := range wire.History(list, to) {
			req.Add("History-Info", h)
		}
	}
}

// numberOfOurs is the URI of a number at this switch, as the far end of a trunk sees it.
func (a *Agent) numberOfOurs(t *plan.Trunk, w numbering.Written) wire.URI {
	at := a.seen(t, udp)
	host := at.Addr().String()
	if t.Link.SIP.PublicName != "" {
		host = t.Link.SIP.PublicName
	}
	return wire.URI{Scheme: "sip", User: userPart(w), Host: host, Port: int(at.Port())}
}

// movedTo is the first number to which a 3xx answer sends the call, and why.
func movedTo(res *wire.Message) (to digits.Number, why string) {
	for _, contact := range res.All("Contact") {
		a, err := wire.ReadAddress(contact)
		if err != nil {
			continue
		}
		text, _ := telephone(a.URI)
		if n, err := digits.ParseNumber(text); err == nil && !n.Empty() {
			if list, _ := wire.Diversions(res); len(list) > 0 {
				why = list[0].Reason
			}
			return n, why
		}
	}
	return to, ""
}
