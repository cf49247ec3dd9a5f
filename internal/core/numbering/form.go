package numbering

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/digits"
)

// Form says how a number is written. The zero Form is Unknown in effect: from
// it nothing is converted.
type Form string

// The forms of a number, per region.
const (
	E164          Form = "e164"          // + country code, national significant number
	E164Bare      Form = "e164-bare"     // the same without +
	International Form = "international" // as dialled abroad: 00… or 011…
	National      Form = "national"      // with the national prefix: 0… or 1…
	NationalBare  Form = "national-bare" // national significant number alone
	Local         Form = "local"         // without the area code
	Private       Form = "private"       // an extension
	AsDialled     Form = "as-dialled"    // whatever was keyed
	Unknown       Form = "unknown"
)

// Forms returns every form, in the order above.
func Forms() []Form {
	return []Form{E164, E164Bare, International, National, NationalBare, Local, Private, AsDialled, Unknown}
}

// Public tells whether the form places a number in the public numbering plan,
// so that it can be converted from and to.
func (f Form) Public() bool {
	return slices.Index(Forms(), f) >= 0 && slices.Index(Forms(), f) <= slices.Index(Forms(), Local)
}

// maxE164 is the longest international number, in digits, its country code
// included (ITU-T E.164).
const maxE164 = 15

// Conversion is what became of a number that was to be put into a form.
type Conversion struct {
	Edit digits.Edit
	Form Form // of the result: the one wanted, or the old one if unchanged
	// Unchanged says why the number was left as it is; empty if it was
	// converted or already had the form.
	Unchanged string
}

// split number: what a number is in the public numbering plan.
type parts struct {
	home bool
	body string // home: national significant number; else country code + number
}

// Convert puts a number that is written in form from into form to. What
// cannot be converted is left unchanged, and the conversion says why:
// emergency, short and */# numbers never are (model: numbers in flight).
func (r Region) Convert(n digits.Number, from, to Form) Conversion {
	leave := func(why string) Conversion {
		return Conversion{Edit: digits.Rewritten(n, n), Form: from, Unchanged: why}
	}
	if from == to {
		return leave("")
	}
	switch r.Classify(n, from) {
	case Emergency:
		return leave("emergency numbers are never converted")
	case Short:
		return leave("short and service numbers are never converted")
	}
	p, why := r.split(n, from)
	if p == nil {
		return leave(why)
	}
	text, why := r.write(p, to)
	if why != "" {
		return leave(why)
	}
	after, err := digits.ParseNumber(text)
	if err != nil {
		return leave(err.Error())
	}
	return Conversion{Edit: digits.Rewritten(n, after), Form: to}
}

// Fits tells whether a number looks as a form demands; why says what is
// missing. It is the check of a number contract.
func (r Region) Fits(n digits.Number, f Form) (ok bool, why string) {
	p, why := r.split(n, f)
	return p != nil, why
}

// split reads a number in a public form.
func (r Region) split(n digits.Number, f Form) (p *parts, why string) {
	s := n.String()
	if strings.Trim(strings.TrimPrefix(s, "+"), "0123456789") != "" {
		return nil, "only digits can be converted"
	}
	switch f {
	case E164:
		rest, ok := strings.CutPrefix(s, "+")
		if !ok {
			return nil, "an E.164 number begins with +"
		}
		return r.abroad(rest)
	case E164Bare:
		return r.abroad(s)
	case International:
		rest, ok := strings.CutPrefix(s, r.International)
		if !ok {
			return nil, fmt.Sprintf("an international number begins with %s here", r.International)
		}
		return r.abroad(rest)
	case National:
		rest, ok := strings.CutPrefix(s, r.National)
		if !ok || strings.HasPrefix(s, r.International) {
			return nil, fmt.Sprintf("a national number begins with %s and not with %s here", r.National, r.International)
		}
		return r.domestic(rest)
	case NationalBare:
		return r.domestic(s)
	case Local:
		if r.Area == "" {
			return nil, "the region has no area code, which a local number needs"
		}
		return r.domestic(r.Area + s)
	}
	return nil, fmt.Sprintf("the form of the number is %s", orUnknown(f))
}

// abroad reads country code and national number.
func (r Region) abroad(s string) (*parts, string) {
	switch {
	case s == "" || s[0] == '0' || s[0] == '+':
		return nil, "no country code begins with 0"
	case len(s) > maxE164:
		return nil, fmt.Sprintf("longer than the %d digits of E.164", maxE164)
	}
	if nsn, ok := strings.CutPrefix(s, r.CountryCode); ok {
		return r.domestic(nsn)
	}
	return &parts{body: s}, ""
}

// domestic reads a national significant number of the region.
func (r Region) domestic(nsn string) (*parts, string) {
	switch {
	case nsn == "" || nsn[0] == '+':
		return nil, "no national number"
	case strings.HasPrefix(nsn, r.National):
		return nil, fmt.Sprintf("no national number here begins with the national prefix %s", r.National)
	case len(r.CountryCode)+len(nsn) > maxE164:
		return nil, fmt.Sprintf("longer than the %d digits of E.164", maxE164)
	}
	return &parts{home: true, body: nsn}, ""
}

// write puts a number of the public plan into a form.
func (r Region) write(p *parts, to Form) (text, why string) {
	full := p.body
	if p.home {
		full = r.CountryCode + p.body
	}
	switch {
	case to == E164:
		return "+" + full, ""
	case to == E164Bare:
		return full, ""
	case to == International:
		return r.International + full, ""
	case !to.Public():
		return "", fmt.Sprintf("nothing can be converted to the form %s", orUnknown(to))
	case !p.home:
		return "", fmt.Sprintf("a number of another country has no form %s", to)
	case to == National:
		return r.National + p.body, ""
	case to == NationalBare:
		return p.body, ""
	}
	subscriber, ok := strings.CutPrefix(p.body, r.Area)
	if !ok || r.Area == "" {
		return "", fmt.Sprintf("the number is not in area %s", r.Area)
	}
	return subscriber, ""
}

func orUnknown(f Form) Form {
	if f == "" {
		return Unknown
	}
	return f
}

// Sketch shows how a number begins in a form, such as +44… or 0…, for numbers
// of the region or of other countries; for forms that do not tell it is the
// form's name.
func (r Region) Sketch(f Form, home bool) string {
	lead, ok := r.lead(f, home)
	switch {
	case f == NationalBare && home:
		return r.Area + "…"
	case !ok || f == Local:
		return string(orUnknown(f))
	}
	return lead + "…"
}
