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
	Version = 2
)

// Plan is the whole document.
type Plan struct {
	Format       string        `json:"format" enum:"switchback-plan"`
	Version      int           `json:"version" minimum:"2" maximum:"2"`
	Name         string        `json:"name"`
	Switches     []Switch      `json:"switches" nullable:"false"`
	FarEnds      []FarEnd      `json:"farEnds" nullable:"false"`
	Trunks       []Trunk       `json:"trunks" nullable:"false"`
	Tables       []Table       `json:"tables" nullable:"false"`
	Paths        []Path        `json:"paths" nullable:"false"`
	Destinations []Destination `json:"destinations" nullable:"false"`
	CallerGroups []CallerGroup `json:"callerGroups" nullable:"false" required:"false"`
	Calendars    []Calendar    `json:"calendars" nullable:"false" required:"false"`
	Checks       []Check       `json:"checks" nullable:"false" required:"false"`
	// Numbers is the inventory of public numbers.
	Numbers inventory.List `json:"numbers" nullable:"false" required:"false"`
}

// New returns an empty plan.
func New(name string) Plan {
	return Plan{
		Format: Format, Version: Version, Name: name,
		Switches: []Switch{}, FarEnds: []FarEnd{}, Trunks: []Trunk{},
		Tables: []Table{}, Paths: []Path{}, Destinations: []Destination{}, CallerGroups: []CallerGroup{}, Calendars: []Calendar{}, Checks: []Check{},
	}
}

// Switch is one call router, at a site.
type Switch struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Region Region `json:"region"`
	// Listeners are where it takes calls, by protocol.
	Listeners Listeners `json:"listeners"`
	// UnknownSources is how it responds to sources that it does not know or that fail.
	UnknownSources UnknownSources `json:"unknownSources,omitzero"`
	// Media are its RTP ports.
	Media MediaPorts `json:"media,omitzero"`
	// OwnNumbers says what becomes of a call from inside to a public number of the
	// inventory that this switch answers: it stays inside (the default), or leaves as any
	// other.
	OwnNumbers string `json:"ownNumbers,omitempty" enum:"inside,outside"`
	// LastResort is the destination of calls from outside whose number nobody answers,
	// where their trunk names none.
	LastResort string `json:"lastResort,omitempty" ref:"destination" maxLength:"63"`
}

// Listeners are the addresses on which a switch takes calls, by protocol.
type Listeners struct {
	SIP SIPListener `json:"sip"`
}

// Addresses are where a switch takes calls from its start on, by protocol: another address is
// another listener, which the calls of this one do not move to.
func (l Listeners) Addresses() map[string]string {
	return map[string]string{ProtocolSIP: l.SIP.Address}
}

// SIPListener is where a switch takes calls by SIP.
type SIPListener struct {
	// Address and port for UDP and TCP.
	Address string `json:"address"`
	// TLSAddress is the address and port for TLS; empty for none. Its certificate is a file
	// beside the program, never in the plan.
	TLSAddress string `json:"tlsAddress,omitempty"`
	// Realm is that of its digest challenges; empty is the id of the switch.
	Realm string `json:"realm,omitempty" maxLength:"200"`
}

// The values of Switch.OwnNumbers; empty is inside.
const (
	OwnNumbersInside  = "inside"
	OwnNumbersOutside = "outside"
)

// UnknownSources says how a switch responds to sources that it does not know or that fail.
type UnknownSources struct {
	// Policy is the response to a call that belongs to no trunk: none (drop, the default),
	// 401 or 403.
	Policy string `json:"policy,omitempty" enum:"drop,401,403"`
	// A source with FailedAttempts within WindowMinutes is blocked for
	// BlockHours; 0 is 5 times in 10 minutes, for 24 hours. Addresses that a
	// trunk trusts are never blocked.
	FailedAttempts int `json:"failedAttempts,omitempty" minimum:"0" maximum:"1000"`
	WindowMinutes  int `json:"windowMinutes,omitempty" minimum:"0" maximum:"1440"`
	BlockHours     int `json:"blockHours,omitempty" minimum:"0" maximum:"8760"`
	// CallsPerSecond is how many calls one address may begin in a second; 0 is 50.
	CallsPerSecond int `json:"callsPerSecond,omitempty" minimum:"0" maximum:"10000"`
	// UnknownPerSecond is how many messages all sources together that no trunk knows may send
	// in a second, and PerSourcePerSecond each of them; 0 is 500 and 20. Far ends that have not
	// registered yet are unknown: a site of many phones behind one address needs a larger share.
	UnknownPerSecond   int `json:"unknownPerSecond,omitempty" minimum:"0" maximum:"10000"`
	PerSourcePerSecond int `json:"perSourcePerSecond,omitempty" minimum:"0" maximum:"1000"`
}

