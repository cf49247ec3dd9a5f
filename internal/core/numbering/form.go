package numbering

import (
	"fmt"
	"strings"

	"switchback.example/switchback/internal/core/digits"
)

// Form says how a number is written. The zero Form is Unknown in effect: from
// it nothing is converted.
type Format string

// The forms of a number, per region.
const (
	E164          Format = "e164"          // + country code, national significant number
	E164Bare      Format = "e164-bare"     // the same without +
	International Format = "international" // as dialled abroad: 00… or 011…
	National      Format = "national"      // with the national prefix: 0… or 1…
	NationalBare  Format = "national-bare" // national significant number alone
	Local         Format = "local"         // without the area code
	Private       Format = "private"       // an extension
	AsDialled     Format = "as-dialled"    // whatever was keyed
	Unknown       Format = "unknown"
)

// Forms returns every form, in the order above.
func Formats() []Format {
	return []Format{E164, E164Bare, International, National, NationalBare, Local, Private, AsDialled, Unknown}
}

// Public tells whether the form places a number in the public numbering plan,
// so that it can be converted from and to.
func (f Format) Public() bool {
	switch f {
	case E164, E164Bare, International, National, NationalBare, Local:
		return true
	}
	return false
}

// maxE164 is the longest international number, in digits, its country code
// included (ITU-T E.164).
const maxE164 = 15

// Conversion is what became of a number that was to be put into a form.
type Conversion struct {
	Edit digits.Edit
	Form Format // of the result: the one wanted, or the old one if unchanged
	// Unchanged says why the number was left as it is; empty if it was
	// converted or already had the form.
	Unchanged Why
}

// Why is a reason in words, put together only when it is read. The zero Why is
// empty.
type Why struct {
	text string // with one %s for each word that is given
	a, b string
}

// Reason is a Why of plain words.
func Reason(text string) Why { return Why{text: text} }

func (w Why) String() string {
	s := strings.Replace(w.text, "%s", w.a, 1)
	return strings.Replace(s, "%s", w.b, 1)
}

// parts is what a number is in the public numbering plan: its body is put and
// then the number without its first drop symbols.
type parts struct {
	ok   bool
	home bool // the body is a national significant number; else it has its country code
	drop int
	put  string
}

// Convert puts a number that is written in form from into form to. What
// cannot be converted is left unchanged, and the conversion says why:
// emergency, short and */# numbers never are (model: numbers in flight).
func (r *Region) Convert(n digits.Number, from, to Format) Conversion {
	read := r.Read(n, from)
	after, why := r.Put(&read, to)
	return Conversion{Edit: digits.Rewritten(n, after.Number), Form: after.Format, Unchanged: why}
}

// Put is Convert on a number that was read already, for those who do not want
// to know what became of every symbol.
func (r *Region) Put(read *Reading, to Format) (after Written, why Why) {
	same := Written{read.number, read.form}
	switch {
	case read.form == to:
		return same, Why{}
	case !read.parts.ok:
		return same, read.why
	}
	n, why := r.write(read.number, &read.parts, to)
	if why.text != "" {
		return same, why
	}
	return Written{n, to}, Why{}
}

// Fits tells whether a number looks as a form demands; why says what is
// missing. It is the check of a number contract.
func (r *Region) Fits(n digits.Number, f Format) (ok bool, why Why) {
	p, why := r.split(n, f)
	return p.ok, why
}

// split reads a number in a public form.
func (r *Region) split(n digits.Number, f Format) (p parts, why Why) {
	if !n.Digits() {
		return p, Why{text: "contains symbols other than digits"}
	}
	switch f {
	case E164:
		if !n.Plus() {
			return p, Why{text: "an E.164 number begins with +"}
		}
		return r.abroad(n, 1)
	case E164Bare:
		return r.abroad(n, 0)
	case International:
		if !n.HasPrefix(r.International) {
			return p, Why{text: "an international number begins with %s here", a: r.International}
		}
		return r.abroad(n, len(r.International))
	case National:
		if !n.HasPrefix(r.National) || r.International != "" && n.HasPrefix(r.International) {
			return p, Why{text: "a national number begins with %s and not with %s here", a: r.National, b: r.International}
		}
		return r.domestic(n, len(r.National), "")
	case NationalBare:
		return r.domestic(n, 0, "")
	case Local:
		if r.Area == "" {
			return p, Why{text: "a subscriber number needs an area code in the region"}
		}
		return r.domestic(n, 0, r.Area)
	}
	return p, Why{text: "format is %s", a: string(orUnknown(f))}
}

var tooLong = Why{text: fmt.Sprintf("longer than the %d digits of E.164", maxE164)}

// abroad reads country code and national number behind some symbols.
func (r *Region) abroad(n digits.Number, drop int) (parts, Why) {
	body := n.From(drop)
	switch {
	case body.Empty() || body.HasPrefix("0") || body.Plus():
		return parts{}, Why{text: "no country code begins with 0"}
	case body.Len() > maxE164:
		return parts{}, tooLong
	case body.HasPrefix(r.CountryCode):
		return r.domestic(n, drop+len(r.CountryCode), "")
	}
	return parts{ok: true, drop: drop}, Why{}
}

// domestic reads a national significant number of the region: put, and what is
// behind some symbols.
func (r *Region) domestic(n digits.Number, drop int, put string) (parts, Why) {
	rest := n.From(drop)
	first := rest
	if put != "" {
		first, _ = digits.Number{}.Behind(put)
	}
	switch length := len(put) + rest.Len(); {
	case length == 0 || first.Plus() || rest.Plus():
		return parts{}, Why{text: "no national number"}
	case r.National != "" && !r.looseNational && first.HasPrefix(r.National):
		return parts{}, Why{text: "no national number here begins with the national prefix %s", a: r.National}
	case len(r.CountryCode)+length > maxE164:
		return parts{}, tooLong
	}
	return parts{ok: true, home: true, drop: drop, put: put}, Why{}
}

// write puts a number of the public plan into a form.
func (r *Region) write(n digits.Number, p *parts, to Format) (digits.Number, Why) {
	country := ""
	if p.home {
		country = r.CountryCode
	}
	body := n.From(p.drop)
	var out digits.Number
	ok := true
	switch {
	case to == E164:
		out, ok = body.Behind("+", country, p.put)
	case to == E164Bare:
		out, ok = body.Behind(country, p.put)
	case to == International:
		out, ok = body.Behind(r.International, country, p.put)
	case !to.Public():
		return out, Why{text: "no conversion to format %s", a: string(orUnknown(to))}
	case !p.home:
		return out, Why{text: "an international number has no format %s", a: string(to)}
	case to == National:
		out, ok = body.Behind(r.National, p.put)
	case to == NationalBare:
		out, ok = body.Behind(p.put)
	case r.Area != "" && p.put == r.Area:
		out = body
	case r.Area != "" && p.put == "" && body.HasPrefix(r.Area) && body.Len() > len(r.Area):
		out = body.From(len(r.Area))
	default:
		return out, Why{text: "the number is not in area %s", a: r.Area}
	}
	if !ok {
		return out, tooLong
	}
	return out, Why{}
}

func orUnknown(f Format) Format {
	if f == "" {
		return Unknown
	}
	return f
}

// Sketch shows how a number begins in a form, such as +44… or 0…, for numbers
// of the region or of other countries; for forms that do not tell it is the
// form's name.
func (r *Region) Sketch(f Format, home bool) string {
	lead, ok := r.lead(f, home)
	switch {
	case f == NationalBare && home:
		return r.Area + "…"
	case !ok || f == Local:
		return string(orUnknown(f))
	}
	return lead + "…"
}
