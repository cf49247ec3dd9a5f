package api

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"net/netip"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/guard"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/core/trail"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live"
)

// GateView is who is blocked, who fails, and by which limits.
type BlockedSources struct {
	Blocks        []Blocked    `json:"blocks"`
	BlocksInAll   int          `json:"blocksInAll" doc:"Also those that are not listed"`
	Suspects      []Suspect    `json:"suspects" doc:"Sources that failed and are not blocked yet"`
	SuspectsInAll int          `json:"suspectsInAll" doc:"Also those that are not listed"`
	Switches      []GateLimits `json:"switches"`
	// Strangers are sources of requests that belonged to no trunk, the latest first;
	// StrangersInAll counts those that are not listed too.
	UnknownSources      []UnknownSource `json:"unknownSources" nullable:"false"`
	UnknownSourcesInAll int             `json:"unknownSourcesInAll"`
	// Attempts are those of all unknown sources in the last 24 h, as far as this process ran.
	Attempts live.AttemptHistory `json:"attempts"`
	// Trusted are the addresses that the trunks of the live plan trust: they are never blocked.
	Trusted []TrustedSources `json:"trusted" nullable:"false"`
	// Since is when this process started: counts without another period began then.
	Since time.Time `json:"since"`
}

// TrustedSources are the addresses and networks that a trunk trusts.
type TrustedSources struct {
	Trunk     trail.Ref `json:"trunk"`
	Addresses []string  `json:"addresses" nullable:"false"`
}

// maxTallies is how many user agents and targets are listed.
const maxTallies = 6

// Stranger is a source of requests that belonged to no trunk.
type UnknownSource struct {
	Switch  string     `json:"switch" doc:"Name of the switch"`
	Source  string     `json:"source"`
	Port    uint16     `json:"port"`
	By      string     `json:"by" doc:"UDP, TCP or TLS"`
	Count   int64      `json:"count" doc:"Messages since first"`
	Floods  int64      `json:"floods" doc:"Of them, dropped unread since the source sent more than its share"`
	First   time.Time  `json:"first"`
	Last    time.Time  `json:"last"`
	Method  string     `json:"method"`
	Called  string     `json:"called" doc:"Request-URI of the last request"`
	From    string     `json:"from" doc:"URI of From of the last request"`
	Agent   string     `json:"agent"`
	Answer  string     `json:"answer" doc:"What it got: nothing, 401 or 403"`
	Nearest *trail.Ref `json:"nearest,omitempty" doc:"The trunk that it most likely belongs to"`
	Why     string     `json:"why,omitempty" doc:"What points to that trunk"`
}

// gatePage is how many strangers, blocks and suspects are listed at once.
const gatePage = 200

// GateQuery chooses what of the gate is listed.
type GateQuery struct {
	Find string `query:"find" maxLength:"64" doc:"Only sources and reasons with this text, or blocks that hold this address"`
	From int    `query:"from" minimum:"0" maximum:"100000" doc:"The first block and suspect that is listed, counted from 0"`
}

// finds tells whether a source, or why it is there, is looked for.
func (q GateQuery) finds(source, why string) bool {
	if q.Find == "" || strings.Contains(source, q.Find) || strings.Contains(strings.ToLower(why), strings.ToLower(q.Find)) {
		return true
	}
	p, err := guard.ParseSource(source)
	at, bad := netip.ParseAddr(q.Find)
	return err == nil && bad == nil && p.Contains(at.Unmap())
}

// page is the part of a list that is looked for, and how long all of it is.
func page[T any](list []T, from int) (part []T, all int) {
	all = len(list)
	from = min(from, all)
	return list[from:min(all, from+gatePage)], all
}

// Blocked is a source that is blocked.
type Blocked struct {
	Source  string    `json:"source" doc:"An address or a network"`
	From    string    `json:"from" enum:"calls,sign-in" doc:"What it is kept out of"`
	Since   time.Time `json:"since"`
	Until   time.Time `json:"until"`
	Why     string    `json:"why"`
	By      string    `json:"by" doc:"The person who did it; empty if Switchback did"`
	Dropped int64     `json:"dropped" doc:"Messages that were dropped since this process started"`
}

