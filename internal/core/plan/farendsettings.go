package plan

import (
	"strings"

	"switchback.example/switchback/internal/core/numbering"
)

// FarEndSettings is what the other side of a trunk is set to: read from its own
// configuration where that is ours or a stand-in, else entered, as from a carrier's welcome
// letter. What is empty is not known.
type FarEndSettings struct {
	// RemoteAddress is the address and port to which it sends its calls.
	RemoteAddress string `json:"remoteAddress,omitempty" maxLength:"100"`
	// ListenAddresses are those, with their ports, on which it takes calls and from which
	// its own come.
	ListenAddresses []string `json:"listenAddresses,omitempty" maxItems:"64"`
	Transport       string   `json:"transport,omitempty" enum:"udp,tcp,tls"`
	// Registration is seen from the switch, as SIP.Registration.
	Registration string `json:"registration,omitempty" enum:"none,inbound,outbound"`
	// InboundUser is the user of its account at the switch, OutboundUser that of the switch's
	// account there.
	InboundUser  string `json:"inboundUser,omitempty" maxLength:"100"`
	OutboundUser string `json:"outboundUser,omitempty" maxLength:"100"`
	// Channels are the calls at one time that it allows: those that were bought.
	Channels int `json:"channels,omitempty" minimum:"0" maximum:"10000"`
	// InboundFormat and OutboundFormat are the formats of called numbers that it sends and
	// accepts.
	InboundFormat  numbering.Format `json:"inboundFormat,omitempty"`
	OutboundFormat numbering.Format `json:"outboundFormat,omitempty"`
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
	case "remoteAddress":
		return "link/sip/remoteAddress", value, true
	case "transport":
		return "link/sip/transport", value, true
	case "channels":
		return "channels", value, true
	case "codecs":
		return "media/codecs", value, true
	case "registration":
		return "link/sip/registration", mirrored(value.(string)), true
	case "encryption":
		return "media/encryption", strings.TrimPrefix(value.(string), "none"), true
	}
	return "", nil, false
}

// mirrored is who registers, as the other side says it.
func mirrored(registers string) string {
	switch registers {
	case RegistrationInbound:
		return RegistrationOutbound
	case RegistrationOutbound:
		return RegistrationInbound
	}
	return RegistrationNone
}

// AsOtherEnd is what a trunk is set to as the other side of the same connection sees it.
func (t Trunk) AsOtherEnd(sw Switch) FarEndSettings {
	out := FarEndSettings{Channels: t.Channels, Codecs: t.Media.Codecs, Encryption: orWord(t.Media.Encryption, "none")}
	t.Link.Signalling().mirror(sw, &out)
	return out
}
