// Package plan is the model of everything that decides a call, apart from the
// state of the moment, and its open JSON document.
//
// It never decides a call and never talks to a database; secrets are never in
// it. Package decide compiles a plan, package store keeps it.
package plan

import (
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/rewrite"
)

// Format and Version head every plan document.
const (
	Format  = "switchback-plan"
	Version = 1
)

// Plan is the whole document.
type Plan struct {
	Format       string        `json:"format" enum:"switchback-plan"`
	Version      int           `json:"version" minimum:"1" maximum:"1"`
	Name         string        `json:"name"`
	Switches     []Switch      `json:"switches" nullable:"false"`
	FarEnds      []FarEnd      `json:"farEnds" nullable:"false"`
	Trunks       []Trunk       `json:"trunks" nullable:"false"`
	Tables       []Table       `json:"tables" nullable:"false"`
	Paths        []Path        `json:"paths" nullable:"false"`
	Destinations []Destination `json:"destinations" nullable:"false"`
	Groups       []Group       `json:"groups" nullable:"false" required:"false"`
	Hours        []Hours       `json:"hours" nullable:"false" required:"false"`
	Checks       []Check       `json:"checks" nullable:"false" required:"false"`
	// Numbers is the inventory of public numbers.
	Numbers inventory.List `json:"numbers" nullable:"false" required:"false"`
}

// New returns an empty plan.
func New(name string) Plan {
	return Plan{
		Format: Format, Version: Version, Name: name,
		Switches: []Switch{}, FarEnds: []FarEnd{}, Trunks: []Trunk{},
		Tables: []Table{}, Paths: []Path{}, Destinations: []Destination{}, Groups: []Group{}, Hours: []Hours{}, Checks: []Check{},
	}
}

// Switch is one call router, at a site.
type Switch struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Region Region `json:"region"`
	// SIP is the address and port on which the switch listens, over UDP and TCP.
	SIP string `json:"sip"`
	// TLS is the address and port on which it listens for SIP over TLS; empty for
	// none. Its certificate is a file beside the program, never in the plan.
	TLS string `json:"tls,omitempty"`
	// Realm is what the switch calls itself when it asks for a credential; empty
	// is its id.
	Realm string `json:"realm,omitempty" maxLength:"200"`
	// Gate is how the switch meets sources that it does not know or that fail.
	Gate Gate `json:"gate,omitzero"`
	// Media are its ports for sound.
	Media MediaPorts `json:"media,omitzero"`
	// OwnNumbers says what becomes of a call from inside to a public number of the
	// inventory that this switch answers: it stays inside (the default), or leaves as any
	// other.
	OwnNumbers string `json:"ownNumbers,omitempty" enum:"inside,outside"`
	// LastResort is the destination of calls from outside whose number nobody answers,
	// where their trunk names none.
	LastResort string `json:"lastResort,omitempty" maxLength:"63"`
}

// The values of Switch.OwnNumbers; empty is inside.
const (
	OwnNumbersInside  = "inside"
	OwnNumbersOutside = "outside"
)

// Gate says how a switch meets sources that it does not know or that fail.
type Gate struct {
	// Unknown is what a call gets that belongs to no trunk: silence (the
	// default), 401 or 403.
	Unknown string `json:"unknown,omitempty" enum:"silence,401,403"`
	// A source that fails Failures times within WindowMinutes is blocked for
	// ShutHours; 0 is 5 times in 10 minutes, for 24 hours. Addresses that a
	// trunk trusts are never blocked.
	Failures      int `json:"failures,omitempty" minimum:"0" maximum:"1000"`
	WindowMinutes int `json:"windowMinutes,omitempty" minimum:"0" maximum:"1440"`
	ShutHours     int `json:"shutHours,omitempty" minimum:"0" maximum:"8760"`
	// CallsPerSecond is how many calls one address may begin in a second; 0 is 50.
	CallsPerSecond int `json:"callsPerSecond,omitempty" minimum:"0" maximum:"10000"`
	// StrangersPerSecond is how many messages all sources together that no trunk knows may send
	// in a second, and SourcePerSecond each of them; 0 is 500 and 20. Far ends that have not
	// registered yet are strangers: a site of many phones behind one address needs a larger share.
	StrangersPerSecond int `json:"strangersPerSecond,omitempty" minimum:"0" maximum:"10000"`
	SourcePerSecond    int `json:"sourcePerSecond,omitempty" minimum:"0" maximum:"1000"`
}

// Defaults of a gate.
const (
	DefaultFailures       = 5
	DefaultWindowMinutes  = 10
	DefaultShutHours      = 24
	DefaultCallsPerSecond = 50

	DefaultStrangersPerSecond = 500
	DefaultSourcePerSecond    = 20

	UnknownSilence   = "silence"
	UnknownChallenge = "401"
	UnknownForbid    = "403"
)

