// Package version1 is the shape of plan documents of version 1, as Go types without meaning. It
// never changes: old documents and rows are read by it, strictly, before they are upgraded.
package version1

// Page is a page of the inventory of numbers, as rows of version 1 have it.
type Page struct {
	From    string   `json:"from"`
	Blocks  bool     `json:"blocks"`
	Numbers []Number `json:"numbers"`
}

type Plan struct {
	Format       string        `json:"format"`
	Version      int           `json:"version"`
	Name         string        `json:"name"`
	Switches     []Switch      `json:"switches"`
	FarEnds      []FarEnd      `json:"farEnds"`
	Trunks       []Trunk       `json:"trunks"`
	Tables       []Table       `json:"tables"`
	Paths        []Path        `json:"paths"`
	Destinations []Destination `json:"destinations"`
	Groups       []Group       `json:"groups"`
	Hours        []Hours       `json:"hours"`
	Checks       []Check       `json:"checks"`
	Numbers      []Number      `json:"numbers"`
}

type Switch struct {
	ID         string     `json:"id"`
	Name       string     `json:"name"`
	Region     Region     `json:"region"`
	SIP        string     `json:"sip"`
	TLS        string     `json:"tls,omitempty"`
	Realm      string     `json:"realm,omitempty"`
	Gate       Gate       `json:"gate,omitzero"`
	Media      MediaPorts `json:"media,omitzero"`
	OwnNumbers string     `json:"ownNumbers,omitempty"`
	LastResort string     `json:"lastResort,omitempty"`
}

type FarEnd struct {
	ID   string `json:"id"`
	Name string `json:"name"`
	Kind string `json:"kind"`
	Site string `json:"site,omitempty"`
	Note string `json:"note,omitempty"`
}

type Trunk struct {
	ID             string      `json:"id"`
	Name           string      `json:"name"`
	Switch         string      `json:"switch"`
	FarEnd         string      `json:"farEnd,omitempty"`
	Peer           string      `json:"peer,omitempty"`
	Kind           string      `json:"kind"`
	Group          string      `json:"group,omitempty"`
	Profile        string      `json:"profile,omitempty"`
	Channels       int         `json:"channels"`
	Kept           Kept        `json:"kept,omitzero"`
	CallsPerSecond int         `json:"callsPerSecond,omitempty"`
	LongestCall    int         `json:"longestCall,omitempty"`
	CostRank       int         `json:"costRank,omitempty"`
	Entry          string      `json:"entry,omitempty"`
	In             Inbound     `json:"in"`
	Out            Contract    `json:"out"`
	LastResort     string      `json:"lastResort,omitempty"`
	Tag            string      `json:"tag,omitempty"`
	Ring           string      `json:"ring,omitempty"`
	Digits         DigitTimers `json:"digits,omitzero"`
	MayGoBack      *bool       `json:"mayGoBack,omitempty"`
	SIP            SIP         `json:"sip"`
	Media          Media       `json:"media,omitzero"`
	Services       Services    `json:"services,omitzero"`
	Theirs         OtherEnd    `json:"theirs,omitzero"`
	Note           string      `json:"note,omitempty"`
}

type Table struct {
	ID     string `json:"id"`
	Name   string `json:"name"`
	Switch string `json:"switch"`
	Form   string `json:"form,omitempty"`
	Policy string `json:"policy"`
	Note   string `json:"note,omitempty"`
	Rules  []Rule `json:"rules"`
}

type Path struct {
	ID           string   `json:"id"`
	Name         string   `json:"name"`
	Switch       string   `json:"switch"`
	Choices      []Choice `json:"choices"`
	Order        string   `json:"order,omitempty"`
	Timers       Timers   `json:"timers"`
	GoOn         []int    `json:"goOn,omitempty"`
	Stop         []int    `json:"stop,omitempty"`
	AfterRinging bool     `json:"afterRinging,omitempty"`
	MaxTries     int      `json:"maxTries,omitempty"`
	Note         string   `json:"note,omitempty"`
}

