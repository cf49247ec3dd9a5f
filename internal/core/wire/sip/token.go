package sip

import "strings"

// inToken are the characters of a token: letters, digits and -.!%*_+`'~ (RFC
// 3261 section 25.1).
var inToken = func() (t [256]bool) {
	for _, c := range "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-.!%*_+`'~" {
		t[c] = true
	}
	return t
}()

// IsToken tells whether s is a token.
func IsToken(s string) bool {
	for i := range len(s) {
		if !inToken[s[i]] {
			return false
		}
	}
	return s != ""
}

// SplitList splits a list at its commas, outside quoted strings and <>.
func SplitList(s string) []string {
	if !strings.Contains(s, ",") {
		return []string{s}
	}
	var out []string
	for part := range splitOutside(s, ',') {
		out = append(out, strings.TrimSpace(part))
	}
	return out
}

// splitOutside yields the parts of s between separators that stand neither in a
// quoted string nor in <>.
func splitOutside(s string, separator byte) func(func(string) bool) {
	return func(yield func(string) bool) {
		start, quoted, angled := 0, false, false
		for i := 0; i < len(s); i++ {
			switch c := s[i]; {
			case quoted && c == '\\':
				i++
			case c == '"':
				quoted = !quoted
			case quoted:
			case c == '<':
				angled = true
			case c == '>':
				angled = false
			case c == separator && !angled:
				if !yield(s[start:i]) {
					return
				}
				start = i + 1
			}
		}
		yield(s[start:])
	}
}

// Unquote takes the quotes and escapes off a quoted string; other text is
// returned as it is.
func Unquote(s string) string {
	if len(s) < 2 || s[0] != '"' || s[len(s)-1] != '"' {
		return s
	}
	var b strings.Builder
	for i := 1; i < len(s)-1; i++ {
		if s[i] == '\\' && i < len(s)-2 {
			i++
		}
		b.WriteByte(s[i])
	}
	return b.String()
}

// Quote writes a quoted string.
func Quote(s string) string {
	return `"` + strings.NewReplacer(`\`, `\\`, `"`, `\"`).Replace(s) + `"`
}

// Param is one ;name=value or, without a value, ;name.
type Param struct {
	Name, Value string
	HasValue    bool
}

// Params are parameters in order. Names are compared without case.
type Params []Param

// readParams reads what stands behind the first semicolon.
func readParams(s string) Params {
	if s == "" {
		return nil
	}
	out := make(Params, 0, 1+strings.Count(s, ";"))
	for part := range splitOutside(s, ';') {
		part = strings.TrimSpace(part)
		if part == "" {
			continue
		}
		name, value, has := strings.Cut(part, "=")
		out = append(out, Param{strings.TrimSpace(name), strings.TrimSpace(value), has})
	}
	return out
}

// Get returns a parameter's value, without quotes; ok is false if it is not
// there.
func (p Params) Get(name string) (value string, ok bool) {
	for _, q := range p {
		if strings.EqualFold(q.Name, name) {
			return Unquote(q.Value), true
		}
	}
	return "", false
}

// With returns the parameters with one given a value; the rest as it was.
func (p Params) With(name, value string) Params {
	out := append(Params(nil), p...)
	for i := range out {
		if strings.EqualFold(out[i].Name, name) {
			out[i].Value, out[i].HasValue = value, true
			return out
		}
	}
	return append(out, Param{name, value, true})
}

// String writes the parameters, each behind a semicolon.
func (p Params) String() string {
	var b strings.Builder
	for _, q := range p {
		b.WriteByte(';')
		b.WriteString(q.Name)
		if q.HasValue {
			b.WriteByte('=')
			b.WriteString(q.Value)
		}
	}
	return b.String()
}
