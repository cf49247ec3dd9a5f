package plan

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/numbering"
)

// EndState says whether the two ends of a trunk agree about something.
type EndState string

// The states.
const (
	EndsAgree  EndState = "agree"
	EndsDiffer EndState = "differ"
)

// EndRow is one thing that both ends must agree about.
type EndRow struct {
	What   string   `json:"what"`
	Ours   string   `json:"ours"`
	Theirs string   `json:"theirs"`
	State  EndState `json:"state" enum:"agree,differ"`
	Why    string   `json:"why,omitempty" doc:"What follows where they differ"`
	// Place is our setting, and Value what makes it agree; empty where no single one
	// does.
	Place string `json:"place,omitempty"`
	Value any    `json:"value,omitempty"`
	// TheirPlace is what would have to be changed over there, as OtherEnd names it, and
	// TheirValue to what; empty where no single thing does.
	TheirPlace string `json:"-"`
	TheirValue any    `json:"-"`
}

// Ends compares a trunk with what its other side is set to. What is not known of the
// other side is left out.
func (t Trunk) Ends(sw Switch, other OtherEnd) []EndRow {
	e := &ends{t: t, sw: sw, other: other}
	e.addresses()
	e.accounts()
	e.calls()
	e.sound()
	return e.rows
}

type ends struct {
	t     Trunk
	sw    Switch
	other OtherEnd
	rows  []EndRow
}

// add tells one thing. Without mend no single setting of ours does.
func (e *ends) add(known, agree bool, r EndRow, mend any) {
	if !known {
		return
	}
	r.State, r.Value = EndsDiffer, mend
	if mend == nil {
		r.Place = ""
	}
	if agree {
		r = EndRow{What: r.What, Ours: r.Ours, Theirs: r.Theirs, State: EndsAgree}
	}
	e.rows = append(e.rows, r)
}

func orWord(text, word string) string {
	if text == "" {
		return word
	}
	return text
}

func (e *ends) addresses() {
	s, o := e.t.SIP, e.other
	sheet := &sheet{t: e.t, sw: e.sw}
	at, _ := sheet.address()
	e.add(o.CallsTo != "", sameAddress(o.CallsTo, at), EndRow{
		What: "Their calls to us go to", Ours: at, Theirs: o.CallsTo, Why: "their calls do not come here; mend it over there, or give us that address",
		TheirPlace: "callsTo", TheirValue: at,
	}, nil)
	e.add(len(o.ListensOn) > 0 && s.Address != "", slices.ContainsFunc(o.ListensOn, func(a string) bool { return sameAddress(a, s.Address) }), EndRow{
		What: "Our calls to them go to", Ours: s.Address, Theirs: strings.Join(o.ListensOn, ", "), Why: "nobody listens there", Place: "sip/address",
		TheirPlace: "listensOn", TheirValue: append(slices.Clone(o.ListensOn), s.Address),
	}, first(o.ListensOn))
	if missing := e.untrusted(); s.NeededProof() != ProofCredential {
		trusted := append(slices.Clone(s.Trusted), missing...)
		e.add(len(o.ListensOn) > 0, len(missing) == 0, EndRow{
			What: "Their calls come from", Ours: orWord(strings.Join(s.Trusted, ", "), "nowhere that is trusted"), Theirs: strings.Join(o.ListensOn, ", "),
			Why: "calls from " + strings.Join(missing, ", ") + " are strangers here", Place: "sip/trusted",
		}, trusted)
	}
	ours := orWord(s.Transport, "udp")
	e.add(o.Transport != "", ours == o.Transport, EndRow{
		What: "Transport", Ours: ours, Theirs: o.Transport, Why: "one side speaks what the other does not listen for", Place: "sip/transport",
		TheirPlace: "transport", TheirValue: ours,
	}, o.Transport)
}

// untrusted are the other side's addresses from which calls are not trusted.
func (e *ends) untrusted() (list []string) {
	for _, text := range e.other.ListensOn {
		at, err := netip.ParseAddrPort(text)
		if err != nil {
			continue
		}
		if !slices.ContainsFunc(e.t.SIP.Trusted, func(trusted string) bool {
			trust, err := ParseTrust(trusted)
			return err == nil && trust.Takes(at)
		}) {
			list = append(list, at.Addr().String())
		}
	}
	return slices.Compact(list)
}

