package plan

import (
	"strings"

	"switchback.example/switchback/internal/core/numbering"
)

// OtherEnd is what the other side of a trunk is set to: read from its own
// configuration where that is ours or a stand-in, else kept by hand, as from a
// carrier's welcome letter. What is empty is not known.
type OtherEnd struct {
	// CallsTo is the address and port to which it sends its calls.
	CallsTo string `json:"callsTo,omitempty" maxLength:"100"`
	// ListensOn are the addresses, with their ports, on which it takes calls and from
	// which its own come.
	ListensOn []string `json:"listensOn,omitempty" maxItems:"64"`
	Transport string   `json:"transport,omitempty" enum:"udp,tcp,tls"`
	// Registers says who registers, as SIP.Registers has it.
	Registers string `json:"registers,omitempty" enum:"nobody,they,we"`
	// User is its name with us, and OurUser ours with it.
	User    string `json:"user,omitempty" maxLength:"100"`
	OurUser string `json:"ourUser,omitempty" maxLength:"100"`
	// Channels are the calls at one time that it allows: those that were bought.
	Channels int `json:"channels,omitempty" minimum:"0" maximum:"10000"`
	// Gives and Takes are the forms of called numbers, from it and to it.
	Gives numbering.Form `json:"gives,omitempty"`
	Takes numbering.Form `json:"takes,omitempty"`
	// Codecs are those that it takes, such as PCMA; ComfortNoise is remove where it
	// refuses that, Encryption srtp where it wants it.
	Codecs       []string `json:"codecs,omitempty" maxItems:"20"`
	ComfortNoise string   `json:"comfortNoise,omitempty" enum:"pass,remove"`
	Encryption   string   `json:"encryption,omitempty" enum:"none,srtp"`
}

// PlaceOf turns something of the other side into the setting that has it where the
// other side is a trunk of ours: the inverse of AsOtherEnd. ok is false for what no
// setting of a trunk has.
func PlaceOf(theirs string, value any) (place string, v any, ok bool) {
	switch theirs {
	case "callsTo":
		return "sip/address", value, true
	case "transport":
		return "sip/transport", value, true
	case "channels":
		return "channels", value, true
	case "codecs":
		return "media/codecs", value, true
	case "registers":
		return "sip/registers", mirrored(value.(string)), true
	case "encryption":
		return "media/encryption", strings.TrimPrefix(value.(string), "none"), true
	}
	return "", nil, false
}

// mirrored is who registers, as the other side says it.
func mirrored(registers string) string {
	switch registers {
	case RegistersThey:
		return RegistersWe
	case RegistersWe:
		return RegistersThey
	}
	return RegistersNobody
}

// AsOtherEnd is what a trunk is set to as the other side of the same connection sees
// it: who registers is said from there.
func (t Trunk) AsOtherEnd(sw Switch) OtherEnd {
	sheet := &sheet{t: t, sw: sw}
	at, _ := sheet.address()
	return OtherEnd{
		CallsTo: t.SIP.Address, ListensOn: []string{at}, Transport: orWord(t.SIP.Transport, "udp"), Channels: t.Channels,
		Registers: mirrored(t.SIP.Registers), Codecs: t.Media.Codecs, Encryption: orWord(t.Media.Encryption, "none"),
	}
}
