package profile

import (
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"switchback.example/switchback/internal/core/plan"
)

var (
	quay = plan.Switch{ID: "quay", Name: "Quay", Region: plan.Region{Country: "GB", Area: "191"}, Listeners: plan.Listeners{SIP: plan.SIPListener{Address: "127.0.10.1:5060", TLSAddress: "127.0.10.1:5061"}}}
	cape = plan.Switch{ID: "cape", Name: "Cape", Region: plan.Region{Country: "US", Area: "617"}, Listeners: plan.Listeners{SIP: plan.SIPListener{Address: "127.0.12.1:5060"}}}
)

// The plan, its JSON Schema and this package know the same profiles.
func TestTheSameProfilesEverywhere(t *testing.T) {
	var ids []string
	for _, p := range All() {
		ids = append(ids, p.ID)
		assert.NotEmpty(t, p.Name)
		assert.NotEmpty(t, p.About)
	}
	assert.Equal(t, plan.Profiles, ids)
	field, _ := reflect.TypeFor[plan.Trunk]().FieldByName("Profile")
	assert.Equal(t, strings.Join(ids, ","), field.Tag.Get("enum"))
}

// Every line of a profile stands at a setting that a trunk has, says why, and stands
// there once; a trunk that was filled follows all of them.
func TestEveryLineIsASetting(t *testing.T) {
	for _, p := range All() {
		for _, sw := range []plan.Switch{quay, cape} {
			filled, err := Fill(sw, plan.Trunk{ID: "new", Switch: sw.ID}, p.ID)
			require.NoError(t, err, p.ID)
			seen := map[string]bool{}
			for _, r := range Beside(sw, filled) {
				assert.NotEmpty(t, r.Why, r.Place)
				assert.Falsef(t, seen[r.Place], "duplicate value %s: %s", p.ID, r.Place)
				seen[r.Place] = true
				assert.Truef(t, isSetting(reflect.TypeFor[plan.Trunk](), strings.Split(r.Place, "/")), "%s: %s", p.ID, r.Place)
				assert.Contains(t, []State{Follows, Asked}, r.State, "%s: %s", p.ID, r.Place)
			}
			assert.Greater(t, len(seen), 10, p.ID)
		}
	}
}

// isSetting tells whether a type has a field at a place, by its JSON names.
func isSetting(of reflect.Type, keys []string) bool {
	if len(keys) == 0 {
		return true
	}
	if of.Kind() == reflect.Pointer {
		of = of.Elem()
	}
	for i := range of.NumField() {
		if f := of.Field(i); strings.Split(f.Tag.Get("json"), ",")[0] == keys[0] {
			return isSetting(f.Type, keys[1:])
		}
	}
	return false
}

// A trunk that was filled, and given what its profile asks for, is one that a plan
// takes.
func TestAFilledTrunkIsValid(t *testing.T) {
	for _, p := range All() {
		trunk, err := Fill(quay, plan.Trunk{ID: "new", Name: "New", Switch: "quay", FarEnd: "there", Channels: 4}, p.ID)
		require.NoError(t, err)
		trunk.InboundTable = "entry"
		trunk.Link.SIP.InboundAccounts = []plan.Account{{ID: "one", User: "one"}}
		trunk.Link.SIP.OutboundAccounts = trunk.Link.SIP.InboundAccounts
		if trunk.Link.SIP.Registration != plan.RegistrationInbound {
			trunk.Link.SIP.RemoteAddress, trunk.Link.SIP.TrustedAddresses = "127.0.60.1:5060", []string{"127.0.60.0/24"}
		}
		whole := plan.New("one trunk")
		whole.Switches = []plan.Switch{quay}
		whole.FarEnds = []plan.FarEnd{{ID: "there", Name: "There", Kind: p.Kind}}
		whole.Tables = []plan.Table{{ID: "entry", Name: "Entry", Switch: "quay", Order: plan.SpecificFirst, Rules: []plan.Rule{}}}
		whole.Trunks = []plan.Trunk{trunk}
		assert.Empty(t, whole.Validate(), p.ID)
	}
}

