package record

// Party is one lane of a ladder.
type Party struct {
	Address string `json:"address"`
	Name    string `json:"name"`
}

// Arrow is one message on a ladder.
type Arrow struct {
	From int `json:"from" doc:"Place of the sender among the parties"`
	To   int `json:"to"`
	// Millis after the first message of the ladder.
	Millis float64 `json:"millis"`
	Label  string  `json:"label"`
	Status int     `json:"status" doc:"Of a response; 0 for a request"`
	Leg    string  `json:"leg"`
	// Repeat is true for a message that was sent before, byte by byte.
	Repeat bool   `json:"repeat"`
	Text   string `json:"text" doc:"The whole message"`
	// Fault says what could not be read of the message.
	Fault string `json:"fault,omitempty"`
}

// Ladder is a call's messages drawn between its parties.
type Ladder struct {
	Parties []Party `json:"parties" nullable:"false"`
	Arrows  []Arrow `json:"arrows" nullable:"false"`
}

// Ladder draws a conversation. The caller's side stands left, the switch beside it, then every
// other party in order of appearance. name gives an address (without port) its name.
func (c Conversation) Ladder(name func(address string) string) Ladder {
	l := Ladder{Parties: []Party{}, Arrows: []Arrow{}}
	place := map[string]int{}
	lane := func(key, address string) int {
		i, known := place[key]
		if !known {
			i = len(l.Parties)
			place[key] = i
			l.Parties = append(l.Parties, Party{address, name(address)})
		}
		return i
	}
	party := func(address string) int { return lane(address, address) }
	for _, m := range c.Messages {
		if !m.Out {
			party(m.Remote) // the sender stands left of the switch
		}
		local, remote := lane("switch "+m.Switch, m.Local), party(m.Remote) // a switch has several addresses, and one lane
		a := Arrow{From: remote, To: local, Label: m.Label, Status: m.Status, Leg: m.Leg, Repeat: m.Repeat, Text: string(m.Bytes), Fault: m.Fault}
		if m.Out {
			a.From, a.To = local, remote
		}
		a.Millis = float64(m.At.Sub(c.Messages[0].At).Microseconds()) / 1000
		l.Arrows = append(l.Arrows, a)
	}
	return l
}