type Destination struct {
	ID      string `json:"id"`
	Name    string `json:"name"`
	Kind    string `json:"kind"`
	Trunk   string `json:"trunk"`
	Number  string `json:"number,omitempty"`
	Numbers string `json:"numbers,omitempty"`
	Note    string `json:"note,omitempty"`
}

type Group struct {
	ID      string   `json:"id"`
	Name    string   `json:"name"`
	Callers string   `json:"callers,omitempty"`
	Trunks  []string `json:"trunks,omitempty"`
	Table   string   `json:"table,omitempty"`
	May     []Leave  `json:"may"`
	Note    string   `json:"note,omitempty"`
}

type Hours struct {
	ID        string   `json:"id"`
	Name      string   `json:"name"`
	TimeZone  string   `json:"timeZone,omitempty"`
	Dates     []Dated  `json:"dates,omitempty"`
	Holidays  Holidays `json:"holidays,omitzero"`
	Week      []Weekly `json:"week"`
	More      []string `json:"more,omitempty"`
	Otherwise string   `json:"otherwise"`
	Note      string   `json:"note,omitempty"`
}

type Check struct {
	ID     string            `json:"id"`
	Name   string            `json:"name"`
	From   string            `json:"from"`
	Dial   string            `json:"dial"`
	Caller string            `json:"caller,omitempty"`
	At     string            `json:"at,omitempty"`
	Down   []string          `json:"down,omitempty"`
	Full   []string          `json:"full,omitempty"`
	ByHand map[string]string `json:"byHand,omitempty"`
	Expect Expected          `json:"expect"`
	Note   string            `json:"note,omitempty"`
}

type Number struct {
	First       string `json:"first"`
	Last        string `json:"last,omitempty"`
	State       string `json:"state"`
	Carrier     string `json:"carrier,omitempty"`
	Site        string `json:"site,omitempty"`
	Owner       string `json:"owner,omitempty"`
	Destination string `json:"destination,omitempty"`
	Extension   string `json:"extension,omitempty"`
	Gaps        bool   `json:"gaps,omitempty"`
	Busy        string `json:"busy,omitempty"`
	Tag         string `json:"tag,omitempty"`
	Ring        string `json:"ring,omitempty"`
	Note        string `json:"note,omitempty"`
}

type Region struct {
	Country   string            `json:"country"`
	Area      string            `json:"area,omitempty"`
	TimeZone  string            `json:"timeZone,omitempty"`
	Local     []string          `json:"local,omitempty"`
	Emergency []EmergencyNumber `json:"emergency,omitempty"`
	Classes   []ClassRule       `json:"classes,omitempty"`
}

type Gate struct {
	Unknown            string `json:"unknown,omitempty"`
	Failures           int    `json:"failures,omitempty"`
	WindowMinutes      int    `json:"windowMinutes,omitempty"`
	ShutHours          int    `json:"shutHours,omitempty"`
	CallsPerSecond     int    `json:"callsPerSecond,omitempty"`
	StrangersPerSecond int    `json:"strangersPerSecond,omitempty"`
	SourcePerSecond    int    `json:"sourcePerSecond,omitempty"`
}

type MediaPorts struct {
	Address string `json:"address,omitempty"`
	First   int    `json:"first,omitempty"`
	Last    int    `json:"last,omitempty"`
}

type Kept struct {
	Emergency int `json:"emergency,omitempty"`
	In        int `json:"in,omitempty"`
	Out       int `json:"out,omitempty"`
}

type Inbound struct {
	Called string `json:"called,omitempty"`
	Before string `json:"before,omitempty"`
	Caller string `json:"caller,omitempty"`
}

type Contract struct {
	Called         Forms  `json:"called"`
	Caller         Forms  `json:"caller"`
	SendAnyway     bool   `json:"sendAnyway,omitempty"`
	CallerFallback string `json:"callerFallback,omitempty"`
}

type DigitTimers struct {
	OneByOne   bool `json:"oneByOne,omitempty"`
	FirstMs    int  `json:"firstMs,omitempty"`
	PartialMs  int  `json:"partialMs,omitempty"`
	CriticalMs int  `json:"criticalMs,omitempty"`
	EndMark    bool `json:"endMark,omitempty"`
}

