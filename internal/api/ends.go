package api

import (
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/standin"
)

// Ends are both sides of a trunk beside each other.
type Ends struct {
	From string        `json:"from" enum:"switch,stand-in,by-hand" doc:"What the other column rests on: our other switch, the stand-in's running configuration, or what is kept by hand"`
	Rows []plan.EndRow `json:"rows" nullable:"false"`
}

// ends compares a trunk of the live plan with what its other side is set to.
func (s *server) ends(p plan.Plan, t plan.Trunk) Ends {
	x := plan.NewIndex(p)
	other, from := t.Theirs, "by-hand"
	if peer := x.Trunks[t.Peer]; peer != nil {
		other, from = peer.AsOtherEnd(*x.Switches[peer.Switch]), "switch"
	} else if one := s.StandIns.Find(t.FarEnd); one != nil {
		other, from = otherEnd(one.Config), "stand-in"
		other.Channels, other.Gives, other.Takes = t.Theirs.Channels, t.Theirs.Gives, t.Theirs.Takes // which it does not know of itself
	}
	rows := t.Ends(*x.Switches[t.Switch], other)
	if rows == nil {
		rows = []plan.EndRow{}
	}
	return Ends{from, rows}
}

// otherEnd reads the running configuration of a stand-in.
func otherEnd(c standin.Config) plan.OtherEnd {
	o := plan.OtherEnd{
		CallsTo: c.Switch, ListensOn: append([]string{c.Address}, c.Also...), Transport: "udp",
		Codecs: []string{"PCMA", "PCMU"}, ComfortNoise: plan.MediaPass, Encryption: "none", Registers: plan.RegistersNobody,
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
		o.Registers, o.User = plan.RegistersThey, c.Registers.User
	}
	if len(c.Accounts) > 0 {
		o.OurUser = c.Accounts[0].User
		if !c.Challenges {
			o.Registers = plan.RegistersWe // it knows no other way to know us
		}
	}
	return o
}
