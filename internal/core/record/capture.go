package record

import (
	"errors"
	"fmt"
	"io"
	"math"
	"net/netip"

	"github.com/gopacket/gopacket"
	"github.com/gopacket/gopacket/layers"
	"github.com/gopacket/gopacket/pcapgo"
)

// WriteCapture writes messages as a pcapng file that general tools open: each
// as the UDP datagram or the piece of a TCP connection that it was, with its
// addresses and time.
func WriteCapture(w io.Writer, messages []Message) error {
	out, err := NewCaptureWriter(w)
	if err != nil {
		return err
	}
	packer := NewPacker()
	for _, m := range messages {
		packet, err := packer.Packet(m)
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

// Packer makes messages the packets that they were, one after the other in the
// same memory. It is for one goroutine.
type Packer struct{ buffer gopacket.SerializeBuffer }

// NewPacker returns a packer.
func NewPacker() *Packer { return &Packer{gopacket.NewSerializeBuffer()} }

// Packet is a message as the IP packet that it was, until the next is made. The
// IP, UDP and TCP headers are written anew, since only the payload was recorded.
func (p *Packer) Packet(m Message) ([]byte, error) {
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
	protocol := layers.IPProtocolUDP
	if m.Stream != nil {
		protocol = layers.IPProtocolTCP
	}
	ip, network := network(from.Addr(), to.Addr(), protocol)
	transport, err := transport(m, from.Port(), to.Port(), network)
	if err != nil {
		return nil, err
	}
	options := gopacket.SerializeOptions{FixLengths: true, ComputeChecksums: true}
	if err := gopacket.SerializeLayers(p.buffer, options, ip, transport, gopacket.Payload(m.Bytes)); err != nil {
		return nil, err
	}
	return p.buffer.Bytes(), nil
}

func transport(m Message, from, to uint16, ip gopacket.NetworkLayer) (gopacket.SerializableLayer, error) {
	if m.Stream == nil {
		udp := &layers.UDP{SrcPort: layers.UDPPort(from), DstPort: layers.UDPPort(to)}
		return udp, udp.SetNetworkLayerForChecksum(ip)
	}
	tcp := &layers.TCP{
		SrcPort: layers.TCPPort(from), DstPort: layers.TCPPort(to),
		Seq: m.Stream.At, Ack: m.Stream.Acknowledged, ACK: true, PSH: true, Window: math.MaxUint16,
	}
	return tcp, tcp.SetNetworkLayerForChecksum(ip)
}

func network(from, to netip.Addr, protocol layers.IPProtocol) (gopacket.SerializableLayer, gopacket.NetworkLayer) {
	if from.Is4() && to.Is4() {
		ip := &layers.IPv4{Version: 4, TTL: 64, Protocol: protocol, SrcIP: from.AsSlice(), DstIP: to.AsSlice()}
		return ip, ip
	}
	src, dst := from.As16(), to.As16()
	ip := &layers.IPv6{Version: 6, HopLimit: 64, NextHeader: protocol, SrcIP: src[:], DstIP: dst[:]}
	return ip, ip
}

// Payload returns what a packet that Packet wrote carries.
func Payload(packet []byte) ([]byte, error) {
	first := layers.LayerTypeIPv4
	if len(packet) > 0 && packet[0]>>4 == 6 {
		first = layers.LayerTypeIPv6
	}
	parsed := gopacket.NewPacket(packet, first, gopacket.DecodeOptions{Lazy: true, NoCopy: true})
	if carrier := parsed.TransportLayer(); carrier != nil {
		return carrier.LayerPayload(), nil
	}
	return nil, errors.New("the packet carries neither UDP nor TCP")
}