// Defaults of UnknownSources.
const (
	DefaultFailedAttempts = 5
	DefaultWindowMinutes  = 10
	DefaultBlockHours     = 24
	DefaultCallsPerSecond = 50

	DefaultUnknownPerSecond   = 500
	DefaultPerSourcePerSecond = 20

	UnknownDrop      = "drop"
	UnknownChallenge = "401"
	UnknownForbid    = "403"
)

// OrDefault fills in what is 0 or empty.
func (g UnknownSources) OrDefault() UnknownSources {
	fill := func(v *int, d int) {
		if *v == 0 {
			*v = d
		}
	}
	fill(&g.FailedAttempts, DefaultFailedAttempts)
	fill(&g.WindowMinutes, DefaultWindowMinutes)
	fill(&g.BlockHours, DefaultBlockHours)
	fill(&g.CallsPerSecond, DefaultCallsPerSecond)
	fill(&g.UnknownPerSecond, DefaultUnknownPerSecond)
	fill(&g.PerSourcePerSecond, DefaultPerSourcePerSecond)
	if g.Policy == "" {
		g.Policy = UnknownDrop
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
	PeerNetwork FarEndKind = "peer-network"
	Application FarEndKind = "application"
)

// FarEnd is what is on the other side of a trunk.
type FarEnd struct {
	ID   string     `json:"id"`
	Name string     `json:"name"`
	Kind FarEndKind `json:"kind" enum:"phone-system,carrier,gateway,peer-network,application"`
	Site string     `json:"site,omitempty"`
	Note string     `json:"note,omitempty"`
}

// Trunk is a connection between a switch and a far end, or another switch.
type Trunk struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Switch string `json:"switch" ref:"switch"`
	// FarEnd or, where the other side is a switch of this plan, OppositeTrunk: the trunk
	// there of the same connection.
	FarEnd        string `json:"farEnd,omitempty" ref:"farEnd"`
	OppositeTrunk string `json:"oppositeTrunk,omitempty" ref:"trunk"`
	// Group is a word for trunks that are alike, such as carriers, by which rules name
	// all of them.
	Group string `json:"group,omitempty" maxLength:"63"`
	// Profile is the sort of far end by whose rules the trunk was set, one of Profiles.
	// It decides nothing; departures from it are told.
	Profile string `json:"profile,omitempty" enum:"strict-e164-carrier,ten-digit-carrier,national-carrier,national-carrier-by-address,several-addresses-carrier,registering-phone-system,phone-system-by-address,gateway-with-ports,voicemail-server,cloud-platform-tls,cloud-platform-tcp,cloud-platform-registered,peer-network-tcp,gateway-with-cards"`
	// Channels is the most calls at one time, both directions together.
	Channels int `json:"channels" minimum:"1" maximum:"10000"`
	// Reserved are the channels that only some calls may use.
	Reserved Reserved `json:"reserved,omitzero"`
	// CallsPerSecond is how many calls it may begin in a second; 0 is no limit.
	// MaxCallSeconds ends calls after so many seconds; 0 is 4 hours.
	CallsPerSecond int `json:"callsPerSecond,omitempty" minimum:"0" maximum:"10000"`
	MaxCallSeconds int `json:"maxCallSeconds,omitempty" minimum:"0" maximum:"604800"`
	// CostRank orders trunks where a path is cheapest first: 0 is cheapest.
	CostRank int `json:"costRank,omitempty" minimum:"0" maximum:"100"`
	// InboundTable is the routing table that decides calls from the far end; empty if
	// it may not call in.
	InboundTable string   `json:"inboundTable,omitempty" ref:"table"`
	In           Inbound  `json:"in"`
	Out          Contract `json:"out"`
	// LastResort is the destination of its calls whose number nobody answers: a wrong
	// one, one that is not in use, or none. Empty is that of the switch, for trunks that
	// lead outside. It is no second try: a call that is offered to somebody stays there.
	LastResort string `json:"lastResort,omitempty" ref:"destination" maxLength:"63"`
	// NamePrefix precedes the caller's name where its calls ring, and AlertInfo is sent
	// there; those of the called number take precedence.
	NamePrefix string `json:"namePrefix,omitempty" maxLength:"40"`
	AlertInfo  string `json:"alertInfo,omitempty" maxLength:"200"`
	// Overlap is how its digits are collected where they come one by one.
	Overlap Overlap `json:"overlap,omitzero"`
	// Hairpin lets a call return to the trunk that it came from. Without it:
	// phone systems may, all others may not.
	Hairpin *bool `json:"hairpin,omitempty"`
	// Link is what carries the signalling of its calls.
	Link  Link  `json:"link"`
	Media Media `json:"media,omitzero"`
	// Services are what the far end may do beside calling.
	Services Services `json:"services,omitzero"`
	// FarEndSettings is what the far end says of its own side, entered where it cannot be
	// read. It decides nothing; it is compared.
	FarEndSettings FarEndSettings `json:"farEndSettings,omitzero"`
	Note           string         `json:"note,omitempty"`
}

