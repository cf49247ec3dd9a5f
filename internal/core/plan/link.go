package plan

// Link is the carriage of a trunk's signalling: exactly one of its fields is set.
type Link struct {
	SIP *SIP `json:"sip,omitempty"`
}

// Protocols of links.
const ProtocolSIP = "sip"

// Signalling is what the rest of Switchback may ask of a link, whatever its protocol.
type Signalling interface {
	// Protocol is the name of the link's field.
	Protocol() string
	// Claims are by what its inbound calls are identified.
	Claims() Claims
	// Remote is where its outbound calls are sent.
	Remote() Remote
	// Accounts are those of one side, by id.
	Accounts(Side) []Account
	// ProbeSeconds is how often the far end is asked whether it is there; 0 for never.
	ProbeSeconds() int

	// check validates it as the link of a trunk, at a place of the document.
	check(v *validator, at string, t Trunk)
	// mirror is what it is set to as the other side of the connection sees it.
	mirror(sw Switch, into *FarEndSettings)
	// ends adds the rows in which the two ends of the trunk are compared.
	ends(e *ends)
	// sheet is what the far end must enter of it.
	sheet(s *sheet) signallingSheet
}

// signallingSheet is what a link puts into the interconnect sheet, line by line.
type signallingSheet struct {
	addresses, identification, ports, forwards []string
	// calledFrom is where the called number is read from.
	calledFrom string
}

// Remote is where the calls of a link are sent.
type Remote struct {
	// Address is the first server as an address with its port, Name its name in DNS instead;
	// both are empty where the far end registers.
	Address, Name string
	// Servers are all addresses, the first one first; Proxy is the outbound proxy, to which
	// the requests to all of them go.
	Servers []string
	Proxy   string
	// TLS: they are called over TLS, and show certificates.
	TLS bool
	// Registers: the switch registers there.
	Registers bool
}

// Where is the first server as the plan writes it, an address or a name.
func (r Remote) Where() string { return orWord(r.Address, r.Name) }

// Reached are the addresses to which signalling is really sent.
func (r Remote) Reached() []string {
	if r.Proxy != "" {
		return []string{r.Proxy}
	}
	return r.Servers
}

// Signalling is the link's protocol. A link without one, which no valid plan has, claims
// nothing and reaches nothing.
func (l Link) Signalling() Signalling {
	if l.SIP != nil {
		return l.SIP
	}
	return unlinked{}
}

// Protocol is what carries the calls of the trunk; empty where it has no link.
func (t *Trunk) Protocol() string { return t.Link.Signalling().Protocol() }

// Clone is a copy whose settings are its own.
func (l Link) Clone() Link {
	if l.SIP != nil {
		sip := *l.SIP
		l.SIP = &sip
	}
	return l
}

// Explicit is a copy in which defaults that depend on other settings are written down.
func (l Link) Explicit() Link {
	if l = l.Clone(); l.SIP != nil {
		l.SIP.InboundAuth = l.SIP.NeededAuth()
	}
	return l
}

// Blank is a link of the same protocol without a setting.
func (l Link) Blank() Link {
	if l.SIP != nil {
		l.SIP = &SIP{}
	}
	return l
}

func (v *validator) link(at string, t Trunk) {
	t.Link.Signalling().check(v, at+"/"+t.Protocol(), t)
}

// ExampleLink is the link of a trunk that stands for any: at addresses for documentation
// (TEST-NET-1, RFC 5737).
func ExampleLink() Link {
	return Link{SIP: &SIP{RemoteAddress: "192.0.2.2:5060", TrustedAddresses: []string{"192.0.2.2"}}}
}

// unlinked is the signalling of a trunk that has none.
type unlinked struct{}

func (unlinked) Protocol() string               { return "" }
func (unlinked) Claims() Claims                 { return Claims{} }
func (unlinked) Remote() Remote                 { return Remote{} }
func (unlinked) Accounts(Side) []Account        { return nil }
func (unlinked) ProbeSeconds() int              { return 0 }
func (unlinked) mirror(Switch, *FarEndSettings) {}
func (unlinked) ends(*ends)                     {}
func (unlinked) sheet(*sheet) signallingSheet   { return signallingSheet{} }
func (unlinked) check(v *validator, at string, _ Trunk) {
	v.bad(at[:len(at)-1], "is empty; a trunk needs one link, such as sip")
}
