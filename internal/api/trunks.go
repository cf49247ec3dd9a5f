package api

import (
	"cmp"
	"context"
	"net/http"
	"slices"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
)

// RunningTrunk is a trunk of the live plan with its state of the moment.
type RunningTrunk struct {
	ID               string           `json:"id"`
	Name             string           `json:"name"`
	Switch           string           `json:"switch"`
	Protocol         string           `json:"protocol"`
	FarEnd           OtherSide        `json:"farEnd"`
	RemoteAddress    string           `json:"remoteAddress"`
	Transport        string           `json:"transport" enum:"udp,tcp,tls"`
	TrustedAddresses []string         `json:"trustedAddresses"`
	InboundTable     string           `json:"inboundTable" doc:"Name of the entry table; empty if it may not call in"`
	Channels         int              `json:"channels"`
	InUse            int              `json:"inUse"`
	State            TrunkState       `json:"state"`
	LastSeen         *time.Time       `json:"lastSeen,omitempty" doc:"When a message last came from the far end"`
	LastWhat         string           `json:"lastWhat"`
	Calls            judge.CallCounts `json:"calls"`
	Traffic          Traffic          `json:"traffic"`
	Contract         plan.Contract    `json:"contract"`
	In               plan.Inbound     `json:"in"`
	Warning          string           `json:"warning" doc:"What will be wrong soon, though calls go; empty if nothing is known"`
	StandIn          string           `json:"standIn" doc:"Id of the stand-in that plays the far end; empty if none does"`
}

// Traffic is what came of a trunk's calls in the last 24 hours.
type Traffic struct {
	Sent          int     `json:"sent" doc:"Outbound calls (seizures)"`
	Answered      int     `json:"answered"`
	ASR           float64 `json:"asr" doc:"Answer-seizure ratio, 0 to 1 (ITU-T E.411); -1 without outbound calls"`
	ACDSeconds    float64 `json:"acdSeconds" doc:"Average call duration of outbound calls, in s; 0 if none is over"`
	PDDMs         int64   `json:"pddMs" doc:"Mean post-dial delay, in ms (RFC 6076, 4.3); 0 if nothing rang"`
	AnswerSeconds float64 `json:"answerSeconds" doc:"Mean time from sending to the answer, in s; 0 without answers"`
	Peak          int     `json:"peak" doc:"Most channels in use at once, both directions"`
}

func traffic(a standing.Answering) Traffic {
	share, known := a.Ratio()
	if !known {
		share = -1
	}
	return Traffic{a.Sent, a.Answered, share, a.MeanTalk().Seconds(), a.MeanDelay().Milliseconds(), a.MeanWait().Seconds(), a.Peak}
}

// OtherSide names the other side.
type OtherSide struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Kind string `json:"kind"`
	Note string `json:"note"`
}

// TrunkState says what was proved about a trunk, never more.
type TrunkState struct {
	Word     string     `json:"word" enum:"registered,answers,seen,unproven,failing,off,draining"`
	Since    *time.Time `json:"since,omitempty"`
	Cause    string     `json:"cause"`
	Evidence string     `json:"evidence"`
	RoundMs  float64    `json:"roundMs" doc:"Time of the last OPTIONS and its answer; 0 if none"`
}

// RunningSwitch is a running switch.
type RunningSwitch struct {
	ID      string `json:"id"`
	Name    string `json:"name"`
	Country string `json:"country"`
	Area    string `json:"area"`
	Address string `json:"address"`
	// TimeZone is the IANA zone in which its times are told.
	TimeZone string `json:"timeZone"`
	// Sketches and ForeignSketches show how numbers of the switch's country, and
	// of others, begin in each form.
	Sketches              map[string]string `json:"sketches"`
	InternationalSketches map[string]string `json:"internationalSketches"`
	UnknownMessages       int64             `json:"unknownMessages" doc:"Messages from addresses that no trunk knows; they got no answer"`
	RTPPorts              RTPPorts          `json:"rtpPorts"`
	TLS                   *Secured          `json:"tls,omitempty"`
}

// SoundPorts is how many sides of calls have ports for sound, of how many that
// could, and how often none was left. Each call through the switch has two sides.
type RTPPorts struct {
	Used    int   `json:"used"`
	All     int   `json:"all"`
	Refused int64 `json:"refused"`
}

// Network is the switches and their trunks.
type Network struct {
	Revision        int64           `json:"revision"`
	Switches        []RunningSwitch `json:"switches"`
	Trunks          []RunningTrunk  `json:"trunks"`
	RecordsWaiting  bool            `json:"recordsWaiting" doc:"The database does not take call records; they wait"`
	RecordsLost     int64           `json:"recordsLost"`
	RecordingsFail  bool            `json:"recordingsFail" doc:"Messages cannot be written; calls and their records go on"`
	StandInsRunning bool            `json:"standInsRunning"`
}

