package compiled

import (
	"cmp"
	"net/netip"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

// Trunk is a trunk with all that follows from its settings and from who is behind it.
type Trunk struct {
	plan.Trunk
	Ref         trail.Ref
	ContractRef trail.Ref
	FarEndRef   trail.Ref
	On          *Switch
	Entry       *Table // nil if nothing may call in
	SentOn      *Table // decides what its far end diverts and transfers
	Outside     bool   // it leads to where others are called and billed
	Ours        bool   // those who call by it are our own users, as emergency calls go
	// Claims are by what its calls are identified, where is what they are sent to.
	Claims   plan.Claims
	Where    string
	calledIn *digits.Pattern
	Before   digits.Number // of called numbers that come with their last digits
	// of the contract, before public numbers that leave
	calledPrefix, callerPrefix digits.Number
	MayGoBack                  bool
}

func (s *Graph) addTrunks(p plan.Plan) {
	index := plan.NewIndex(p)
	for _, t := range p.Trunks {
		n := &Trunk{Trunk: t, Ref: trail.Ref{Kind: "trunk", ID: t.ID, Name: t.Name}, ContractRef: trail.Ref{Kind: "contract", ID: t.ID, Name: "the number contract of " + t.Name}, On: s.Switches[t.Switch]}
		if t.OppositeTrunk != "" {
			peer := index.Switches[index.Trunks[t.OppositeTrunk].Switch]
			n.FarEndRef, n.Ours = trail.Ref{Kind: "switch", ID: peer.ID, Name: peer.Name}, true
		} else {
			far := index.FarEnds[t.FarEnd]
			n.FarEndRef = trail.Ref{Kind: "farEnd", ID: far.ID, Name: far.Name}
			n.MayGoBack = far.Kind == plan.PhoneSystem
			n.Ours = far.Kind != plan.Carrier && far.Kind != plan.PeerNetwork
			n.Outside = far.Kind != plan.PhoneSystem && far.Kind != plan.Application
		}
		if t.Hairpin != nil {
			n.MayGoBack = *t.Hairpin
		}
		s.Trunks[t.ID] = n
		n.Claims = t.Link.Signalling().Claims()
		n.calledIn = optionalPattern(n.Claims.CalledPattern)
		n.Before, _ = digits.ParseNumber(t.In.CalledPrefix) // validated
		n.calledPrefix, _ = digits.ParseNumber(t.Out.Called.Prefix)
		n.callerPrefix, _ = digits.ParseNumber(t.Out.Caller.Prefix)
		n.On.takesCredentials = n.On.takesCredentials || n.Claims.AcceptsDigest()
		if n.Claims.ByCertificate() {
			n.On.certified = append(n.On.certified, trusting{trunk: n, certificate: true})
		}
		for _, a := range n.Claims.Trusted {
			trust, _ := plan.ParseTrust(a) // validated
			if e := (trusting{Trust: trust, trunk: n}); trust.Single() {
				n.On.trusted[trust.Network.Addr()] = append(n.On.trusted[trust.Network.Addr()], e)
			} else {
				n.On.networks = append(n.On.networks, e)
			}
		}
		remote := t.Link.Signalling().Remote()
		n.Where = remote.Where()
		for _, address := range append(remote.Servers, remote.Proxy) {
			if to, err := netip.ParseAddrPort(address); err == nil {
				n.On.called[to.Addr().Unmap()] = n
			}
		}
	}
}

// PrefixOf is the digits that a contract puts before public numbers.
func (t *Trunk) PrefixOf(forms *plan.Formats) digits.Number {
	switch {
	case forms.Prefix == "":
		return digits.Number{}
	case forms == &t.Out.Called:
		return t.calledPrefix
	}
	return t.callerPrefix
}

// Whole is a called number as a trunk brings it, made whole where it comes with its last
// digits only.
func (t *Trunk) Whole(called numbering.Written) (digits.Edit, bool) {
	n := called.Number
	if t.Before.Empty() || n.Empty() || n.Plus() || n.HasService() || t.On.Numbering.IsEmergency(n) || t.Before.Len()+n.Len() > digits.MaxPacked+1 {
		return digits.Edit{}, false
	}
	return digits.PutBefore(n, t.Before), true
}

// LeadsOutside tells whether a trunk leads to where others are called and billed; false
// for one that is not there.
func (s *Graph) LeadsOutside(trunk string) bool {
	t := s.Trunks[trunk]
	return t != nil && t.Outside
}

// PublicNumber is the public number that a call from outside is for, in E.164; ok is false
// for trunks that do not lead outside, and for what is no public number.
func (s *Graph) PublicNumber(trunk string, called digits.Number) (n digits.Number, ok bool) {
	t := s.Trunks[trunk]
	if t == nil || !t.Outside || called.Empty() {
		return n, false
	}
	w := numbering.As(called, cmp.Or(t.In.CalledFormat, numbering.AsDialled))
	if edit, ok := t.Whole(w); ok {
		return edit.After(), true
	}
	read := t.On.Numbering.Read(w.Number, w.Format)
	w, _ = t.On.Numbering.Put(&read, numbering.E164)
	return w.Number, w.Format == numbering.E164 && w.Number.Plus()
}
