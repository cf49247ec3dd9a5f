package record

import (
	"bytes"
	"strings"

	"switchback.example/switchback/internal/core/wire/sip"
)

// Decoded is what a message says, as far as records show it, whatever its protocol.
type Decoded struct {
	// Label names it, such as INVITE or 180 Ringing; Status is that of a response, 0 for a request.
	Label  string
	Status int
	// Key is how its protocol names its leg; Party is who it says that it is from.
	Key, Party string
	// Means is what it means for its leg, and Sessions are the names of its call that all its legs
	// share (RFC 7989).
	Means    Meaning
	Sessions []string
	// Media is what its description says of the audio; nil if it has none.
	Media *Audio
	// Fields are its parts, each with its place in the bytes.
	Fields []Field
	// Fault says what could not be read.
	Fault string
}

// Field is a part of a message. Offset and Length are its whole line or element, in bytes.
type Field struct {
	Name, Value    string
	Offset, Length int
}

// decoders read the messages of the protocols. A message that names none is one of SIP: what was
// recorded before messages named theirs.
var decoders = map[string]func([]byte) Decoded{"": decodeSIP, "sip": decodeSIP}

// Decode reads a message. One of a protocol that is not known has a fault and nothing else.
func (m Message) Decode() Decoded {
	decode := decoders[m.Protocol]
	if decode == nil {
		return Decoded{Label: "unreadable", Fault: "no decoder reads " + m.Protocol}
	}
	return decode(m.Bytes)
}

func decodeSIP(b []byte) (d Decoded) {
	h, err := sip.ReadHead(b)
	if err != nil {
		d.Fault = err.Error()
	}
	d.Key, d.Status = h.CallID, h.Status
	switch {
	case h.Status != 0:
		d.Label = strings.TrimPrefix(h.StartLine, "SIP/2.0 ")
	case h.Method != "":
		d.Label = h.Method
	default:
		d.Label = "unreadable"
	}
	var body []byte
	d.Fields, body = fieldsOfSIP(b)
	within := false
	for _, f := range d.Fields {
		switch strings.ToLower(f.Name) {
		case "from", "f":
			d.Party = f.Value
		case "to", "t":
			within = strings.Contains(f.Value, ";tag=")
		case "session-id":
			d.Sessions = sessionsIn(f.Value)
		}
	}
	d.Means = meaningOf(h, within)
	d.Media = ReadMedia(body)
	return d
}

// meaningOf is what a SIP message means for its leg; within tells whether its To has a tag.
func meaningOf(h sip.Head, within bool) Meaning {
	switch {
	case h.Status == 0 && h.Method == "INVITE" && !within:
		return Begins
	case h.Status == 0 && h.Method == "CANCEL":
		return Withdraws
	case h.Status == 0 && h.Method == "BYE":
		return Ends
	case h.Method != "INVITE" || h.Status <= 100:
		return ""
	case h.Status < 200:
		return Rings
	case h.Status < 300:
		return Answers
	case h.Status == 401 || h.Status == 407: // asked again with a credential
		return ""
	}
	return Refuses
}

// sessionsIn are the names in a Session-ID (RFC 7989 section 5): of who sends it, and of the other
// side, where that is known.
func sessionsIn(value string) (names []string) {
	local, rest, _ := strings.Cut(value, ";")
	for _, name := range append([]string{local}, strings.Split(rest, ";")...) {
		name = strings.TrimPrefix(strings.TrimSpace(name), "remote=")
		if len(name) == 32 && strings.Trim(name, "0") != "" {
			names = append(names, name)
		}
	}
	return names
}

// fieldsOfSIP are the start line, as a field without a name, and the fields of the header, folded
// lines together (RFC 3261 section 7.3.1); body is what follows the empty line.
func fieldsOfSIP(b []byte) (fields []Field, body []byte) {
	for at := 0; at < len(b); {
		end := len(b)
		if n := bytes.IndexByte(b[at:], '\n'); n >= 0 {
			end = at + n + 1
		}
		line := strings.TrimRight(string(b[at:end]), "\r\n")
		switch folded := line != "" && (line[0] == ' ' || line[0] == '\t'); {
		case line == "" && len(fields) > 0:
			return fields, b[end:]
		case line == "": // empty lines in front (section 7.5)
		case folded && len(fields) > 1:
			last := &fields[len(fields)-1]
			last.Value, last.Length = strings.TrimSpace(last.Value+" "+strings.TrimSpace(line)), end-last.Offset
		case len(fields) == 0:
			fields = append(fields, Field{"", line, at, end - at})
		default:
			name, value, _ := strings.Cut(line, ":")
			fields = append(fields, Field{strings.TrimSpace(name), strings.TrimSpace(value), at, end - at})
		}
		at = end
	}
	return fields, nil
}