func (e *ends) accounts() {
	s, o := e.t.SIP, e.other
	who := map[string]string{"": "nobody", RegistersNobody: "nobody", RegistersThey: "they with us", RegistersWe: "we with them"}
	ours := orWord(s.Registers, RegistersNobody)
	e.add(o.Registers != "", ours == o.Registers, EndRow{
		What: "Who registers", Ours: who[ours], Theirs: who[o.Registers], Why: "a registration is waited for that never comes, or refused", Place: "sip/registers",
		TheirPlace: "registers", TheirValue: ours,
	}, o.Registers)
	e.add(o.User != "", slices.ContainsFunc(s.TheirAccounts, func(a Account) bool { return a.User == o.User }), EndRow{
		What: "Their name with us", Ours: users(s.TheirAccounts), Theirs: o.User, Why: "we know no such account",
		TheirPlace: firstUser("user", s.TheirAccounts), TheirValue: users(s.TheirAccounts),
	}, nil)
	e.add(o.OurUser != "", slices.ContainsFunc(s.OurAccounts, func(a Account) bool { return a.User == o.OurUser }), EndRow{
		What: "Our name with them", Ours: users(s.OurAccounts), Theirs: o.OurUser, Why: "they know no such account",
		TheirPlace: firstUser("ourUser", s.OurAccounts), TheirValue: users(s.OurAccounts),
	}, nil)
}

// firstUser is the place of a name over there, if one account alone could be meant.
func firstUser(place string, list []Account) string {
	if len(list) == 1 {
		return place
	}
	return ""
}

// takes is the place of the form that they take, if we ask for one.
func takes(form numbering.Form) string {
	if form == "" {
		return ""
	}
	return "takes"
}

func users(list []Account) string {
	var names []string
	for _, a := range list {
		names = append(names, a.User)
	}
	return orWord(strings.Join(names, ", "), "none")
}

func (e *ends) calls() {
	o := e.other
	e.add(o.Channels > 0, e.t.Channels == o.Channels, EndRow{
		What: "Calls at one time", Ours: fmt.Sprint(e.t.Channels), Theirs: fmt.Sprint(o.Channels),
		Why: "the side with more offers calls that the other refuses", Place: "channels",
		TheirPlace: "channels", TheirValue: e.t.Channels,
	}, o.Channels)
	e.add(o.Gives != "", orForm(e.t.In.Called, numbering.AsDialled) == o.Gives, EndRow{
		What: "Called numbers, from them", Ours: string(orForm(e.t.In.Called, numbering.AsDialled)), Theirs: string(o.Gives),
		Why: "their numbers are read as others than they are", Place: "in/called",
		TheirPlace: "gives", TheirValue: string(orForm(e.t.In.Called, numbering.AsDialled)),
	}, string(o.Gives))
	e.add(o.Takes != "", e.t.Out.Called.Home == o.Takes, EndRow{
		What: "Called numbers, to them", Ours: orWord(string(e.t.Out.Called.Home), "as they are"), Theirs: string(o.Takes),
		Why: "they refuse what they do not read (404, or 484)", Place: "out/called/home",
		TheirPlace: takes(e.t.Out.Called.Home), TheirValue: string(e.t.Out.Called.Home),
	}, string(o.Takes))
}

func orForm(f, otherwise numbering.Form) numbering.Form {
	if f == "" {
		return otherwise
	}
	return f
}

func (e *ends) sound() {
	m, o := e.t.Media, e.other
	common := func(c string) bool {
		return slices.ContainsFunc(o.Codecs, func(x string) bool { return strings.EqualFold(x, c) })
	}
	e.add(len(o.Codecs) > 0, len(m.Codecs) == 0 || slices.ContainsFunc(m.Codecs, common), EndRow{
		What: "Codecs", Ours: orWord(strings.Join(m.Codecs, ", "), "all"), Theirs: strings.Join(o.Codecs, ", "), Why: "none is left: 488", Place: "media/codecs",
		TheirPlace: "codecs", TheirValue: m.Codecs,
	}, o.Codecs)
	e.add(o.ComfortNoise != "", o.ComfortNoise == MediaPass || m.ComfortNoise == MediaRemove, EndRow{
		What: "Comfort noise", Ours: orWord(m.ComfortNoise, MediaPass), Theirs: o.ComfortNoise, Why: "they refuse calls that offer it", Place: "media/comfortNoise",
		TheirPlace: "comfortNoise", TheirValue: MediaPass,
	}, MediaRemove)
	ours := orWord(m.Encryption, "none")
	e.add(o.Encryption != "", ours == o.Encryption, EndRow{
		What: "Encryption", Ours: ours, Theirs: o.Encryption, Why: "one side offers what the other refuses: 488", Place: "media/encryption",
		TheirPlace: "encryption", TheirValue: ours,
	}, strings.TrimPrefix(o.Encryption, "none"))
}

func first(list []string) any {
	if len(list) == 0 {
		return nil
	}
	return list[0]
}

// sameAddress compares an address with a port, 5060 if it has none.
func sameAddress(a, b string) bool {
	read := func(text string) netip.AddrPort {
		if at, err := netip.ParseAddrPort(text); err == nil {
			return at
		}
		addr, _ := netip.ParseAddr(text)
		return netip.AddrPortFrom(addr, 5060)
	}
	return a == b || read(a).IsValid() && read(a) == read(b)
}
