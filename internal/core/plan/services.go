package plan

// Services are what the far end of a trunk may do with calls beside making and
// taking them, and what it is told. It may do nothing that is not named here.
type Services struct {
	// Diverts lets it send its calls on elsewhere: by an INVITE that says from where
	// it was diverted (RFC 5806, RFC 7044), or by a 3xx answer. Without it what it
	// says of diversions is not believed, and a 3xx is a failure.
	Forwarding bool `json:"forwarding,omitempty"`
	// Transfers lets it send answered calls on by REFER (RFC 3515).
	Transfer bool `json:"transfer,omitempty"`
	// TakesOver lets a call of its take the place of another of its calls by
	// Replaces (RFC 3891).
	Replaces bool `json:"replaces,omitempty"`
	// Table decides the calls that it diverts or transfers; empty is the entry table.
	Table string `json:"table,omitempty" ref:"table"`
	// JoinsOutside lets it bring two outside parties together in that way, at our
	// cost; without it such a call is refused.
	TrunkToTrunk bool `json:"trunkToTrunk,omitempty"`
	// Redirecting is how it is told from where a call was diverted: by Diversion, by
	// History-Info, or by both; empty is not at all.
	Redirecting string `json:"redirecting,omitempty" enum:"diversion,history-info,both"`
	// Notifies lets it say that messages wait in a mailbox (RFC 3842), and Lamps has
	// it told so for the extensions that are delivered to it.
	MWIAccept bool `json:"mwiAccept,omitempty"`
	BLF       bool `json:"blf,omitempty"`
}

// The values of Services.Redirecting.
const (
	RedirectingDiversion = "diversion"
	RedirectingHistory   = "history-info"
	RedirectingBoth      = "both"
)

// SendsOn tells whether it may bring about calls of other parties.
func (s Services) SendsOn() bool { return s.Forwarding || s.Transfer }

func (v *validator) services(at string, t Trunk) {
	s := t.Services
	v.oneOf(at+"/redirecting", s.Redirecting, "", RedirectingDiversion, RedirectingHistory, RedirectingBoth)
	if s.Table != "" {
		v.onSwitch(at+"/table", "table", s.Table, t.Switch, v.index.tableSwitch(s.Table))
	}
	switch {
	case s.SendsOn(): // without a table and an entry, what it sends on is refused as its calls are
	case s.Table != "":
		v.bad(at+"/table", "has no effect without forwarding or transfer; permit one or clear the table")
	case s.TrunkToTrunk:
		v.bad(at+"/trunkToTrunk", "has no effect without forwarding or transfer")
	}
}