// OrDefault fills in what is 0 or empty.
func (g Gate) OrDefault() Gate {
	fill := func(v *int, d int) {
		if *v == 0 {
			*v = d
		}
	}
	fill(&g.Failures, DefaultFailures)
	fill(&g.WindowMinutes, DefaultWindowMinutes)
	fill(&g.ShutHours, DefaultShutHours)
	fill(&g.CallsPerSecond, DefaultCallsPerSecond)
	fill(&g.StrangersPerSecond, DefaultStrangersPerSecond)
	fill(&g.SourcePerSecond, DefaultSourcePerSecond)
	if g.Unknown == "" {
		g.Unknown = UnknownSilence
	}
	return g
}

// Region places a switch in a numbering plan.
type Region struct {
	Country  string `json:"country"`
	Area     string `json:"area,omitempty"`
	TimeZone string `json:"timeZone,omitempty" doc:"IANA time zone of the site"`
	// Local are area codes, without the national prefix, to which calls are local
	// beside those of the area; Classes are the site's own.
	Local []string `json:"local,omitempty" maxItems:"200"`
	// Emergency are emergency numbers of the site, beside those of its country.
	Emergency []EmergencyNumber `json:"emergency,omitempty" maxItems:"50"`
	Classes   []ClassRule       `json:"classes,omitempty" maxItems:"200"`
}

// EmergencyNumber is a number for help, such as that of a works fire brigade.
type EmergencyNumber struct {
	Number string `json:"number" maxLength:"32"`
	// Service is the emergency service that it reaches, by the labels behind "sos" in its
	// URN (RFC 5031): calls to urn:service:sos.fire go to the number of fire.
	Service string `json:"service,omitempty" maxLength:"60"`
}

// FarEndKind is what sort of thing a far end is.
type FarEndKind string

// The kinds of far end.
const (
	PhoneSystem FarEndKind = "phone-system"
	Carrier     FarEndKind = "carrier"
	Gateway     FarEndKind = "gateway"
	Peer        FarEndKind = "peer"
	Application FarEndKind = "application"
)

// FarEnd is what is on the other side of a trunk.
type FarEnd struct {
	ID   string     `json:"id"`
	Name string     `json:"name"`
	Kind FarEndKind `json:"kind" enum:"phone-system,carrier,gateway,peer,application"`
	Site string     `json:"site,omitempty"`
	Note string     `json:"note,omitempty"`
}

// Trunk is a connection between a switch and a far end, or another switch.
type Trunk struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Switch string `json:"switch"`
	// FarEnd or, where the other side is a switch of this plan, Peer: the
	// trunk that stands for the same connection over there.
	FarEnd string `json:"farEnd,omitempty"`
	Peer   string `json:"peer,omitempty"`
	Kind   string `json:"kind" enum:"sip"`
	// Group is a word for trunks that are alike, such as carriers, by which rules name
	// all of them.
	Group string `json:"group,omitempty" maxLength:"63"`
	// Profile is the sort of far end by whose rules the trunk was set, one of Profiles.
	// It decides nothing; departures from it are told.
	Profile string `json:"profile,omitempty" enum:"strict-e164-carrier,ten-digit-carrier,national-carrier,national-carrier-by-address,several-addresses-carrier,registering-phone-system,phone-system-by-address,gateway-with-ports,voicemail-server,cloud-platform-tls,cloud-platform-tcp,peer-network-tcp,gateway-with-cards"`
	// Channels is the most calls at one time, both directions together.
	Channels int `json:"channels" minimum:"1" maximum:"10000"`
	// Kept are the channels that only some calls may use.
	Kept Kept `json:"kept,omitzero"`
	// CallsPerSecond is how many calls it may begin in a second; 0 is no limit.
	// LongestCall ends calls after so many seconds; 0 is 4 hours.
	CallsPerSecond int `json:"callsPerSecond,omitempty" minimum:"0" maximum:"10000"`
	LongestCall    int `json:"longestCall,omitempty" minimum:"0" maximum:"604800"`
	// CostRank orders trunks where a path is cheapest first: 0 is cheapest.
	CostRank int `json:"costRank,omitempty" minimum:"0" maximum:"100"`
	// Entry is the routing table that decides calls from the far end; empty if
	// it may not call in.
	Entry string   `json:"entry,omitempty"`
	In    Inbound  `json:"in"`
	Out   Contract `json:"out"`
	// LastResort is the destination of its calls whose number nobody answers: a wrong
	// one, one that is not in use, or none. Empty is that of the switch, for trunks that
	// lead outside. It is no second try: a call that is offered to somebody stays there.
	LastResort string `json:"lastResort,omitempty" maxLength:"63"`
	// Tag stands before the caller's name where its calls ring, and Ring is sent there as
	// Alert-Info; those of the called number win.
	Tag  string `json:"tag,omitempty" maxLength:"40"`
	Ring string `json:"ring,omitempty" maxLength:"200"`
	// Digits are how its digits come where they come one by one.
	Digits DigitTimers `json:"digits,omitzero"`
	// MayGoBack lets a call return to the trunk that it came from. Without it:
	// phone systems may, all others may not.
	MayGoBack *bool `json:"mayGoBack,omitempty"`
	SIP       SIP   `json:"sip"`
	Media     Media `json:"media,omitzero"`
	// Services are what the far end may do beside calling.
	Services Services `json:"services,omitzero"`
	// Theirs is what the far end says of its own side, kept by hand where it cannot be
	// read. It decides nothing; it is compared.
	Theirs OtherEnd `json:"theirs,omitzero"`
	Note   string   `json:"note,omitempty"`
}