// Profiles are the ids of the sorts of far ends that package profile knows.
var Profiles = []string{
	"strict-e164-carrier", "ten-digit-carrier", "national-carrier", "national-carrier-by-address", "several-addresses-carrier", "registering-phone-system",
	"phone-system-by-address", "gateway-with-ports", "voicemail-server", "cloud-platform-tls", "cloud-platform-tcp", "cloud-platform-registered", "peer-network-tcp", "gateway-with-cards",
}

// Reserved are channels of a trunk that only some calls may use: emergency calls, inbound
// calls, outbound calls.
type Reserved struct {
	Emergency int `json:"emergency,omitempty" minimum:"0" maximum:"10000"`
	In        int `json:"in,omitempty" minimum:"0" maximum:"10000"`
	Out       int `json:"out,omitempty" minimum:"0" maximum:"10000"`
}

// DefaultLongestCall is how long a call may last, in seconds.
const DefaultMaxCallSeconds = 4 * 3600

// Inbound says in which forms the far end gives numbers.
type Inbound struct {
	CalledFormat numbering.Format `json:"calledFormat,omitempty"`
	// CalledPrefix precedes called numbers that come with their last digits only, so that
	// they are E.164: +441914 where 980100 comes for +44 191 498 0100. A number that has a
	// + is whole already.
	CalledPrefix string           `json:"calledPrefix,omitempty" maxLength:"20"`
	CallerFormat numbering.Format `json:"callerFormat,omitempty"`
}

