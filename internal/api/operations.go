package api

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/findings"
	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/store"
)

// TrunkDetail is all that is known of a trunk of the live plan.
type TrunkDetail struct {
	RunningTrunk
	Link     plan.Link          `json:"link" doc:"With the defaults that depend on other settings filled in"`
	Accounts []AccountState     `json:"accounts"`
	Sources  []SourceState      `json:"sources" doc:"Addresses of the far end, with what came from each last"`
	Exposure []findings.Exposed `json:"exposure" doc:"Outside trunks that calls from here can reach"`
	Day      []Span             `json:"day" doc:"What it was in the last 24 hours, oldest first; gaps are not known"`
	// Shares are from 0 to 1; -1 where nothing is known.
	Availability  float64            `json:"availability" doc:"Share of the day in service in which its far end was proved to be there; -1 if not known"`
	Services      plan.Services      `json:"services" doc:"What the far end may do beside calling"`
	ServicesTable string             `json:"servicesTable" doc:"Name of the table that decides what it diverts and transfers; empty if it may not"`
	Mailboxes     []Mailbox          `json:"mailboxes" doc:"What it said of messages, or was told of them" nullable:"false"`
	Ends          Ends               `json:"ends" doc:"Both sides beside each other"`
	Certificates  []ShownCertificate `json:"certificates" doc:"What its servers showed over TLS" nullable:"false"`
	// Checklist is what must be true before the trunk is handed over, in the order
	// in which one thing needs another.
	Checklist []judge.Check `json:"checklist"`
	// Strays are messages that would have been the far end's, but for their address or transport.
	Strays []StrayState `json:"strays" doc:"What was refused, of the last 24 hours, the latest first" nullable:"false"`
	// Blocked is the block of this switch under which an address of the far end is.
	Blocked *Blocked `json:"blocked,omitempty"`
}

// StrayState is a source whose messages would have been the far end's.
type StrayState struct {
	Source string    `json:"source"`
	Port   uint16    `json:"port"`
	By     string    `json:"by" enum:"UDP,TCP,TLS"`
	Method string    `json:"method" doc:"Of the last message"`
	Why    string    `json:"why"`
	Count  int64     `json:"count"`
	Last   time.Time `json:"last"`
	// Trustable says that trusting its address would let it in.
	Trustable bool `json:"trustable"`
}

// Mailbox is what was said last of a mailbox.
type Mailbox struct {
	Extension string    `json:"extension"`
	From      string    `json:"from" doc:"Name of the trunk that said it"`
	To        string    `json:"to" doc:"Name of the trunk that was told; empty if none was"`
	Waiting   bool      `json:"waiting"`
	New       int       `json:"new"`
	Old       int       `json:"old"`
	At        time.Time `json:"at"`
	Taken     bool      `json:"taken" doc:"The phone system took it"`
	Why       string    `json:"why" doc:"Why not delivered"`
}

// AccountState is an account of a trunk and where it stands.
type AccountState struct {
	Side     string     `json:"side" enum:"inbound,outbound"`
	ID       string     `json:"id"`
	User     string     `json:"user"`
	Number   string     `json:"number"`
	Port     string     `json:"port"`
	Secret   bool       `json:"secret" doc:"A secret is set"`
	State    string     `json:"state" enum:"registered,trying,refused,silent,absent,unused"`
	Since    *time.Time `json:"since,omitempty"`
	Until    *time.Time `json:"until,omitempty"`
	Next     *time.Time `json:"next,omitempty" doc:"When the outbound registration is tried or refreshed next"`
	Evidence string     `json:"evidence"`
	Server   string     `json:"server" doc:"The far end's server that accepted the outbound registration"`
	Contacts []Contact  `json:"contacts"`
}

// Contact is one place from which an account has registered.
type Contact struct {
	URI    string    `json:"uri"`
	Source string    `json:"source"`
	By     string    `json:"by" doc:"UDP or TCP"`
	Agent  string    `json:"agent"`
	Since  time.Time `json:"since"`
	Until  time.Time `json:"until"`
}

// SourceState is an address or network of a far end.
type SourceState struct {
	Source  string     `json:"source"`
	Trusted bool       `json:"trusted"`
	Last    *time.Time `json:"last,omitempty"`
	What    string     `json:"what"`
}

// Span is a stretch of the day.
type Span struct {
	From  time.Time `json:"from"`
	To    time.Time `json:"to"`
	Word  string    `json:"word"`
	Cause string    `json:"cause"`
}

