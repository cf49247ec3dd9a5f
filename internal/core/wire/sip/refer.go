package sip

import (
	"errors"
	"fmt"
	"net/url"
	"strings"
)

// Replaces says which dialog a call takes the place of (RFC 3891 section 6.1). The
// tags are as whom it is sent to knows them: ToTag its own, FromTag the other side's.
type Replaces struct {
	CallID, ToTag, FromTag string
	EarlyOnly              bool
}

// ReadReplaces reads the value of Replaces.
func ReadReplaces(text string) (r Replaces, err error) {
	id, rest, _ := strings.Cut(text, ";")
	params := readParams(rest)
	r.CallID = strings.TrimSpace(id)
	r.ToTag, _ = params.Get("to-tag")
	r.FromTag, _ = params.Get("from-tag")
	_, r.EarlyOnly = params.Get("early-only")
	if r.CallID == "" || r.ToTag == "" || r.FromTag == "" {
		return r, fmt.Errorf("%q does not name a dialog by its Call-ID, to-tag and from-tag", text)
	}
	return r, nil
}

// String writes the value of Replaces.
func (r Replaces) String() string {
	text := r.CallID + ";to-tag=" + r.ToTag + ";from-tag=" + r.FromTag
	if r.EarlyOnly {
		text += ";early-only"
	}
	return text
}

// ErrOneReferTo says that a REFER names no place, or several (RFC 3515 section 2.4.1).
var ErrOneReferTo = errors.New("a REFER has exactly one Refer-To")

// ReadReferTo reads where a REFER wants the call to go, and which call there it is to
// take the place of; nil if none. Other header fields that the URI wants are left out.
func ReadReferTo(m *Message) (to URI, replaces *Replaces, err error) {
	var values []string
	for _, f := range m.Fields {
		if f.Is("Refer-To") {
			values = append(values, f.Value)
		}
	}
	if len(values) != 1 {
		return to, nil, ErrOneReferTo
	}
	a, err := ReadAddress(values[0])
	if err != nil {
		return to, nil, fmt.Errorf("Refer-To: %w", err)
	}
	to = a.URI
	if method, ok := to.Params.Get("method"); ok && !strings.EqualFold(method, "INVITE") {
		return to, nil, fmt.Errorf("Refer-To method %s is not supported; only INVITE is", method)
	}
	for _, h := range strings.Split(to.Header, "&") {
		name, value, _ := strings.Cut(h, "=")
		if !strings.EqualFold(name, "Replaces") {
			continue
		}
		text, err := url.PathUnescape(value)
		if err != nil {
			return to, nil, fmt.Errorf("Refer-To: %w", err)
		}
		r, err := ReadReplaces(text)
		if err != nil {
			return to, nil, fmt.Errorf("Refer-To: %w", err)
		}
		replaces = &r
	}
	to.Header = ""
	return to, replaces, nil
}