// Contract says in which forms the far end takes numbers.
type Contract struct {
	Called Formats `json:"called"`
	Caller Formats `json:"caller"`
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

// Formats gives, for each kind of number, the format that the far end accepts. Empty: as it
// is. Refuse: no such number may leave here.
type Formats struct {
	Domestic      numbering.Format `json:"domestic,omitempty"`
	International numbering.Format `json:"international,omitempty"`
	Emergency     numbering.Format `json:"emergency,omitempty" doc:"empty or refuse: emergency numbers are never converted"`
	Short         numbering.Format `json:"short,omitempty" doc:"empty or refuse: short numbers are never converted"`
	Extension     numbering.Format `json:"extension,omitempty" doc:"extensions: empty or refuse"`
	// Prefix stands before public numbers once they have their form, such as the outside
	// prefix of a phone system, so that a caller shown to it can be called back.
	Prefix string `json:"prefix,omitempty" maxLength:"8"`
}

// Refuse stands in a contract in place of a form.
const Refuse numbering.Format = "refuse"

// For returns what is wanted for a kind of number.
func (f Formats) For(k numbering.Kind) numbering.Format {
	switch k {
	case numbering.Home:
		return f.Domestic
	case numbering.Foreign:
		return f.International
	case numbering.Emergency:
		return f.Emergency
	case numbering.Short:
		return f.Short
	case numbering.Internal:
		return f.Extension
	}
	return ""
}

// Any tells whether the contract asks for any public form.
func (f Formats) Any() bool { return f.Domestic.Public() || f.International.Public() }

// SessionTimerOff is the other value of SIP.SessionTimer.
const SessionTimerOff = "off"

// Table is a routing table: an ordered set of rules.
type Table struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Switch string `json:"switch" ref:"switch"`
	// Format is that of the numbers in the patterns; empty means as dialled.
	Format numbering.Format `json:"format,omitempty"`
	Order  string           `json:"order" enum:"specific-first,as-listed"`
	Note   string           `json:"note,omitempty"`
	Rules  []Rule           `json:"rules" nullable:"false"`
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
	ID          string         `json:"id"`
	Name        string         `json:"name"`
	Disabled    bool           `json:"disabled,omitempty"`
	Match       Match          `json:"match"`
	CalledSteps []rewrite.Step `json:"calledSteps,omitempty"`
	CallerSteps []rewrite.Step `json:"callerSteps,omitempty"`
	Then        Then           `json:"then"`
	// CallerGroups are those that alone may use the rule; others are refused, and do not
	// slip on to the next. Empty is everybody whom the groups let.
	CallerGroups []string `json:"callerGroups,omitempty" ref:"callerGroup" maxItems:"200"`
	// Class is what sort of call the rule is meant for. It decides nothing: what a call
	// is follows from its number, and a difference is told.
	Class numbering.Class `json:"class,omitempty" enum:"emergency,internal,service,local,national,mobile,freephone,shared-cost,premium,international,unknown"`
	// Complete says what follows, where digits come one by one, once the rule has a
	// number that another could outgrow: wait (empty) for a longer one, or connect at
	// once.
	Complete string `json:"complete,omitempty" enum:"wait,at-once"`
	// CatchAll rules take what no other takes: wrong numbers, and none. They never
	// keep the collection of digits open, and never end it.
	CatchAll bool   `json:"catchAll,omitempty"`
	Note     string `json:"note,omitempty"`
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
	Trunks   []string `json:"trunks,omitempty" ref:"trunk" doc:"Only calls from these trunks"`
	// TrunkGroups are groups of trunks, by the word that their trunks bear; a call from
	// any trunk of Trunks or of these is meant.
	TrunkGroups []string `json:"trunkGroups,omitempty" maxItems:"100"`
	When        When     `json:"when,omitzero" doc:"Only in these states of a calendar"`
}

// Then is where a rule sends a call: exactly one of its fields is set.
type Then struct {
	Table       string `json:"table,omitempty" ref:"table"`
	Path        string `json:"path,omitempty" ref:"path"`
	Destination string `json:"destination,omitempty" ref:"destination"`
	Inventory   bool   `json:"inventory,omitempty" doc:"To what answers the called number in the inventory of public numbers"`
	RejectCause int    `json:"rejectCause,omitempty" doc:"Q.850 cause" maximum:"127"`
	// SetCalendar overrides a calendar, and answers with a tone that says so.
	SetCalendar *SetCalendar `json:"setCalendar,omitempty"`
}

// SetCalendar overrides the state of a calendar. The rule that does so names the caller
// groups that alone may.
type SetCalendar struct {
	Calendar string `json:"calendar" ref:"calendar" maxLength:"63" doc:"Id of the calendar"`
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
	Trunk string `json:"trunk" ref:"trunk"`
	// Number is sent to the far end; or NumberPattern: the pattern of numbers that
	// exist there, of which the called number must be one.
	Number        string `json:"number,omitempty"`
	NumberPattern string `json:"numberPattern,omitempty"`
	Note          string `json:"note,omitempty"`
}