// Profiles are the ids of the sorts of far ends that package profile knows.
var Profiles = []string{
	"strict-e164-carrier", "ten-digit-carrier", "national-carrier", "national-carrier-by-address", "several-addresses-carrier", "registering-phone-system",
	"phone-system-by-address", "gateway-with-ports", "voicemail-server", "cloud-platform-tls", "cloud-platform-tcp", "peer-network-tcp", "gateway-with-cards",
}

// Kept are channels of a trunk that are kept: for emergency calls, for calls from
// them to us, and for calls from us to them.
type Kept struct {
	Emergency int `json:"emergency,omitempty" minimum:"0" maximum:"10000"`
	In        int `json:"in,omitempty" minimum:"0" maximum:"10000"`
	Out       int `json:"out,omitempty" minimum:"0" maximum:"10000"`
}

// DefaultLongestCall is how long a call may last, in seconds.
const DefaultLongestCall = 4 * 3600

// Inbound says in which forms the far end gives numbers.
type Inbound struct {
	Called numbering.Form `json:"called,omitempty"`
	// Before stands before called numbers that come with their last digits only, so that
	// they are E.164: +441914 where 980100 comes for +44 191 498 0100. A number that has a
	// + is whole already.
	Before string         `json:"before,omitempty" maxLength:"20"`
	Caller numbering.Form `json:"caller,omitempty"`
}

// Contract says in which forms the far end takes numbers.
type Contract struct {
	Called Forms `json:"called"`
	Caller Forms `json:"caller"`
	// SendAnyway offers the trunk a number that breaks the contract, instead
	// of skipping it.
	SendAnyway bool `json:"sendAnyway,omitempty"`
	// CallerFallback says what becomes of a caller number that cannot be written as Caller
	// demands: it is removed (the default), or sent as it is.
	CallerFallback string `json:"callerFallback,omitempty" enum:"remove,as-is"`
}

// The values of Contract.CallerFallback; empty is remove.
const (
	CallerRemoved = "remove"
	CallerAsIs    = "as-is"
)

// Forms gives, for each kind of number, the form that is wanted. Empty: as it
// is. Refuse: no such number may leave here.
type Forms struct {
	Home      numbering.Form `json:"home,omitempty"`
	Foreign   numbering.Form `json:"foreign,omitempty"`
	Emergency numbering.Form `json:"emergency,omitempty" doc:"empty or refuse: emergency numbers are never converted"`
	Short     numbering.Form `json:"short,omitempty" doc:"empty or refuse: short numbers are never converted"`
	Private   numbering.Form `json:"private,omitempty" doc:"extensions: empty or refuse"`
	// Prefix stands before public numbers once they have their form, such as the outside
	// prefix of a phone system, so that a caller shown to it can be called back.
	Prefix string `json:"prefix,omitempty" maxLength:"8"`
}

// Refuse stands in a contract in place of a form.
const Refuse numbering.Form = "refuse"

// For returns what is wanted for a kind of number.
func (f Forms) For(k numbering.Kind) numbering.Form {
	switch k {
	case numbering.Home:
		return f.Home
	case numbering.Foreign:
		return f.Foreign
	case numbering.Emergency:
		return f.Emergency
	case numbering.Short:
		return f.Short
	case numbering.Internal:
		return f.Private
	}
	return ""
}

// Any tells whether the contract asks for any public form.
func (f Forms) Any() bool { return f.Home.Public() || f.Foreign.Public() }

// SessionTimerOff is the other value of SIP.SessionTimer.
const SessionTimerOff = "off"

// Table is a routing table: an ordered set of rules.
type Table struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Switch string `json:"switch"`
	// Form is the form in which the patterns are written; empty means as
	// dialled.
	Form   numbering.Form `json:"form,omitempty"`
	Policy string         `json:"policy" enum:"specific-first,as-listed"`
	Note   string         `json:"note,omitempty"`
	Rules  []Rule         `json:"rules" nullable:"false"`
}

