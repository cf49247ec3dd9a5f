package standin

import (
	"net/netip"
	"slices"
	"strings"

	"github.com/pion/sdp/v3"
)

// noise is the payload type of comfort noise (RFC 3389, RFC 3551).
const noise = "13"

// offersNoise tells whether a description offers comfort noise.
func offersNoise(description []byte) bool {
	var d sdp.SessionDescription
	if d.Unmarshal(description) != nil {
		return false
	}
	return slices.ContainsFunc(d.MediaDescriptions, func(m *sdp.MediaDescription) bool { return slices.Contains(m.MediaName.Formats, noise) })
}

// description is the session description that the stand-in offers and answers
// with: one audio stream in both G.711 laws, at its own address (RFC 3551).
func (s *StandIn) description(e *endpoint, sound *audio) []byte {
	host := e.address.Addr().String()
	formats := []string{"8", "0"}
	attributes := []sdp.Attribute{{Key: "rtpmap", Value: "8 PCMA/8000"}, {Key: "rtpmap", Value: "0 PCMU/8000"}, {Key: "ptime", Value: "20"}, {Key: "sendrecv"}}
	profile := "AVP"
	if sound.keys != nil {
		profile = "SAVP"
		attributes = append(attributes, sdp.Attribute{Key: "crypto", Value: "1 AES_CM_128_HMAC_SHA1_80 inline:" + sound.keys.own})
	}
	if s.OffersNoise {
		formats = append(formats, noise)
		attributes = append(attributes, sdp.Attribute{Key: "rtpmap", Value: noise + " CN/8000"})
	}
	d := sdp.SessionDescription{
		Origin:                sdp.Origin{Username: "-", SessionID: 1, SessionVersion: 1, NetworkType: "IN", AddressType: "IP4", UnicastAddress: host},
		SessionName:           sdp.SessionName(s.Name),
		ConnectionInformation: &sdp.ConnectionInformation{NetworkType: "IN", AddressType: "IP4", Address: &sdp.Address{Address: host}},
		TimeDescriptions:      []sdp.TimeDescription{{}},
		MediaDescriptions: []*sdp.MediaDescription{{
			MediaName:  sdp.MediaName{Media: "audio", Port: sdp.RangedPort{Value: sound.port()}, Protos: []string{"RTP", profile}, Formats: formats},
			Attributes: attributes,
		}},
	}
	text, _ := d.Marshal() // fails on nothing that is built above
	return text
}

// readOffer is where a description wants its sound, and the first kind of it that
// a stand-in can send: G.711 of both laws.
func readOffer(description []byte) (to netip.AddrPort, payload uint8, ok bool) {
	var d sdp.SessionDescription
	if d.Unmarshal(description) != nil {
		return to, 0, false
	}
	for _, m := range d.MediaDescriptions {
		c := m.ConnectionInformation
		if c == nil {
			c = d.ConnectionInformation
		}
		if m.MediaName.Media != "audio" || m.MediaName.Port.Value == 0 || c == nil {
			continue
		}
		host, err := netip.ParseAddr(strings.Split(c.Address.Address, "/")[0])
		if err != nil {
			return to, 0, false
		}
		for _, f := range m.MediaName.Formats {
			if f == "8" || f == "0" {
				return netip.AddrPortFrom(host, uint16(m.MediaName.Port.Value)), f[0] - '0', true
			}
		}
	}
	return to, 0, false
}
