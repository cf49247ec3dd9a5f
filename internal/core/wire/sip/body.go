package sip

import (
	"bytes"
	"errors"
	"fmt"
	"io"
	"mime"
	"mime/multipart"
	"strings"
)

// Content is what a body says that was understood.
type Content struct {
	Type  string // of Bytes, in lower case and without parameters; empty if there is nothing
	Bytes []byte
}

// SDP is the type of session descriptions (RFC 4566 section 8.1).
const SDP = "application/sdp"

// BodyFault is why a body cannot be taken, as the response to its request says it.
type BodyFault struct {
	Status int         // 400, 415 or 488 (RFC 3261 sections 21.4.1, 21.4.13 and 21.4.26)
	Fields [][2]string // that say what would be taken
	why    string
}

func (f *BodyFault) Error() string { return f.why }

// MaxParts bounds the parts of a body.
const MaxParts = 16

// Understand reads the body of a message of which some types are understood. Of a body of
// several parts (RFC 2046 section 5.1, RFC 5621) it takes the one that is; what is not
// understood is passed over where its Content-Disposition says that it may be
// (handling=optional, RFC 3204 section 4), and refused otherwise.
func (m *Message) Understand(types ...string) (c Content, fault *BodyFault) {
	if len(m.Body) == 0 {
		return c, nil
	}
	if coding := strings.TrimSpace(m.Get("Content-Encoding")); coding != "" && !strings.EqualFold(coding, "identity") {
		return c, &BodyFault{415, [][2]string{{"Accept-Encoding", "identity"}}, fmt.Sprintf("the body is encoded by %s", coding)}
	}
	if !m.Has("Content-Type") {
		return c, &BodyFault{400, nil, "the body has no Content-Type (RFC 3261 section 20.15)"}
	}
	r := bodyReader{types: types}
	r.part(m.Get("Content-Type"), m.Get("Content-Disposition"), m.Body, 0)
	return r.found, r.fault
}

// bodyReader collects what is understood.
type bodyReader struct {
	types []string
	found Content
	parts int
	fault *BodyFault
}

func (r *bodyReader) bad(format string, args ...any) {
	if r.fault == nil {
		r.fault = &BodyFault{Status: 400, why: fmt.Sprintf(format, args...)}
	}
}

func (r *bodyReader) unsupported(format string, args ...any) {
	if r.fault == nil {
		r.fault = &BodyFault{415, [][2]string{{"Accept", strings.Join(append(r.types, "multipart/mixed", "multipart/alternative"), ", ")}}, fmt.Sprintf(format, args...)}
	}
}

func (r *bodyReader) part(kind, disposition string, b []byte, depth int) {
	if r.parts++; r.parts > MaxParts {
		r.bad("the body has more than %d parts", MaxParts)
		return
	}
	name, params, err := mime.ParseMediaType(kind)
	if err != nil && !errors.Is(err, mime.ErrInvalidMediaParameter) {
		r.bad("Content-Type %q cannot be read", kind)
		return
	}
	use, optional, err := disposed(disposition)
	switch {
	case err != nil:
		r.bad("Content-Disposition %q cannot be read", disposition)
	case name == "multipart/mixed" || name == "multipart/alternative":
		if depth > 1 {
			r.bad("the parts of the body have parts that have parts")
			return
		}
		r.several(name, params["boundary"], b, depth)
	case r.understands(name) && (use == "" || use == "session" || use == "signal" || use == "render"):
		r.take(name, b)
	case !optional:
		r.unsupported("a body of type %s for %q is not understood", name, use)
	}
}

// disposed reads a Content-Disposition: what a part is for, and whether it may be passed over.
func disposed(text string) (use string, optional bool, err error) {
	if strings.TrimSpace(text) == "" {
		return "", false, nil
	}
	use, params, err := mime.ParseMediaType(text)
	return use, strings.EqualFold(params["handling"], "optional"), err
}

func (r *bodyReader) understands(name string) bool {
	for _, t := range r.types {
		if t == name {
			return true
		}
	}
	return false
}

// take keeps a part. Two of them say different things of one session.
func (r *bodyReader) take(name string, b []byte) {
	if r.found.Type != "" && r.fault == nil {
		r.fault = &BodyFault{Status: 488, why: "the body has more than one part of what it can have one of"}
		return
	}
	r.found = Content{name, b}
}

// several reads the parts of a body: all of a mixed one, the last that is understood of
// alternatives (RFC 2046 section 5.1.4).
func (r *bodyReader) several(kind, boundary string, b []byte, depth int) {
	if boundary == "" || len(boundary) > 70 { // RFC 2046 section 5.1.1
		r.bad("the boundary of the parts is missing, or too long")
		return
	}
	parts := multipart.NewReader(bytes.NewReader(b), boundary)
	before, any := r.found, false
	for {
		p, err := parts.NextRawPart()
		if errors.Is(err, io.EOF) {
			break
		}
		var text []byte
		if err == nil {
			text, err = io.ReadAll(p)
		}
		if err != nil {
			r.bad("the parts of the body cannot be read: %s", err)
			return
		}
		any = true
		if coding := p.Header.Get("Content-Transfer-Encoding"); coding != "" && !isPlain(coding) {
			r.unsupported("a part of the body is encoded by %s", coding)
			return
		}
		if kind == "multipart/alternative" {
			one := bodyReader{types: r.types, parts: r.parts}
			one.part(typeOf(p), p.Header.Get("Content-Disposition"), text, depth+1)
			r.parts = one.parts
			if one.fault == nil && one.found.Type != "" {
				r.found = one.found
			}
			continue
		}
		r.part(typeOf(p), p.Header.Get("Content-Disposition"), text, depth+1)
	}
	switch {
	case !any:
		r.bad("the body has no parts")
	case kind == "multipart/alternative" && before.Type == r.found.Type && before.Type == "":
		r.unsupported("none of the alternatives of the body is understood")
	}
}

// typeOf is what a part is; plain text where it does not say (RFC 2046 section 5.1).
func typeOf(p *multipart.Part) string {
	if t := p.Header.Get("Content-Type"); t != "" {
		return t
	}
	return "text/plain"
}

// isPlain tells whether a transfer encoding leaves the bytes as they are (RFC 2045 section 6.2).
func isPlain(coding string) bool {
	switch strings.ToLower(strings.TrimSpace(coding)) {
	case "7bit", "8bit", "binary":
		return true
	}
	return false
}
