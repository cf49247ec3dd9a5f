package plan

import (
	"fmt"
	"slices"
	"strings"

	"switchback.example/switchback/internal/core/numbering"
)

// EndState says whether the two ends of a trunk agree about something.
type EndState string

// The states.
const (
	EndsMatch  EndState = "match"
	EndsDiffer EndState = "differ"
)

// EndRow is one thing that both ends must agree about.
type EndRow struct {
	What        string   `json:"what"`
	SwitchValue string   `json:"switchValue"`
	FarEndValue string   `json:"farEndValue"`
	State       EndState `json:"state" enum:"match,differ"`
	Why         string   `json:"why,omitempty" doc:"What follows where they differ"`
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
func (t Trunk) Ends(sw Switch, other FarEndSettings) []EndRow {
	e := &ends{t: t, sw: sw, other: other}
	t.Link.Signalling().ends(e)
	e.calls()
	e.sound()
	return e.rows
}

type ends struct {
	t     Trunk
	sw    Switch
	other FarEndSettings
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
		r = EndRow{What: r.What, SwitchValue: r.SwitchValue, FarEndValue: r.FarEndValue, State: EndsMatch}
	}
	e.rows = append(e.rows, r)
}

func orWord(text, word string) string {
	if text == "" {
		return word
	}
	return text
}

// takes is the place of the form that they take, if we ask for one.
func takes(form numbering.Format) string {
	if form == "" {
		return ""
	}
	return "outboundFormat"
}

func (e *ends) calls() {
	o := e.other
	e.add(o.Channels > 0, e.t.Channels == o.Channels, EndRow{
		What: "Channels", SwitchValue: fmt.Sprint(e.t.Channels), FarEndValue: fmt.Sprint(o.Channels),
		Why: "the side with more offers calls that the other refuses", Place: "channels",
		TheirPlace: "channels", TheirValue: e.t.Channels,
	}, o.Channels)
	e.add(o.InboundFormat != "", orForm(e.t.In.CalledFormat, numbering.AsDialled) == o.InboundFormat, EndRow{
		What: "Called numbers, inbound", SwitchValue: string(orForm(e.t.In.CalledFormat, numbering.AsDialled)), FarEndValue: string(o.InboundFormat),
		Why: "called numbers are interpreted in another format", Place: "in/calledFormat",
		TheirPlace: "inboundFormat", TheirValue: string(orForm(e.t.In.CalledFormat, numbering.AsDialled)),
	}, string(o.InboundFormat))
	e.add(o.OutboundFormat != "", e.t.Out.Called.Domestic == o.OutboundFormat, EndRow{
		What: "Called numbers, outbound", SwitchValue: orWord(string(e.t.Out.Called.Domestic), "unchanged"), FarEndValue: string(o.OutboundFormat),
		Why: "the far end rejects numbers in another format (404 or 484)", Place: "out/called/domestic",
		TheirPlace: takes(e.t.Out.Called.Domestic), TheirValue: string(e.t.Out.Called.Domestic),
	}, string(o.OutboundFormat))
}

func orForm(f, otherwise numbering.Format) numbering.Format {
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
		What: "Codecs", SwitchValue: orWord(strings.Join(m.Codecs, ", "), "all"), FarEndValue: strings.Join(o.Codecs, ", "), Why: "no common codec: 488", Place: "media/codecs",
		TheirPlace: "codecs", TheirValue: m.Codecs,
	}, o.Codecs)
	e.add(o.ComfortNoise != "", o.ComfortNoise == MediaPass || m.ComfortNoise == MediaRemove, EndRow{
		What: "Comfort noise", SwitchValue: orWord(m.ComfortNoise, MediaPass), FarEndValue: o.ComfortNoise, Why: "the far end rejects offers with it", Place: "media/comfortNoise",
		TheirPlace: "comfortNoise", TheirValue: MediaPass,
	}, MediaRemove)
	ours := orWord(m.Encryption, "none")
	e.add(o.Encryption != "", ours == o.Encryption, EndRow{
		What: "Encryption", SwitchValue: ours, FarEndValue: o.Encryption, Why: "SRTP and RTP do not match: 488", Place: "media/encryption",
		TheirPlace: "encryption", TheirValue: ours,
	}, strings.TrimPrefix(o.Encryption, "none"))
}

func first(list []string) any {
	if len(list) == 0 {
		return nil
	}
	return list[0]
}
