package sip

import (
	"cmp"
	"slices"
	"strconv"
	"strings"
)

// Diversion is one diversion of a call before it came here: who was called, and
// why that one sent it on. It is written in two ways, of which RFC 5806 is the older
// one and RFC 7044 the standard; RFC 7544 maps each on the other.
type Diversion struct {
	From   URI    // who was called and sent it on
	Reason string // one of the reasons of RFC 5806; unknown if none is said
	// Count is how many diversions the entry stands for; at least 1.
	Count int
	// Hidden says that the number is not to be shown.
	Hidden bool
}

// diversionCauses are the reasons of RFC 5806 and the causes of RFC 4458 that stand for them
// (RFC 7544 section 7). What is in no row is 404 one way and unknown the other.
var diversionCauses = []struct {
	reason string
	cause  int
}{
	{"unknown", 404}, {"user-busy", 486}, {"no-answer", 408}, {"unconditional", 302},
	{"deflection", 480}, {"deflection", 487}, {"unavailable", 503},
}

func diversionCause(reason string) int {
	for _, r := range diversionCauses {
		if r.reason == reason {
			return r.cause
		}
	}
	return 404
}

func diversionReason(cause string) string {
	for _, r := range diversionCauses {
		if strconv.Itoa(r.cause) == cause {
			return r.reason
		}
	}
	return "unknown"
}

// Diversions reads how a call was diverted, the last one first: from Diversion
// (RFC 5806 section 9) or, without it, from History-Info (RFC 7044). What cannot be
// read is left out. header names the field that they came from; empty if none did.
func Diversions(m *Message) (list []Diversion, header string) {
	for _, text := range m.All("Diversion") {
		if d, ok := readDiversion(text); ok {
			list = append(list, d)
		}
	}
	if len(list) > 0 {
		return list, "Diversion"
	}
	if list = fromHistory(m.All("History-Info")); len(list) > 0 {
		return list, "History-Info"
	}
	return nil, ""
}

func readDiversion(text string) (d Diversion, ok bool) {
	a, err := ReadAddress(text)
	if err != nil {
		return d, false
	}
	d = Diversion{From: a.URI, Reason: "unknown", Count: 1}
	if reason, ok := a.Params.Get("reason"); ok && reason != "" {
		d.Reason = strings.ToLower(Unquote(reason))
	}
	if text, ok := a.Params.Get("counter"); ok {
		if n, err := strconv.Atoi(text); err == nil && n > 0 {
			d.Count = min(n, maxDiversionCount)
		}
	}
	privacy, _ := a.Params.Get("privacy")
	d.Hidden = privacy != "" && !strings.EqualFold(Unquote(privacy), "off")
	return d, true
}

// maxDiversionCount bounds what a counter is believed to say.
const maxDiversionCount = 100

// String writes a value of Diversion.
func (d Diversion) String() string {
	privacy := "off"
	if d.Hidden {
		privacy = "full"
	}
	return Address{URI: d.From, Params: Params{
		{Name: "reason", Value: d.Reason, HasValue: true},
		{Name: "counter", Value: strconv.Itoa(max(1, d.Count)), HasValue: true},
		{Name: "privacy", Value: privacy, HasValue: true},
	}}.String()
}

// historyEntry is a value of History-Info.
type historyEntry struct {
	uri    URI
	index  string // such as 1.1
	from   string // the index that mp or rc names; empty if neither is there
	cause  string // of the URI (RFC 4458); empty if none
	hidden bool
}

func readHistory(text string) (h historyEntry, ok bool) {
	a, err := ReadAddress(text)
	if err != nil {
		return h, false
	}
	h.uri = a.URI
	h.index, _ = a.Params.Get("index")
	if from, ok := a.Params.Get("mp"); ok {
		h.from = from
	}
	h.cause, _ = h.uri.Params.Get("cause")
	h.uri.Params = slices.DeleteFunc(slices.Clone(h.uri.Params), func(p Param) bool { return strings.EqualFold(p.Name, "cause") })
	h.hidden = strings.Contains(strings.ToLower(h.uri.Header), "privacy=history")
	h.uri.Header = ""
	return h, h.index != ""
}

// fromHistory is each diversion of a history: where a URI has a cause, the entry that it
// was mapped from was called, and sent the call on (RFC 7544 section 5).
func fromHistory(values []string) (list []Diversion) {
	var all []historyEntry
	for _, text := range values {
		if h, ok := readHistory(text); ok {
			all = append(all, h)
		}
	}
	slices.SortStableFunc(all, func(a, b historyEntry) int { return compareIndex(a.index, b.index) })
	for i := len(all) - 1; i > 0; i-- {
		to := all[i]
		if to.cause == "" {
			continue
		}
		from := all[i-1]
		if at := slices.IndexFunc(all[:i], func(h historyEntry) bool { return h.index == to.from }); at >= 0 {
			from = all[at]
		}
		list = append(list, Diversion{From: from.uri, Reason: diversionReason(to.cause), Count: 1, Hidden: from.hidden})
	}
	return list
}

// compareIndex puts 1.2 before 1.10.
func compareIndex(a, b string) int {
	x, y := strings.Split(a, "."), strings.Split(b, ".")
	return slices.CompareFunc(x, y, func(p, q string) int {
		m, errM := strconv.Atoi(p)
		n, errN := strconv.Atoi(q)
		if errM != nil || errN != nil {
			return strings.Compare(p, q)
		}
		return cmp.Compare(m, n)
	})
}

// History writes diversions, the last one first, as the values of History-Info, the
// oldest first; to is where the call goes now.
func History(list []Diversion, to URI) []string {
	var out []string
	index, why := "1", ""
	add := func(u URI, hidden bool) {
		if why != "" {
			u.Params = append(slices.Clone(u.Params), Param{Name: "cause", Value: why, HasValue: true})
		}
		if hidden {
			u.Header = "Privacy=history"
		}
		a := Address{URI: u, Params: Params{{Name: "index", Value: index, HasValue: true}}}
		if len(out) > 0 {
			a.Params = append(a.Params, Param{Name: "mp", Value: strings.TrimSuffix(index, ".1"), HasValue: true})
		}
		out = append(out, a.String())
	}
	for i := len(list) - 1; i >= 0; i-- {
		add(list[i].From, list[i].Hidden)
		why = strconv.Itoa(diversionCause(list[i].Reason))
		index += ".1"
	}
	if len(list) > 0 {
		add(to, false)
	}
	return out
}