// Suspect is a source that failed.
type Suspect struct {
	Kind     string    `json:"kind" enum:"address,flow,account" doc:"What the failures are counted against"`
	Source   string    `json:"source"`
	Failures int       `json:"failures"`
	Last     time.Time `json:"last"`
	Why      string    `json:"why"`
}

// GateLimits are those of a switch, with their defaults filled in.
type GateLimits struct {
	ID     string              `json:"id"`
	Name   string              `json:"name"`
	Limits plan.UnknownSources `json:"limits"`
	// Answer is what a request gets that belongs to no trunk: where some trunk proves
	// itself by a secret, a challenge, since the switch cannot know yet who calls.
	Answer          string `json:"answer" enum:"drop,401,403"`
	UnknownMessages int64  `json:"unknownMessages" doc:"Messages from addresses that no trunk knows"`
	// Met is what became of them.
	Dropped []MetCount `json:"dropped" nullable:"false"`
}

// MetCount is how many messages of strangers met one end.
type MetCount struct {
	What  string `json:"what" enum:"blocked,flood,crowded,dropped,unreadable,refused"`
	Count int64  `json:"count"`
}

// BlockPut blocks a source.
type BlockPut struct {
	Source string `json:"source" minLength:"2" maxLength:"64" doc:"An address or a network"`
	Hours  int    `json:"hours" minimum:"1" maximum:"8760"`
	Why    string `json:"why" minLength:"1" maxLength:"500"`
}

// Behind is what sits behind a source: who else would be blocked with it.
type Behind struct {
	Source        string   `json:"source"`
	Trunks        []string `json:"trunks" doc:"Names of trunks whose far end is there"`
	Registrations []string `json:"registrations" doc:"Accounts that have registered from there"`
	Calls         int      `json:"calls" doc:"Calls that run with it"`
	Trusted       bool     `json:"trusted" doc:"A trunk trusts it, so that Switchback never blocks it by itself"`
	You           bool     `json:"you" doc:"Your own browser comes from there"`
}

// SourceQuery names an address or a network.
type SourceQuery struct {
	Source string `query:"source" required:"true" maxLength:"64"`
}

func (q SourceQuery) prefix() (netip.Prefix, error) {
	p, err := guard.ParseSource(q.Source)
	if err != nil {
		return p, huma.Error422UnprocessableEntity(fmt.Sprintf("invalid address or network %q; use 192.0.2.1 or 192.0.2.0/24", q.Source))
	}
	return p, nil
}

