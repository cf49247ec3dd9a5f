package trail

import (
	"fmt"
	"strings"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

// Text writes a trail as lines that people read and tests compare, one step a
// line. Rules that lost stand indented below their table.
func Text(trail []Step) string {
	var b strings.Builder
	for _, s := range trail {
		fmt.Fprintf(&b, "%s: %s\n", s.Switch, s.text())
		if s.LookedUp != nil {
			for _, l := range s.LookedUp.Lost {
				fmt.Fprintf(&b, "    not %s: %s\n", l.Rule.ID, l.Detail)
			}
		}
	}
	return b.String()
}

func (s Step) text() string {
	switch {
	case s.Received != nil:
		line := fmt.Sprintf("received from %s, called %s, calling %s%s", s.Received.Trunk.ID, written(s.Received.Called),
			writtenCaller(s.Received.Caller, s.Received.CallerText)+s.Received.wished(), diversions(s.Received.Diverted))
		if s.Received.Collected != "" {
			line += ", digits " + s.Received.Collected
		}
		return line
	case s.Redirected != nil:
		return s.Redirected.text()
	case s.LookedUp != nil && s.LookedUp.Winner != nil:
		line := fmt.Sprintf("table %s, called %s: rule %s", s.LookedUp.Table.ID, written(s.LookedUp.Called), s.LookedUp.Winner.ID)
		if s.LookedUp.AnyHour {
			line += ", emergency call: calendars ignored"
		}
		return line
	case s.LookedUp != nil:
		return fmt.Sprintf("table %s, called %s: no matching rule", s.LookedUp.Table.ID, written(s.LookedUp.Called))
	case s.Rewrote != nil:
		return s.Rewrote.text()
	case s.WentOn != nil:
		return "continue in table " + s.WentOn.Table.ID
	case s.Permitted != nil:
		return s.Permitted.text()
	case s.FoundNumber != nil && s.FoundNumber.Instead != nil:
		return fmt.Sprintf("number %s, %s, in inventory: destination %s instead of %s %s", s.FoundNumber.Number.ID, s.FoundNumber.State, s.FoundNumber.Answers.ID, s.FoundNumber.Instead.Kind, s.FoundNumber.Instead.ID)
	case s.FoundNumber != nil && s.FoundNumber.Answers != nil:
		return fmt.Sprintf("number %s, %s, destination %s", s.FoundNumber.Number.ID, s.FoundNumber.State, s.FoundNumber.Answers.ID)
	case s.FoundNumber != nil:
		return fmt.Sprintf("number %s, %s, no destination", s.FoundNumber.Number.ID, s.FoundNumber.State)
	case s.Resorted != nil:
		return fmt.Sprintf("last-resort destination of %s %s: %s (%s)", s.Resorted.Of.Kind, s.Resorted.Of.ID, s.Resorted.Destination.ID, s.Resorted.Why)
	case s.SetCalendar != nil:
		return s.SetCalendar.text()
	case s.Delivered != nil:
		return fmt.Sprintf("deliver to %s via %s", s.Delivered.Destination.ID, s.Delivered.Trunk.ID)
	case s.TookPath != nil && s.TookPath.First != "":
		return fmt.Sprintf("path %s, %s", s.TookPath.Path.ID, s.TookPath.First)
	case s.TookPath != nil && s.TookPath.Emergency:
		return fmt.Sprintf("path %s, emergency call", s.TookPath.Path.ID)
	case s.TookPath != nil:
		return "path " + s.TookPath.Path.ID
	case s.Skipped != nil:
		return fmt.Sprintf("skip %s, %s: %s", s.Skipped.Trunk.ID, s.Skipped.Reason, s.Skipped.Detail)
	case s.Presented != nil:
		return s.Presented.text()
	case s.Sent != nil:
		return fmt.Sprintf("send via %s, called %s, calling %s%s", s.Sent.Trunk.ID, written(s.Sent.Called), written(s.Sent.Caller), diversions(s.Sent.Diverted)+s.Sent.Alert.text())
	case s.Heard != nil:
		return s.Heard.text()
	case s.Ended != nil:
		return fmt.Sprintf("%s, cause %d, status %d: %s", s.Ended.Outcome, s.Ended.Cause.Q850, s.Ended.Cause.SIP, s.Ended.Why)
	}
	return string(s.Kind)
}

func (r Rewrote) text() string {
	line := fmt.Sprintf("%s %s by %s %s: %s -> %s", r.Number, r.Label, r.By.Kind, r.By.ID, changed(r.Runs), written(r.After))
	if r.Note != "" {
		line += " (" + r.Note + ")"
	}
	return line
}

func (p Permitted) text() string {
	verdict := "not permitted"
	if p.Allowed {
		verdict = "permitted"
	}
	return fmt.Sprintf("%s, class %s (%s): %s", verdict, p.Class, p.Why, p.Detail)
}

func (h Heard) text() string {
	if h.What == ReportAnswered {
		return fmt.Sprintf("response from %s: answered", h.Trunk.ID)
	}
	return fmt.Sprintf("response from %s: %s, cause %d, status %d: %s, %s", h.Trunk.ID, h.What, h.Cause.Q850, h.Cause.SIP, nextWords(h.Next), h.Why)
}

func (r Redirected) text() string {
	switch r.How {
	case HowDiverted:
		return fmt.Sprintf("forwarded by %s, from %s to %s, %s", r.By.ID, written(r.From), written(r.To), r.Reason)
	case HowTransferred:
		return fmt.Sprintf("transferred by %s to %s", r.By.ID, written(r.To))
	}
	return fmt.Sprintf("%s by %s with %s", r.How, r.By.ID, r.With)
}

// diversions writes what a call was diverted from, the last first.
func diversions(list []Diverted) string {
	var b strings.Builder
	for _, d := range list {
		fmt.Fprintf(&b, ", redirecting number %s (%s)", written(d.Number), d.Reason)
	}
	return b.String()
}

// changed writes what became of the digits in words: "del 9, add +44", and where that is at
// the end, that it is.
func changed(list []digits.Run) string {
	var out []string
	kept := false
	for _, r := range list {
		at := ""
		if kept {
			at = " at end"
		}
		switch r.Fate {
		case digits.Dropped:
			out = append(out, "del "+r.Text+at)
		case digits.Added:
			out = append(out, "add "+r.Text+at)
		default:
			kept = true
		}
	}
	if len(out) == 0 {
		return "unchanged"
	}
	return strings.Join(out, ", ")
}

func written(w numbering.Written) string {
	if w.Number.Empty() {
		return "(none)"
	}
	return fmt.Sprintf("%s (%s)", w.Number, w.Format)
}

func writtenCaller(w numbering.Written, text string) string {
	if text != "" {
		return fmt.Sprintf("%q, no number", text)
	}
	return written(w)
}

// nextWords says what follows a response.
func nextWords(next string) string {
	switch next {
	case "goes-on":
		return "fails over"
	case "ends":
		return "stops"
	case "diverted":
		return "forwarded"
	case "next-server":
		return "next server"
	}
	return next
}