type SIP struct {
	Address          string    `json:"address,omitempty"`
	Lookup           string    `json:"lookup,omitempty"`
	Targets          []Target  `json:"targets,omitempty"`
	Proxy            string    `json:"proxy,omitempty"`
	Public           string    `json:"public,omitempty"`
	PublicName       string    `json:"publicName,omitempty"`
	Transport        string    `json:"transport,omitempty"`
	ServerName       string    `json:"serverName,omitempty"`
	ShowsCertificate bool      `json:"showsCertificate,omitempty"`
	Trusted          []string  `json:"trusted,omitempty"`
	Proof            string    `json:"proof,omitempty"`
	Digest           string    `json:"digest,omitempty"`
	Registers        string    `json:"registers,omitempty"`
	TheirAccounts    []Account `json:"theirAccounts,omitempty"`
	OurAccounts      []Account `json:"ourAccounts,omitempty"`
	Domain           string    `json:"domain,omitempty"`
	TrunkGroup       string    `json:"trunkGroup,omitempty"`
	CalledIn         string    `json:"calledIn,omitempty"`
	CalledField      string    `json:"calledField,omitempty"`
	Numbers          string    `json:"numbers,omitempty"`
	SendTrunkGroup   string    `json:"sendTrunkGroup,omitempty"`
	SendTrunkContext string    `json:"sendTrunkContext,omitempty"`
	MinExpires       int       `json:"minExpires,omitempty"`
	MaxExpires       int       `json:"maxExpires,omitempty"`
	MaxContacts      int       `json:"maxContacts,omitempty"`
	WatchSeconds     int       `json:"watchSeconds,omitempty"`
	SessionTimer     string    `json:"sessionTimer,omitempty"`
	SessionSeconds   int       `json:"sessionSeconds,omitempty"`
}

type Media struct {
	Way          string   `json:"way,omitempty"`
	Codecs       []string `json:"codecs,omitempty"`
	PacketMS     int      `json:"packetMs,omitempty"`
	ComfortNoise string   `json:"comfortNoise,omitempty"`
	Keys         string   `json:"keys,omitempty"`
	Encryption   string   `json:"encryption,omitempty"`
}

type Services struct {
	Diverts      bool   `json:"diverts,omitempty"`
	Transfers    bool   `json:"transfers,omitempty"`
	TakesOver    bool   `json:"takesOver,omitempty"`
	Table        string `json:"table,omitempty"`
	JoinsOutside bool   `json:"joinsOutside,omitempty"`
	Redirecting  string `json:"redirecting,omitempty"`
	Notifies     bool   `json:"notifies,omitempty"`
	Lamps        bool   `json:"lamps,omitempty"`
}

type OtherEnd struct {
	CallsTo      string   `json:"callsTo,omitempty"`
	ListensOn    []string `json:"listensOn,omitempty"`
	Transport    string   `json:"transport,omitempty"`
	Registers    string   `json:"registers,omitempty"`
	User         string   `json:"user,omitempty"`
	OurUser      string   `json:"ourUser,omitempty"`
	Channels     int      `json:"channels,omitempty"`
	Gives        string   `json:"gives,omitempty"`
	Takes        string   `json:"takes,omitempty"`
	Codecs       []string `json:"codecs,omitempty"`
	ComfortNoise string   `json:"comfortNoise,omitempty"`
	Encryption   string   `json:"encryption,omitempty"`
}

type Rule struct {
	ID         string   `json:"id"`
	Name       string   `json:"name"`
	Disabled   bool     `json:"disabled,omitempty"`
	Match      Match    `json:"match"`
	Called     []Step   `json:"called,omitempty"`
	Caller     []Step   `json:"caller,omitempty"`
	Then       Then     `json:"then"`
	For        []string `json:"for,omitempty"`
	Class      string   `json:"class,omitempty"`
	Complete   string   `json:"complete,omitempty"`
	LastResort bool     `json:"lastResort,omitempty"`
	Note       string   `json:"note,omitempty"`
}