func (s *server) gateRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-blocked-sources", Method: http.MethodGet, Path: "/api/blocked-sources", Summary: "Who is blocked, and who fails"},
		func(_ context.Context, in *GateQuery) (*struct{ Body BlockedSources }, error) {
			return &struct{ Body BlockedSources }{s.gate(time.Now(), *in)}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "get-source", Method: http.MethodGet, Path: "/api/blocked-sources/behind", Summary: "Who else sits behind an address or a network"},
		func(_ context.Context, in *struct {
			SourceQuery
			peer
		}) (*struct{ Body Behind }, error) {
			p, err := in.prefix()
			if err != nil {
				return nil, err
			}
			return &struct{ Body Behind }{s.behind(p, in.address)}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "block-source", Method: http.MethodPost, Path: "/api/blocked-sources", Summary: "Block a source"},
		func(ctx context.Context, in *struct {
			Body BlockPut
			peer
		}) (*struct{ Body BlockedSources }, error) {
			p, err := SourceQuery{in.Body.Source}.prefix()
			if err != nil {
				return nil, err
			}
			if b := s.behind(p, in.address); b.You {
				return nil, huma.Error409Conflict("your own browser comes from there; you would block yourself")
			}
			now := time.Now()
			if !s.Gate.Block(p, guard.Block{Since: now, Until: now.Add(time.Duration(in.Body.Hours) * time.Hour), Why: in.Body.Why, By: user(s, ctx)}) {
				return nil, huma.Error409Conflict(fmt.Sprintf("%d sources are blocked by people already; unblock some, or block a network", guard.MaxBlocks))
			}
			s.audit(ctx, fmt.Sprintf("blocked %s for %d h: %s", p, in.Body.Hours, in.Body.Why))
			return &struct{ Body BlockedSources }{s.gate(now, GateQuery{})}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "unblock-source", Method: http.MethodDelete, Path: "/api/blocked-sources", Summary: "Unblock a source"},
		func(ctx context.Context, in *struct{ SourceQuery }) (*struct{ Body BlockedSources }, error) {
			p, err := in.prefix()
			if err != nil {
				return nil, err
			}
			calls, signIn := s.Gate.LetIn(p), s.SignIns.LetIn(p)
			if !calls && !signIn {
				return nil, huma.Error404NotFound(in.Source + " is not blocked")
			}
			s.audit(ctx, fmt.Sprintf("unblocked %s", in.Source))
			return &struct{ Body BlockedSources }{s.gate(time.Now(), GateQuery{})}, nil
		})
}

// audit keeps who did what. It waits where the database is away, so that a switch can be
// defended then too.
func (s *server) audit(ctx context.Context, what string) {
	d := standing.Deed{At: time.Now(), Who: user(s, ctx), What: what}
	s.Log.Info("operation", "who", d.Who, "what", what)
	if !s.Journal.Say(d) {
		s.Log.Error("an operation is lost to the audit: too many wait for the database", "who", d.Who, "what", what)
	}
}

func (s *server) gate(now time.Time, q GateQuery) BlockedSources {
	out := BlockedSources{Switches: []GateLimits{}}
	blocks := []Blocked{}
	for from, gate := range map[string]*live.Gate{"calls": s.Gate, "sign-in": s.SignIns} {
		for _, b := range gate.Blocks(now) {
			if q.finds(b.Source, b.Why) {
				blocks = append(blocks, Blocked{b.Source, from, b.Since, b.Until, b.Why, b.By, b.Met})
			}
		}
	}
	slices.SortStableFunc(blocks, func(a, b Blocked) int {
		return cmp.Or(b.Since.Compare(a.Since), strings.Compare(a.Source, b.Source), strings.Compare(a.From, b.From))
	})
	out.Blocks, out.BlocksInAll = page(blocks, q.From)
	window := plan.DefaultWindowMinutes
	if run := s.Plan.Current(); run != nil {
		unknown := s.Switchboard.Unknown()
		for _, sw := range run.Snapshot.Plan().Switches {
			limits := sw.UnknownSources.OrDefault()
			window = max(window, limits.WindowMinutes)
			answer := limits.Policy
			if run.Snapshot.TakesCredentials(sw.ID) {
				answer = plan.UnknownChallenge
			}
			out.Switches = append(out.Switches, GateLimits{sw.ID, sw.Name, limits, answer, 0, []MetCount{}})
			l := &out.Switches[len(out.Switches)-1]
			for what, n := range unknown[sw.ID] {
				l.UnknownMessages += n
				l.Dropped = append(l.Dropped, MetCount{what, n})
			}
			slices.SortFunc(l.Dropped, func(a, b MetCount) int { return cmp.Or(cmp.Compare(b.Count, a.Count), strings.Compare(a.What, b.What)) })
		}
	}
	out.UnknownSources, out.UnknownSourcesInAll = s.strangers(now)
	out.Attempts, out.Trusted, out.Since = s.Strangers.Attempted(now, maxTallies), s.trusted(), s.started
	suspects := []Suspect{}
	for _, f := range s.Gate.Suspects(now, time.Duration(window)*time.Minute) {
		if q.finds(f.Source, f.Why) {
			suspects = append(suspects, Suspect{string(f.Kind), f.Source, f.Failures, f.Last, f.Why})
		}
	}
	out.Suspects, out.SuspectsInAll = page(suspects, q.From)
	return out
}