func (s *server) trunkRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "get-network", Method: http.MethodGet, Path: "/api/network", Summary: "Switches and trunks of the live plan, with their state"},
		func(_ context.Context, in *struct {
			Trunk []string `query:"trunk,explode" maxItems:"64" doc:"Only the state of these trunks, beside that of all switches"`
		}) (*struct{ Body Network }, error) {
			return &struct{ Body Network }{s.network(in.Trunk...)}, nil
		})
}

// network is how the live plan runs; with ids, of those trunks alone.
func (s *server) network(only ...string) Network {
	n := Network{
		Switches: []RunningSwitch{}, Trunks: []RunningTrunk{},
		RecordsWaiting: s.Recorder.Failing(), RecordsLost: s.Recorder.Lost(), RecordingsFail: s.Archive.Failing(), StandInsRunning: len(s.StandIns.All()) > 0,
	}
	run := s.Plan.Current()
	if run == nil {
		return n
	}
	n.Revision = run.Revision
	p := run.Snapshot.Plan()
	index := plan.NewIndex(p)
	unknown, ports := s.Switchboard.Unknown(), s.Switchboard.Ports()
	for _, sw := range p.Switches {
		n.Switches = append(n.Switches, RunningSwitch{
			ID: sw.ID, Name: sw.Name, Country: sw.Region.Country, Area: sw.Region.Area, Address: sw.Listeners.SIP.Address, TimeZone: sw.Zone().String(),
			Sketches: sketches(sw.Region, true), InternationalSketches: sketches(sw.Region, false), UnknownMessages: sum(unknown[sw.ID]),
			RTPPorts: RTPPorts(ports[sw.ID]), TLS: s.secured(sw, time.Now()),
		})
	}
	for _, t := range p.Trunks {
		if len(only) == 0 || slices.Contains(only, t.ID) {
			n.Trunks = append(n.Trunks, s.trunk(index, t))
		}
	}
	return n
}

// sum adds up counts.
func sum(by map[string]int64) (all int64) {
	for _, n := range by {
		all += n
	}
	return all
}

func sketches(in plan.Region, home bool) map[string]string {
	out := map[string]string{}
	if region, err := numbering.NewRegion(in.Country, in.Area); err == nil {
		for _, f := range numbering.Formats() {
			out[string(f)] = region.Sketch(f, home)
		}
	}
	return out
}

func (s *server) trunk(index plan.Index, t plan.Trunk) RunningTrunk {
	state, link := s.Trunks.State(t.ID), t.Link.Signalling()
	out := RunningTrunk{
		ID: t.ID, Name: t.Name, Switch: t.Switch, Protocol: t.Protocol(), RemoteAddress: link.Remote().Where(), Transport: cmp.Or(link.Claims().Transport, "udp"),
		TrustedAddresses: append([]string{}, link.Claims().Trusted...), Channels: t.Channels, InUse: state.InUse,
		LastSeen: orNil(state.LastSeen), LastWhat: state.LastWhat, Calls: state.Calls,
		State: s.judge(t), Traffic: traffic(s.Trunks.Day(t.ID, time.Now())), Contract: t.Out, In: t.In, Warning: s.warning(t, time.Now()),
	}
	if far := index.FarEnds[t.FarEnd]; far != nil {
		out.FarEnd = OtherSide{far.ID, far.Name, string(far.Kind), far.Note}
	} else if peer := index.Trunks[t.OppositeTrunk]; peer != nil {
		out.FarEnd = OtherSide{peer.Switch, index.Switches[peer.Switch].Name, "switch", ""}
	}
	if table := index.Tables[t.InboundTable]; table != nil {
		out.InboundTable = table.Name
	}
	if s.StandIns.Find(t.FarEnd) != nil {
		out.StandIn = t.FarEnd
	}
	return out
}

// nowAt is the time, in the zone of a switch.
func (s *server) nowAt(id string) time.Time {
	if run := s.Plan.Current(); run != nil {
		if sw, ok := run.Snapshot.Switch(id); ok {
			return time.Now().In(sw.Zone())
		}
	}
	return time.Now().UTC()
}

// judge puts a trunk's state into a word, with its cause and evidence.
func (s *server) judge(t plan.Trunk) TrunkState {
	v := s.Trunks.Judge(t, s.Registrations, s.Gate, s.nowAt(t.Switch))
	out := TrunkState{Word: string(v.Word), Cause: v.Cause, Evidence: v.Evidence, RoundMs: s.Trunks.State(t.ID).Watch.RoundMs}
	if since, ok := s.History.Since(t.ID); ok {
		out.Since = &since
	}
	return out
}

func orNil(t time.Time) *time.Time {
	if t.IsZero() {
		return nil
	}
	return &t
}