// ServicePut takes a trunk out of service, or puts it back.
type ServicePut struct {
	Word    string `json:"word" enum:"in,draining,off"`
	Minutes int    `json:"minutes" minimum:"0" maximum:"525600" doc:"When it is put back by itself; 0 for never"`
	Why     string `json:"why" maxLength:"500"`
}

// SecretPut sets the secret of an account.
type SecretPut struct {
	Secret string `json:"secret" maxLength:"200" doc:"Empty: one is made"`
}

// SecretState says whether the secret of an account is set.
type SecretState struct {
	Side string `json:"side" enum:"inbound,outbound"`
	ID   string `json:"id"`
	User string `json:"user"`
	Set  bool   `json:"set"`
}

// SecretShown is a secret that was just set. It is shown this once.
type SecretShown struct {
	Secret string `json:"secret"`
}

// TestCall is a straight test call: digits as typed, past the plan.
type TestCall struct {
	Digits  string `json:"digits" maxLength:"40"`
	Caller  string `json:"caller" maxLength:"40"`
	Seconds int    `json:"seconds" minimum:"1" maximum:"30" doc:"How long it is held after the answer"`
}

// TestCallPlaced names the record of a test call.
type TestCallPlaced struct {
	Call string `json:"call"`
}

func (s *server) operationRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "get-trunk", Method: http.MethodGet, Path: "/api/trunks/{id}", Summary: "All that is known of a trunk"},
		func(_ context.Context, in *struct {
			ID string `path:"id"`
		}) (*struct{ Body TrunkDetail }, error) {
			d, err := s.trunkDetail(in.ID)
			return &struct{ Body TrunkDetail }{d}, err
		})
	huma.Register(a, huma.Operation{OperationID: "update-service", Method: http.MethodPut, Path: "/api/trunks/{id}/service", Summary: "Take a trunk out of service, let it drain, or put it back: at once, in no revision"},
		func(ctx context.Context, in *struct {
			ID   string `path:"id"`
			Body ServicePut
		}) (*struct{ Body TrunkDetail }, error) {
			return s.setService(ctx, in.ID, in.Body)
		})
	huma.Register(a, huma.Operation{OperationID: "list-secrets", Method: http.MethodGet, Path: "/api/draft/trunks/{id}/secrets", Summary: "The accounts of a trunk of the draft, and for which of them a secret is set; never the secrets"},
		func(ctx context.Context, in *struct {
			ID string `path:"id"`
		}) (*struct{ Body []SecretState }, error) {
			return s.secretsOf(ctx, in.ID)
		})
	huma.Register(a, huma.Operation{OperationID: "update-secret", Method: http.MethodPut, Path: "/api/trunks/{id}/secrets/{side}/{account}", Summary: "Set the secret of an account; the answer is the only place where it is shown"},
		func(ctx context.Context, in *struct {
			ID      string `path:"id"`
			Side    string `path:"side" enum:"inbound,outbound"`
			Account string `path:"account"`
			Body    SecretPut
		}) (*struct{ Body SecretShown }, error) {
			return s.setSecret(ctx, in.ID, plan.Side(in.Side), in.Account, in.Body.Secret)
		})
	huma.Register(a, huma.Operation{OperationID: "place-trunk-test-call", Method: http.MethodPost, Path: "/api/trunks/{id}/test-call", Summary: "Send a call on this trunk with the digits as typed, past the plan"},
		func(ctx context.Context, in *struct {
			ID   string `path:"id"`
			Body TestCall
		}) (*struct{ Body TestCallPlaced }, error) {
			return s.testCall(ctx, in.ID, in.Body)
		})
}

// runningTrunk finds a trunk of the live plan.
func (s *server) runningTrunk(id string) (*live.Running, plan.Trunk, error) {
	run := s.Plan.Current()
	if run == nil {
		return nil, plan.Trunk{}, huma.Error404NotFound("no plan is live")
	}
	t, ok := run.Snapshot.Trunk(id)
	if !ok {
		return nil, plan.Trunk{}, huma.Error404NotFound("the live plan has no trunk " + id)
	}
	return run, *t, nil
}

