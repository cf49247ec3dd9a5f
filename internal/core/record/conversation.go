package record

import (
	"cmp"
	"slices"
	"time"
)

// Meaning is what a message means for its leg, whatever its protocol.
type Meaning string

// The meanings; a message that has none of them changes nothing of what is told of a leg.
const (
	Begins    Meaning = "begins"
	Rings     Meaning = "rings"
	Answers   Meaning = "answers"
	Refuses   Meaning = "refuses"
	Withdraws Meaning = "withdraws" // who called gives up
	Ends      Meaning = "ends"
)

// Said is a message with what it says.
type Said struct {
	Message
	Decoded
	// Repeat: the same bytes went the same way before.
	Repeat bool
}

// Conversation is the messages of one call, on all its legs, over all switches that recorded it.
type Conversation struct {
	Messages []Said // in order of time
	Legs     []LegTold
}

// LegTold is what the messages of a leg tell of it. Times are zero where nothing did.
type LegTold struct {
	Leg           string // its id; empty for messages that name no leg
	Protocol, Key string
	Began         time.Time
	Rang          time.Time
	Answered      time.Time
	Ended         time.Time
	// Status is of the message that refused it; 0 if none did.
	Status int
}

// Conversations gathers messages by their calls: those of one leg, and those of legs that share a
// name of their call, such as the Session-ID of SIP (RFC 7989), or of which call says that they are
// of one: it names the call of a leg, or of messages that name no leg, where that is known, and may
// be nil. Conversations come in the order of their first messages. Messages of one switch stay in
// the order in which they are given, which is that of its sockets.
//
// A leg between two switches is recorded by both and has one id (LegID), so their messages meet.
func Conversations(messages []Message, call func(leg string) string) []Conversation {
	said := make([]Said, len(messages))
	for i, m := range messages {
		said[i] = Said{Message: m, Decoded: m.Decode()}
		if m.Leg == "" {
			said[i].Leg = LegID(said[i].Protocol, said[i].Key)
		}
	}
	said = inTime(said)
	out := []Conversation{}
	place := map[string]int{}
	groups := newGroups()
	for i := range said {
		groups.add(&said[i], call)
	}
	for _, s := range said {
		name := groups.of(legKey(&s))
		i, known := place[name]
		if !known {
			i = len(out)
			place[name] = i
			out = append(out, Conversation{})
		}
		out[i].Messages = append(out[i].Messages, s)
	}
	for i := range out {
		out[i].tell()
	}
	return out
}

// inTime merges the messages of all switches by their times. Those of one switch keep their order:
// its clock may be set back.
func inTime(said []Said) []Said {
	bySwitch := map[string][]Said{}
	var names []string
	for _, s := range said {
		if bySwitch[s.Switch] == nil {
			names = append(names, s.Switch)
		}
		bySwitch[s.Switch] = append(bySwitch[s.Switch], s)
	}
	out := said[:0]
	if len(names) < 2 {
		return said
	}
	for range len(said) {
		next := slices.MinFunc(slices.DeleteFunc(slices.Clone(names), func(n string) bool { return len(bySwitch[n]) == 0 }), func(a, b string) int {
			return bySwitch[a][0].At.Compare(bySwitch[b][0].At)
		})
		out = append(out, bySwitch[next][0])
		bySwitch[next] = bySwitch[next][1:]
	}
	return out
}

// legKey names the leg of a message; one that names none is told apart by its two ends.
func legKey(s *Said) string {
	if s.Leg != "" {
		return "leg " + s.Leg
	}
	return "ends " + min(s.Local, s.Remote) + " " + max(s.Local, s.Remote)
}

// tell says which messages repeat others, and what all of them tell of each leg.
func (c *Conversation) tell() {
	type way struct{ from, to, text string }
	seen := map[way]bool{}
	place := map[string]int{}
	for i := range c.Messages {
		s := &c.Messages[i]
		w := way{s.Remote, s.Local, string(s.Bytes)}
		if s.Out {
			w.from, w.to = w.to, w.from
		}
		// Two switches record a message between them each: it went once, and was not repeated.
		at := s.Switch + " " + legKey(s)
		w.text = at + w.text
		s.Repeat, seen[w] = seen[w], true
		key := legKey(s)
		j, known := place[key]
		if !known {
			j = len(c.Legs)
			place[key] = j
			c.Legs = append(c.Legs, LegTold{Leg: s.Leg, Protocol: s.Protocol, Key: s.Decoded.Key})
		}
		c.Legs[j].hear(s)
	}
}

// hear takes a message of the leg.
func (l *LegTold) hear(s *Said) {
	first := func(at *time.Time) {
		if at.IsZero() {
			*at = s.At
		}
	}
	l.Key = cmp.Or(l.Key, s.Decoded.Key)
	switch s.Means {
	case Begins:
		first(&l.Began)
	case Rings:
		first(&l.Rang)
	case Answers:
		first(&l.Answered)
	case Refuses:
		if l.Answered.IsZero() && l.Ended.IsZero() {
			l.Ended, l.Status = s.At, s.Status
		}
	case Ends, Withdraws:
		if s.Means == Ends || l.Answered.IsZero() {
			first(&l.Ended)
		}
	}
}

// groups are names of which some mean the same call: a forest of sets.
type groups struct{ parent map[string]string }

func newGroups() *groups { return &groups{map[string]string{}} }

func (g *groups) add(s *Said, call func(string) string) {
	key := legKey(s)
	g.of(key)
	for _, name := range s.Sessions {
		g.join(key, "session "+name)
	}
	if call != nil {
		if name := call(s.Leg); name != "" {
			g.join(key, "call "+name)
		}
	}
}

// of is the name that stands for all that mean the same.
func (g *groups) of(name string) string {
	up, known := g.parent[name]
	if !known {
		g.parent[name] = name
		return name
	}
	if up == name {
		return name
	}
	top := g.of(up)
	g.parent[name] = top
	return top
}

func (g *groups) join(a, b string) { g.parent[g.of(a)] = g.of(b) }