func find(t *testing.T, rows []Advice, place string) Advice {
	t.Helper()
	for _, r := range rows {
		if r.Place == place {
			return r
		}
	}
	require.Failf(t, "no such line", "%s in %v", place, rows)
	return Advice{}
}

func TestDeparturesAreTold(t *testing.T) {
	trunk, err := Fill(quay, plan.Trunk{ID: "cloud", Switch: "quay", Channels: 7}, "cloud-platform-tls")
	require.NoError(t, err)
	assert.Equal(t, "tls", trunk.Link.SIP.Transport)
	assert.Equal(t, 7, trunk.Channels, "what the profile does not set stays")
	assert.Equal(t, []string{"PCMA", "PCMU"}, trunk.Media.Codecs)

	trunk.Media.ComfortNoise = plan.MediaPass
	r := find(t, Beside(quay, trunk), "media/comfortNoise")
	assert.Equal(t, Departs, r.State)
	assert.Equal(t, plan.MediaRemove, r.Has)
	assert.Equal(t, Follows, find(t, Beside(quay, trunk), "link/sip/registration").State)
	trunk.Link.SIP.Registration = plan.RegistrationNone
	assert.Equal(t, Follows, find(t, Beside(quay, trunk), "link/sip/registration").State, "nobody is what an empty setting stands for")

	assert.Equal(t, Asked, find(t, Beside(quay, trunk), "link/sip/remoteAddress").State)
	trunk.Link.SIP.DNSName = "deskline.example"
	assert.Equal(t, Given, find(t, Beside(quay, trunk), "link/sip/remoteAddress").State, "a name will do as well")
}

// A carrier with several addresses of which one is trusted: the fault that costs
// three calls of four.
func TestOneOfSeveralAddressesIsNotEnough(t *testing.T) {
	trunk := plan.Trunk{Profile: "several-addresses-carrier", Link: plan.Link{SIP: &plan.SIP{TrustedAddresses: []string{"127.0.30.1"}}}}
	assert.Equal(t, Asked, find(t, Beside(quay, trunk), "link/sip/trustedAddresses").State)
	trunk.Link.SIP.TrustedAddresses = append(trunk.Link.SIP.TrustedAddresses, "127.0.30.2")
	assert.Equal(t, Given, find(t, Beside(quay, trunk), "link/sip/trustedAddresses").State)
}

func TestCodecsFollowTheCountry(t *testing.T) {
	trunk, err := Fill(cape, plan.Trunk{}, "ten-digit-carrier")
	require.NoError(t, err)
	assert.Equal(t, []string{"PCMU", "PCMA"}, trunk.Media.Codecs)
}

// Whatever profiles a trunk was given one after the other, the last one counts: what
// those before had set does not stay behind; what an engineer had set does.
func TestTheLastProfileCounts(t *testing.T) {
	ids := append([]string{""}, plan.Profiles...)
	rapid.Check(t, func(t *rapid.T) {
		trunk := plan.Trunk{ID: "new", Switch: "quay", Channels: 1, Note: "ours", Link: plan.Link{SIP: &plan.SIP{RemoteAddress: "127.0.30.1:5060", RequestDomain: "skerry-line.example"}}}
		fresh := trunk
		for _, id := range rapid.SliceOfN(rapid.SampledFrom(ids), 1, 4).Draw(t, "profiles") {
			var err error
			trunk, err = Fill(quay, trunk, id)
			require.NoError(t, err)
		}
		want, err := Fill(quay, fresh, trunk.Profile)
		require.NoError(t, err)
		// Those who register have no address; it is the one thing that is cleared.
		want.Link.SIP.RemoteAddress, trunk.Link.SIP.RemoteAddress = "", ""
		a, _ := json.Marshal(want)
		b, _ := json.Marshal(trunk)
		assert.JSONEq(t, string(a), string(b))
	})
}

func TestNoProfileHasNothingToSay(t *testing.T) {
	assert.Nil(t, Beside(quay, plan.Trunk{}))
	_, known := Find("")
	assert.False(t, known)
}