func (s *server) trunkDetail(id string) (TrunkDetail, error) {
	run, t, err := s.runningTrunk(id)
	if err != nil {
		return TrunkDetail{}, err
	}
	now := time.Now()
	d := TrunkDetail{
		RunningTrunk: s.trunk(plan.NewIndex(run.Snapshot.Plan()), t), Link: t.Link.Explicit(),
		Accounts: s.accounts(t, now), Sources: s.trunkSources(t), Exposure: findings.Exposure(run.Snapshot.Graph, id), Day: []Span{},
		Availability: -1, Services: t.Services, Mailboxes: s.mailboxes(run, id),
	}
	if t.Services.SendsOn() {
		if d.ServicesTable = d.InboundTable; t.Services.Table != "" {
			d.ServicesTable = plan.NewIndex(run.Snapshot.Plan()).Tables[t.Services.Table].Name
		}
	}
	day := s.History.Day(id, now)
	for _, span := range day {
		d.Day = append(d.Day, Span{span.From, span.To, string(span.Word), span.Cause})
	}
	if share, known := live.Availability(day); known {
		d.Availability = share
	}
	if b, cut := s.Trunks.CutOff(t, s.Registrations, s.Gate, now); cut {
		d.Blocked = &Blocked{b.Source, "calls", b.Since, b.Until, b.Why, b.By, b.Met}
	}
	d.Strays = []StrayState{}
	for _, x := range s.Trunks.Strays(id, now) {
		d.Strays = append(d.Strays, StrayState{x.Source, x.Port, x.By, x.Method, x.Why, x.Count, x.Last, t.Link.Signalling().Claims().Accepts(strings.ToLower(x.By))})
	}
	d.Ends = s.ends(run.Snapshot.Plan(), t)
	d.Certificates = s.certificatesOf(t, time.Now())
	d.Checklist = judge.Checklist(s.facts(run.Snapshot.Plan(), t, d, now))
	return d, nil
}

func (s *server) mailboxes(run *live.Running, trunk string) []Mailbox {
	name := func(id string) string {
		if t, ok := run.Snapshot.Trunk(id); ok {
			return t.Name
		}
		return id
	}
	out := []Mailbox{}
	for _, l := range s.Lamps.Of(trunk) {
		out = append(out, Mailbox{l.Mailbox, name(l.From), name(l.To), l.Waiting, l.New, l.Old, l.At, l.Status >= 200 && l.Status < 300, l.Why})
	}
	return out
}

func (s *server) accounts(t plan.Trunk, now time.Time) []AccountState {
	out := []AccountState{}
	link := t.Link.Signalling()
	for _, a := range link.Accounts(plan.SideInbound) {
		v := s.account(t, plan.SideInbound, a)
		for _, b := range s.Registrations.Bindings(t.ID, a.ID, now) {
			v.Contacts = append(v.Contacts, Contact{b.Contact, b.Source, b.Transport, b.Agent, b.Since, b.Until})
		}
		if link.Claims().Registers {
			if v.State = "absent"; len(v.Contacts) > 0 {
				v.State, v.Since, v.Until = "registered", &v.Contacts[0].Since, &v.Contacts[0].Until
			}
		}
		out = append(out, v)
	}
	for _, a := range link.Accounts(plan.SideOutbound) {
		v := s.account(t, plan.SideOutbound, a)
		if o, ok := s.Registrations.Our(t.ID, a.ID); ok {
			v.State, v.Evidence, v.Server = string(o.State), o.Evidence, o.Server
			v.Since, v.Until, v.Next = orNil(o.Since), orNil(o.Until), orNil(o.Next)
		}
		out = append(out, v)
	}
	return out
}

func (s *server) account(t plan.Trunk, side plan.Side, a plan.Account) AccountState {
	_, set := s.Secrets.Of(t.ID, side, a.ID)
	return AccountState{Side: string(side), ID: a.ID, User: a.User, Number: a.Number, Port: a.Port, Secret: set, State: "unused", Contacts: []Contact{}}
}

// trunkSources lists the addresses of a far end: those that are trusted, and others
// from which something came.
func (s *server) trunkSources(t plan.Trunk) []SourceState {
	out := []SourceState{}
	seen := s.Trunks.State(t.ID).Sources
	for _, text := range t.Link.Signalling().Claims().Trusted {
		v := SourceState{Source: text, Trusted: true}
		trust, err := plan.ParseTrust(text)
		if err != nil { // validated
			continue
		}
		for a, sighting := range seen {
			if trust.Network.Contains(a) && (v.Last == nil || sighting.At.After(*v.Last)) {
				v.Last, v.What = &sighting.At, sighting.What
			}
			if trust.Single() && trust.Network.Contains(a) {
				delete(seen, a)
			}
		}
		out = append(out, v)
	}
	var rest []SourceState
	for a, sighting := range seen {
		rest = append(rest, SourceState{a.String(), false, &sighting.At, sighting.What})
	}
	slices.SortFunc(rest, func(a, b SourceState) int { return b.Last.Compare(*a.Last) })
	return append(out, rest...)
}