// The policies. Under AsListed the first rule of the list that matches wins.
// Under SpecificFirst a rule all of whose calls another takes too stands before
// that other one, wherever it is in the list.
const (
	SpecificFirst = "specific-first"
	AsListed      = "as-listed"
)

// Rule matches a call, rewrites it and says where it goes.
type Rule struct {
	ID       string         `json:"id"`
	Name     string         `json:"name"`
	Disabled bool           `json:"disabled,omitempty"`
	Match    Match          `json:"match"`
	Called   []rewrite.Step `json:"called,omitempty"`
	Caller   []rewrite.Step `json:"caller,omitempty"`
	Then     Then           `json:"then"`
	// For are the groups that alone may use the rule; others are refused, and do not
	// slip on to the next. Empty is everybody whom the groups let.
	For []string `json:"for,omitempty" maxItems:"200"`
	// Class is what sort of call the rule is meant for. It decides nothing: what a call
	// is follows from its number, and a difference is told.
	Class numbering.Class `json:"class,omitempty" enum:"emergency,internal,service,local,national,mobile,freephone,shared-cost,premium,international,unknown"`
	// Complete says what follows, where digits come one by one, once the rule has a
	// number that another could outgrow: wait (empty) for a longer one, or connect at
	// once.
	Complete string `json:"complete,omitempty" enum:"wait,at-once"`
	// LastResort rules take what no other takes: wrong numbers, and none. They never
	// keep the collection of digits open, and never end it.
	LastResort bool   `json:"lastResort,omitempty"`
	Note       string `json:"note,omitempty"`
}

// The values of Rule.Complete; empty is CompleteWait.
const (
	CompleteWait   = "wait"
	CompleteAtOnce = "at-once"
)

// Match is what a rule wants of a call. An empty field matches anything.
type Match struct {
	Called   string   `json:"called,omitempty" doc:"Dial pattern of the called number"`
	NoDigits bool     `json:"noDigits,omitempty" doc:"Only the empty number"`
	Caller   string   `json:"caller,omitempty" doc:"Dial pattern of the caller's number"`
	NoCaller bool     `json:"noCaller,omitempty" doc:"Only callers without a number"`
	From     []string `json:"from,omitempty" doc:"Only calls from these trunks"`
	// FromGroups are groups of trunks, by the word that their trunks bear; a call from
	// any trunk of From or of these is meant.
	FromGroups []string `json:"fromGroups,omitempty" maxItems:"100"`
	When       When     `json:"when,omitzero" doc:"Only in these states of a calendar"`
}

// Then is where a rule sends a call: exactly one of its fields is set.
type Then struct {
	Table       string `json:"table,omitempty"`
	Path        string `json:"path,omitempty"`
	Destination string `json:"destination,omitempty"`
	Inventory   bool   `json:"inventory,omitempty" doc:"To what answers the called number in the inventory of public numbers"`
	Refuse      int    `json:"refuse,omitempty" doc:"Q.850 cause" maximum:"127"`
	// SetHours sets a calendar by hand, and answers with a tone that says so.
	SetHours *SetHours `json:"setHours,omitempty"`
}

// SetHours puts a calendar in a state by hand. The rule that does so names the groups
// that alone may.
type SetHours struct {
	Hours string `json:"hours" maxLength:"63" doc:"Id of the calendar"`
	// State is the one that it is put in; empty lets it go by its own times again. With
	// Toggle it does so too where it is in that state by hand already.
	State  string `json:"state,omitempty" maxLength:"40"`
	Toggle bool   `json:"toggle,omitempty"`
	// Minutes is for how long; 0 is until somebody takes it back.
	Minutes int `json:"minutes,omitempty" minimum:"0" maximum:"44640"`
}

// MaxOverrideMinutes is the longest that a calendar is set by hand with an end: 31 days.
const MaxOverrideMinutes = 44_640

// DestinationKinds are the kinds of destination.
var DestinationKinds = []string{"extensions", "extension", "group", "menu", "queue", "voicemail", "outside"}

// Destination is something that answers at a far end.
type Destination struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Kind string `json:"kind" enum:"extensions,extension,group,menu,queue,voicemail,outside"`
	// Trunk is the way to it.
	Trunk string `json:"trunk"`
	// Number is sent to the far end; or Numbers: the pattern of numbers that
	// exist there, of which the called number must be one.
	Number  string `json:"number,omitempty"`
	Numbers string `json:"numbers,omitempty"`
	Note    string `json:"note,omitempty"`
}

// Protocol is what carries the calls of the trunk.
func (t *Trunk) Protocol() string { return ProtocolSIP }

// Protocols of trunks.
const ProtocolSIP = "sip"
