package api

import (
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/standin"
)

// Ends are both sides of a trunk beside each other.
type Ends struct {
	From string    `json:"from" enum:"switch,stand-in,entered" doc:"Source of the far-end column: opposite trunk, running stand-in or far-end settings"`
	Rows []EndLine `json:"rows" nullable:"false"`
}

// EndLine is one thing that both ends must agree about.
type EndLine struct {
	plan.EndRow
	There *There `json:"there,omitempty"`
}

// There is how a difference is mended on the other side: in the draft, at a trunk, or
// in the running configuration of a stand-in.
type There struct {
	Trunk   string `json:"trunk,omitempty" doc:"Opposite trunk, or this trunk for far-end settings"`
	StandIn string `json:"standIn,omitempty"`
	Place   string `json:"place"`
	Value   any    `json:"value"`
}

// ends compares a trunk of the live plan with what its other side is set to.
func (s *server) ends(p plan.Plan, t plan.Trunk) Ends {
	x := plan.NewIndex(p)
	other, from := t.FarEndSettings, "entered"
	there := func(place string, value any) *There {
		return &There{Trunk: t.ID, Place: "farEndSettings/" + place, Value: value}
	}
	if peer := x.Trunks[t.OppositeTrunk]; peer != nil {
		other, from = peer.AsOtherEnd(*x.Switches[peer.Switch]), "switch"
		there = func(theirs string, value any) *There {
			place, value, ok := plan.PlaceOf(theirs, value)
			if !ok {
				return nil
			}
			return &There{Trunk: peer.ID, Place: place, Value: value}
		}
	} else if one := s.StandIns.Find(t.FarEnd); one != nil {
		other, from = otherEnd(one.Config), "stand-in"
		other.Channels, other.InboundFormat, other.OutboundFormat = t.FarEndSettings.Channels, t.FarEndSettings.InboundFormat, t.FarEndSettings.OutboundFormat // which it does not know of itself
		byHand := there
		there = func(place string, value any) *There {
			switch {
			case place == "channels", place == "inboundFormat", place == "outboundFormat":
				return byHand(place, value)
			case changeable[place]:
				return &There{StandIn: one.ID, Place: place, Value: value}
			}
			return nil
		}
	}
	rows := []EndLine{}
	for _, r := range t.Ends(*x.Switches[t.Switch], other) {
		line := EndLine{EndRow: r}
		if r.TheirPlace != "" {
			line.There = there(r.TheirPlace, r.TheirValue)
		}
		rows = append(rows, line)
	}
	return Ends{from, rows}
}

// changeable are the things of plan.FarEndSettings that StandInChange has.
var changeable = map[string]bool{"remoteAddress": true, "listenAddresses": true, "inboundUser": true, "outboundUser": true, "comfortNoise": true, "encryption": true}

// StandInChange is what is to become of a stand-in's running configuration, by the
// names of plan.FarEndSettings; what is left out stays.
type StandInChange struct {
	RemoteAddress   string   `json:"remoteAddress,omitempty" maxLength:"100"`
	ListenAddresses []string `json:"listenAddresses,omitempty" maxItems:"64"`
	InboundUser     string   `json:"inboundUser,omitempty" maxLength:"100"`
	OutboundUser    string   `json:"outboundUser,omitempty" maxLength:"100"`
	ComfortNoise    string   `json:"comfortNoise,omitempty" enum:"pass,remove"`
	Encryption      string   `json:"encryption,omitempty" enum:"none,srtp"`
}

func (c StandInChange) change() standin.Change {
	out := standin.Change{CallsTo: c.RemoteAddress, ListensOn: c.ListenAddresses, User: c.InboundUser, OurUser: c.OutboundUser}
	if c.ComfortNoise != "" {
		takes := c.ComfortNoise == plan.MediaPass
		out.TakesNoise = &takes
	}
	if c.Encryption != "" {
		encrypts := c.Encryption == plan.MediaSRTP
		out.Encrypts = &encrypts
	}
	return out
}

// otherEnd reads the running configuration of a stand-in.
func otherEnd(c standin.Config) plan.FarEndSettings {
	o := plan.FarEndSettings{
		RemoteAddress: c.Switch, ListenAddresses: append([]string{c.Address}, c.Also...), Transport: "udp",
		Codecs: []string{"PCMA", "PCMU"}, ComfortNoise: plan.MediaPass, Encryption: "none", Registration: plan.RegistrationNone,
	}
	if c.Secure != nil {
		o.Transport = "tls"
		if c.Secure.Encrypts {
			o.Encryption = plan.MediaSRTP
		}
	}
	if c.RefusesNoise {
		o.ComfortNoise = plan.MediaRemove
	}
	if c.Registers != nil {
		o.Registration, o.InboundUser = plan.RegistrationInbound, c.Registers.User
	}
	if len(c.Accounts) > 0 {
		o.OutboundUser = c.Accounts[0].User
		if !c.Challenges {
			o.Registration = plan.RegistrationOutbound // it knows no other way to know us
		}
	}
	return o
}
