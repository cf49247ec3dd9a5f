package demo

import (
	"crypto/rand"
	"crypto/sha256"
	"encoding/hex"
	"slices"
	"time"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/standin"
)

// StandIns returns the far ends of Skerry Line. Their settings are their own:
// nothing here is taken from the plan.
//
// Outside numbers 0191 498 08xx, 020 7946 08xx, 07700 9008xx and
// +1 617 555 018x choose a behaviour by their last digit. In 080x only the
// carrier that is first in line for the number misbehaves, in 081x (and 018x)
// every carrier does. 082x are about the sound. Those that speak over TLS have their
// certificates in a folder; without one they are left out.
func StandIns(certificates string) []standin.Config {
	return slices.DeleteFunc(standIns(certificates), func(c standin.Config) bool { return certificates == "" && c.Secure != nil })
}

func standIns(certificates string) []standin.Config {
	return []standin.Config{
		{
			ID: "quay-phones", Name: "Quay phones", Address: "127.0.20.1:5060", Switch: "127.0.10.1:5060",
			Registers: &standin.Account{User: "quay-phones", Secret: Secret(plan.SideInbound, "quay-phones")}, OffersNoise: true,
			Called: "2[0-3]xx",
			Directory: append([]standin.Entry{
				{Pattern: "2180", Behaviour: standin.Behaviour{Kind: standin.Mute, After: 500 * time.Millisecond}},
				{Pattern: "2181", Behaviour: standin.Behaviour{Kind: standin.Announces}},
				{Pattern: "2182", Behaviour: standin.Behaviour{Kind: standin.Diverts, After: time.Second, To: "2999"}},
				{Pattern: "2183", Behaviour: standin.Behaviour{Kind: standin.Transfers, After: 500 * time.Millisecond, To: "2000"}},
				{Pattern: "2184", Behaviour: standin.Behaviour{Kind: standin.Transfers, After: 500 * time.Millisecond, To: "901914980850"}},
				{Pattern: "2000", Behaviour: standin.Behaviour{Kind: standin.Answers, After: 300 * time.Millisecond}},
			}, byLastDigit("219")...),
		},
		{
			ID: "island-phones", Name: "Island phones", Address: "127.0.21.1:5060", Switch: "127.0.11.1:5060",
			Called:    "30xx",
			Directory: byLastDigit("309"),
		},
		{
			ID: "cape-phones", Name: "Cape phones", Address: "127.0.22.1:5060", Switch: "127.0.12.1:5060",
			Called:    "41xx",
			Directory: byLastDigit("419"),
		},
		{
			ID: "harbourbox", Name: "Harbourbox", Address: "127.0.23.1:5060", Also: []string{"127.0.23.2:5060"}, Switch: "127.0.10.1:5060",
			Called:    "2999",
			Directory: []standin.Entry{{Pattern: "2999", Behaviour: standin.Behaviour{Kind: standin.Records, After: 500 * time.Millisecond}}},
		},
		{
			ID: "deskline", Name: "Deskline", Address: "127.0.24.1:5061", Switch: "127.0.10.1:5061",
			Secure: &standin.Secure{Folder: certificates, Name: "deskline", Peer: ServerName("quay"), Encrypts: true},
			Called: "+4420794604[89]x", Caller: "+44xxxxxxxxx.", RefusesNoise: true,
			Directory: byLastDigit("+44207946049"),
		},
		{
			ID: "tamarack", Name: "Tamarack Voice", Address: "127.0.32.1:5060", Switch: "127.0.12.1:5060",
			Called: "911|[2-9]xxxxxxxxx|011[1-9]xxxxxx.", Caller: "[2-9]xxxxxxxxx", CallerMayBeMissing: true,
			Directory: byLastDigit("617555018"),
		},
		{
			ID: "ostrel", Name: "Ostrel Carrier", Address: "127.0.30.1:5060", Switch: "127.0.10.1:5060",
			Also:     []string{"127.0.30.2:5060", "127.0.30.3:5060", "127.0.30.4:5060"},
			Accounts: []standin.Account{{User: "skerry-line", Secret: Secret(plan.SideOutbound, "ostrel")}}, Challenges: true,
			Called: "999|112|1[01]x|118xxx|+[1-9]xxxxxx.", Caller: "+44xxxxxxxxx.", CallerMayBeMissing: true,
			Directory: append(ofSound("+44191498082", "+44207946082", "+44770090082"),
				byLastDigit("+4419149808[01]", "+4420794608[01]", "+44770090080", "+44770090081", "+161755501[8]")...),
		},
		{
			ID: "penhallow", Name: "Penhallow Voice", Address: "127.0.31.1:5060", Switch: "127.0.10.1:5060",
			Accounts: []standin.Account{{User: "skerry-line", Secret: Secret(plan.SideOutbound, "penhallow")}},
			Called:   "999|112|1[01]x|118xxx|0xxxxxxxxx.", Caller: "0xxxxxxxxx.", CallerMayBeMissing: true,
			Directory: append(ofSound("0191498082", "0207946082", "0770090082"), byLastDigit("0191498081", "0207946081", "0770090081", "001617555018")...),
		},
	}
}

// Account is an account of the demo's plan that has a secret.
type Account struct {
	Trunk string
	Side  plan.Side
	ID    string
}

// Accounts are the accounts of the demo's plan.
func Accounts() []Account {
	return []Account{{"quay-phones", plan.SideInbound, "quay"}, {"ostrel", plan.SideOutbound, "main"}, {"penhallow", plan.SideOutbound, "main"}}
}

// Secret is the secret of the account of a trunk in the demo. It is made anew with
// each process, and stands in no file.
func Secret(side plan.Side, trunk string) string {
	sum := sha256.Sum256(append(chance[:], string(side)+"/"+trunk...))
	return hex.EncodeToString(sum[:12])
}

var chance = func() (b [16]byte) {
	_, _ = rand.Read(b[:]) // never fails (crypto/rand)
	return b
}()

// ofSound gives the first numbers of each range what concerns the sound.
func ofSound(fronts ...string) []standin.Entry {
	var out []standin.Entry
	for _, front := range fronts {
		out = append(out,
			standin.Entry{Pattern: front + "0", Behaviour: standin.Behaviour{Kind: standin.Mute, After: 500 * time.Millisecond}},
			standin.Entry{Pattern: front + "1", Behaviour: standin.Behaviour{Kind: standin.Announces}},
		)
	}
	return out
}

// byLastDigit gives each range of ten numbers, named by their common front,
// its ten behaviours.
func byLastDigit(fronts ...string) []standin.Entry {
	behaviours := []standin.Behaviour{
		{Kind: standin.Answers, After: time.Second},
		{Kind: standin.Busy},
		{Kind: standin.Rings},
		{Kind: standin.NotAllocated},
		{Kind: standin.Congested},
		{Kind: standin.Silent},
		{Kind: standin.Stalls},
		{Kind: standin.Rejects},
		{Kind: standin.Drops, After: 500 * time.Millisecond},
		{Kind: standin.Answers, After: 4 * time.Second},
	}
	var out []standin.Entry
	for _, front := range fronts {
		for digit, b := range behaviours {
			out = append(out, standin.Entry{Pattern: front + string(rune('0'+digit)), Behaviour: b})
		}
	}
	return out
}
