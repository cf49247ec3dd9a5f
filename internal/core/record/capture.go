package record

import (
	"errors"
	"fmt"
	"io"
	"net/netip"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/gopacket/gopacket/pcapgo"
)

// WriteCapture writes messages as a pcapng file that general tools open: each
// as the UDP datagram that it was, with its addresses and time. The IP and UDP
// headers are written anew, since only the payload was recorded.
func WriteCapture(w io.Writer, messages []Message) error {
	out, err := NewCaptureWriter(w)
	if err != nil {
		return err
	}
	for _, m := range messages {
		packet, err := Datagram(m)
		if err != nil {
			return fmt.Errorf("message %d: %w", m.Seq, err)
		}
		info := gopacket.CaptureInfo{Timestamp: m.At, CaptureLength: len(packet), Length: len(packet)}
		if err := out.WritePacket(info, packet); err != nil {
			return err
		}
	}
	return out.Flush()
}

// NewCaptureWriter begins a pcapng file of bare IP packets with times in
// nanoseconds.
func NewCaptureWriter(w io.Writer) (*pcapgo.NgWriter, error) {
	return pcapgo.NewNgWriterInterface(w, pcapgo.NgInterface{
		Name: "switchback", LinkType: layers.LinkTypeRaw, SnapLength: 0, TimestampResolution: 9,
	}, pcapgo.DefaultNgWriterOptions)
}

// Datagram is a message as the IP packet that it was. The IP and UDP headers are
// written anew, since only the payload was recorded.
func Datagram(m Message) ([]byte, error) {
	from, err := netip.ParseAddrPort(m.Remote)
	if err != nil {
		return nil, err
	}
	to, err := netip.ParseAddrPort(m.Local)
	if err != nil {
		return nil, err
	}
	if m.Out {
		from, to = to, from
	}
	udp := &layers.UDP{SrcPort: layers.UDPPort(from.Port()), DstPort: layers.UDPPort(to.Port())}
	ip, network := network(from.Addr(), to.Addr())
	if err := udp.SetNetworkLayerForChecksum(network); err != nil {
		return nil, err
	}
	buffer := gopacket.NewSerializeBuffer()
	options := gopacket.SerializeOptions{FixLengths: true, ComputeChecksums: true}
	if err := gopacket.SerializeLayers(buffer, options, ip, udp, gopacket.Payload(m.Bytes)); err != nil {
		return nil, err
	}
	return buffer.Bytes(), nil
}

func network(from, to netip.Addr) (gopacket.SerializableLayer, gopacket.NetworkLayer) {
	if from.Is4() && to.Is4() {
		ip := &layers.IPv4{Version: 4, TTL: 64, Protocol: layers.IPProtocolUDP, SrcIP: from.AsSlice(), DstIP: to.AsSlice()}
		return ip, ip
	}
	src, dst := from.As16(), to.As16()
	ip := &layers.IPv6{Version: 6, HopLimit: 64, NextHeader: layers.IPProtocolUDP, SrcIP: src[:], DstIP: dst[:]}
	return ip, ip
}

// Payload returns what a packet that Datagram wrote carries.
func Payload(packet []byte) ([]byte, error) {
	first := layers.LayerTypeIPv4
	if len(packet) > 0 && packet[0]>>4 == 6 {
		first = layers.LayerTypeIPv6
	}
	parsed := gopacket.NewPacket(packet, first, gopacket.DecodeOptions{Lazy: true, NoCopy: true})
	udp, ok := parsed.Layer(layers.LayerTypeUDP).(*layers.UDP)
	if !ok {
		return nil, errors.New("the packet carries no UDP")
	}
	return udp.Payload, nil
}
