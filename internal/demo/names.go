package demo

import "switchback.example/switchback/internal/standin"

// NameServerAt is where the demo's name server answers, unless another is set.
const NameServerAt = "127.0.53.1:5353"

// StartNameServer runs the demo's name server until it is stopped.
func StartNameServer() (stop func(), err error) {
	names, err := standin.NewNameServer(Names())
	if err != nil {
		return nil, err
	}
	return names.Stop, names.Start(NameServerAt)
}

// Names are the records of the demo's name server, as in zone files: Penhallow has
// a server, found by SRV.
func Names() []string {
	return []string{
		"_sip._udp.penhallow.example. 60 IN SRV 10 10 5060 sip1.penhallow.example.",
		"sip1.penhallow.example. 300 IN A 127.0.31.1",
	}
}