func (s *server) trusted() []TrustedSources {
	out := []TrustedSources{}
	if run := s.Plan.Current(); run != nil {
		for _, t := range run.Snapshot.Plan().Trunks {
			if trusted := t.Link.Signalling().Claims().Trusted; len(trusted) > 0 {
				out = append(out, TrustedSources{trail.Ref{Kind: "trunk", ID: t.ID, Name: t.Name}, trusted})
			}
		}
	}
	return out
}

// strangersFor is how long ago a stranger may have been heard of to be listed.
const strangersFor = 24 * time.Hour

func (s *server) strangers(now time.Time) (out []UnknownSource, all int) {
	list, all := s.Strangers.List(now.Add(-strangersFor), gatePage)
	out = []UnknownSource{}
	run := s.Plan.Current()
	for _, x := range list {
		one := UnknownSource{x.Switch, x.Source, x.Port, x.By, x.Count, x.Floods, x.First, x.Last, x.Method, x.Called, x.From, x.Agent, x.Answer, nil, ""}
		if run != nil {
			if sw, ok := run.Snapshot.Switch(x.Switch); ok {
				one.Switch = sw.Name
			}
			if t, why, ok := findings.Nearest(run.Snapshot.Graph, x.Switch, unplaced(x)); ok {
				one.Nearest, one.Why = &t, why
			}
		}
		out = append(out, one)
	}
	return out, all
}

// unplaced is what a stranger's last request said of itself.
func unplaced(x live.Stranger) findings.Unplaced {
	u := findings.Unplaced{Agent: x.Agent}
	u.Source, _ = netip.ParseAddr(x.Source)
	if from, err := wire.ReadURI(x.From); err == nil {
		u.FromDomain = from.Host
	}
	if uri, err := wire.ReadURI(x.Called); err == nil {
		u.Domain = uri.Host
		user, _, _ := strings.Cut(uri.User, ";")
		u.Called, _ = digits.ParseNumber(user)
	}
	return u
}

// behind looks who has to do with the addresses of a source.
func (s *server) behind(p netip.Prefix, browser string) Behind {
	out := Behind{Source: p.String(), Trunks: []string{}, Registrations: []string{}}
	if p.IsSingleIP() {
		out.Source = p.Addr().String()
	}
	within := func(address string) bool {
		if at, err := netip.ParseAddrPort(address); err == nil {
			return p.Contains(at.Addr().Unmap())
		}
		at, err := netip.ParseAddr(address)
		return err == nil && p.Contains(at.Unmap())
	}
	out.You = within(browser)
	run := s.Plan.Current()
	if run == nil {
		return out
	}
	now := time.Now()
	for _, t := range run.Snapshot.Plan().Trunks {
		there := slices.ContainsFunc(s.serversOf(t), within)
		for _, text := range t.Link.Signalling().Claims().Trusted {
			if trust, err := plan.ParseTrust(text); err == nil && trust.Network.Overlaps(p) {
				there, out.Trusted = true, true
			}
		}
		for a := range s.Trunks.State(t.ID).Sources {
			there = there || p.Contains(a)
		}
		if there {
			out.Trunks = append(out.Trunks, t.Name)
		}
		for _, account := range t.Link.Signalling().Accounts(plan.SideInbound) {
			for _, b := range s.Registrations.Bindings(t.ID, account.ID, now) {
				if within(b.Source) {
					out.Registrations = append(out.Registrations, fmt.Sprintf("%s of %s", account.User, t.Name))
				}
			}
		}
	}
	for _, c := range s.Recorder.Running() {
		for _, leg := range c.Legs {
			if within(leg.Remote) {
				out.Calls++
				break
			}
		}
	}
	return out
}