type Choice struct {
	Trunk  string `json:"trunk"`
	Weight int    `json:"weight,omitempty"`
	Called []Step `json:"called,omitempty"`
	Caller []Step `json:"caller,omitempty"`
}

type Timers struct {
	NoResponse int `json:"noResponseMs,omitempty"`
	OnlyTrying int `json:"onlyTryingMs,omitempty"`
	Unanswered int `json:"unansweredMs,omitempty"`
}

type Leave struct {
	Class string `json:"class"`
	When  When   `json:"when,omitzero"`
}

type Dated struct {
	Name   string `json:"name"`
	On     string `json:"on"`
	Until  string `json:"until,omitempty"`
	From   string `json:"from,omitempty"`
	To     string `json:"to,omitempty"`
	Yearly bool   `json:"yearly,omitempty"`
	State  string `json:"state"`
}

type Holidays struct {
	Country string `json:"country,omitempty"`
	State   string `json:"state,omitempty"`
}

type Weekly struct {
	Days  []string `json:"days"`
	From  string   `json:"from"`
	To    string   `json:"to"`
	State string   `json:"state"`
}

type Expected struct {
	Outcome string `json:"outcome"`
	Trunk   string `json:"trunk,omitempty"`
	Called  string `json:"called,omitempty"`
	Caller  string `json:"caller,omitempty"`
	Cause   int    `json:"cause,omitempty"`
}

type EmergencyNumber struct {
	Number  string `json:"number"`
	Service string `json:"service,omitempty"`
}

type ClassRule struct {
	Numbers string `json:"numbers"`
	Class   string `json:"class"`
	Note    string `json:"note,omitempty"`
}

type Forms struct {
	Home      string `json:"home,omitempty"`
	Foreign   string `json:"foreign,omitempty"`
	Emergency string `json:"emergency,omitempty"`
	Short     string `json:"short,omitempty"`
	Private   string `json:"private,omitempty"`
	Prefix    string `json:"prefix,omitempty"`
}

type Target struct {
	Address  string `json:"address"`
	Priority int    `json:"priority,omitempty"`
	Weight   int    `json:"weight,omitempty"`
}

type Account struct {
	ID        string `json:"id"`
	User      string `json:"user"`
	AuthUser  string `json:"authUser,omitempty"`
	Number    string `json:"number,omitempty"`
	Port      string `json:"port,omitempty"`
	Expires   int    `json:"expires,omitempty"`
	OldDigest bool   `json:"oldDigest,omitempty"`
}

type Match struct {
	Called     string   `json:"called,omitempty"`
	NoDigits   bool     `json:"noDigits,omitempty"`
	Caller     string   `json:"caller,omitempty"`
	NoCaller   bool     `json:"noCaller,omitempty"`
	From       []string `json:"from,omitempty"`
	FromGroups []string `json:"fromGroups,omitempty"`
	When       When     `json:"when,omitzero"`
}

type Step struct {
	Op     string `json:"op"`
	Count  int    `json:"count,omitempty"`
	Digits string `json:"digits,omitempty"`
	Prefix string `json:"prefix,omitempty"`
	From   *Range `json:"from,omitempty"`
	To     *Range `json:"to,omitempty"`
	Form   string `json:"form,omitempty"`
}

type Then struct {
	Table       string    `json:"table,omitempty"`
	Path        string    `json:"path,omitempty"`
	Destination string    `json:"destination,omitempty"`
	Inventory   bool      `json:"inventory,omitempty"`
	Refuse      int       `json:"refuse,omitempty"`
	SetHours    *SetHours `json:"setHours,omitempty"`
}

type When struct {
	Hours  string   `json:"hours,omitempty"`
	States []string `json:"states,omitempty"`
}

type Range struct {
	First string `json:"first"`
	Last  string `json:"last"`
}

type SetHours struct {
	Hours   string `json:"hours"`
	State   string `json:"state,omitempty"`
	Toggle  bool   `json:"toggle,omitempty"`
	Minutes int    `json:"minutes,omitempty"`
}