func (s *server) setService(ctx context.Context, id string, put ServicePut) (*struct{ Body TrunkDetail }, error) {
	if _, _, err := s.runningTrunk(id); err != nil {
		return nil, err
	}
	now := time.Now()
	v := standing.Service{Trunk: id, Since: now, Why: put.Why, By: user(s, ctx)}
	if put.Word != "in" {
		v.Word = standing.Word(put.Word)
	}
	if put.Minutes > 0 {
		v.Until = now.Add(time.Duration(put.Minutes) * time.Minute)
	}
	s.Trunks.SetService(v)
	s.audit(ctx, fmt.Sprintf("trunk %s: %s %s", id, put.Word, put.Why))
	if err := s.Store.SaveService(ctx, v); err != nil {
		s.Log.Error("the service of a trunk holds until this process ends: it could not be kept", "trunk", id, "error", err)
	}
	d, err := s.trunkDetail(id)
	return &struct{ Body TrunkDetail }{d}, err
}

// setSecret seals a secret in the database before it holds: one that would be gone
// with the process would be a trap.
func (s *server) setSecret(ctx context.Context, id string, side plan.Side, account, secret string) (*struct{ Body SecretShown }, error) {
	if !s.hasAccount(ctx, id, side, account) {
		return nil, huma.Error404NotFound(fmt.Sprintf("neither the live plan nor the draft has an account %s of this kind on trunk %s", account, id))
	}
	if secret == "" {
		if side == plan.SideOutbound {
			return nil, huma.Error422UnprocessableEntity("the far end gave us this account, and the secret with it; type it in",
				&huma.ErrorDetail{Location: "body.secret", Message: "is missing"})
		}
		secret = rand.Text()
	}
	err := s.Store.PutSecret(ctx, plan.SecretName(id, side, account), secret)
	switch {
	case errors.Is(err, store.ErrNoKey):
		return nil, huma.Error409Conflict(err.Error())
	case err != nil:
		return nil, s.failed(err)
	}
	s.Secrets.Set(id, side, account, secret)
	s.audit(ctx, fmt.Sprintf("set the secret of account %s (%s) of trunk %s", account, side, id))
	return &struct{ Body SecretShown }{SecretShown{secret}}, nil
}

// secretsOf are the accounts of a trunk of the draft, theirs first.
func (s *server) secretsOf(ctx context.Context, id string) (*struct{ Body []SecretState }, error) {
	d, err := s.Store.Draft(ctx)
	if err != nil {
		return nil, s.failed(err)
	}
	t := plan.NewIndex(d.Plan).Trunks[id]
	if t == nil {
		return nil, huma.Error404NotFound("the draft has no trunk " + id)
	}
	list := []SecretState{}
	add := func(side plan.Side, accounts []plan.Account) {
		for _, a := range accounts {
			_, set := s.Secrets.Of(id, side, a.ID)
			list = append(list, SecretState{string(side), a.ID, a.User, set})
		}
	}
	for _, side := range []plan.Side{plan.SideInbound, plan.SideOutbound} {
		add(side, t.Link.Signalling().Accounts(side))
	}
	return &struct{ Body []SecretState }{list}, nil
}

// hasAccount tells whether a trunk has an account, in the live plan or the draft.
func (s *server) hasAccount(ctx context.Context, id string, side plan.Side, account string) bool {
	has := func(p plan.Plan) bool {
		t := plan.NewIndex(p).Trunks[id]
		if t == nil {
			return false
		}
		return slices.ContainsFunc(t.Link.Signalling().Accounts(side), func(a plan.Account) bool { return a.ID == account })
	}
	if run := s.Plan.Current(); run != nil && has(run.Snapshot.Plan()) {
		return true
	}
	d, err := s.Store.Draft(ctx)
	return err == nil && has(d.Plan)
}

func (s *server) testCall(ctx context.Context, id string, ask TestCall) (*struct{ Body TestCallPlaced }, error) {
	_, t, err := s.runningTrunk(id)
	if err != nil {
		return nil, err
	}
	called, err := digits.ParseNumber(ask.Digits)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error(), &huma.ErrorDetail{Location: "body.digits", Message: err.Error()})
	}
	caller, err := digits.ParseNumber(ask.Caller)
	if err != nil {
		return nil, huma.Error422UnprocessableEntity(err.Error(), &huma.ErrorDetail{Location: "body.caller", Message: err.Error()})
	}
	call, err := s.Switchboard.TestCall(t, called, caller, time.Duration(ask.Seconds)*time.Second)
	if err != nil {
		return nil, huma.Error409Conflict(err.Error())
	}
	s.audit(ctx, fmt.Sprintf("straight test call by trunk %s to %s", id, ask.Digits))
	return &struct{ Body TestCallPlaced }{TestCallPlaced{call}}, nil
}
