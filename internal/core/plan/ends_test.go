package plan_test

import (
	"encoding/json"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/plan"
)

func rowOf(t *testing.T, rows []plan.EndRow, what string) plan.EndRow {
	t.Helper()
	for _, r := range rows {
		if r.What == what {
			return r
		}
	}
	require.Fail(t, "no row", what)
	return plan.EndRow{}
}

// Our own two switches agree, seen from either; what differs is told on both.
func TestTheEndsOfOurOwnSwitches(t *testing.T) {
	p := skerry(t)
	x := plan.NewIndex(p)
	quay, cape := x.Trunks["quay-cape"], x.Trunks["cape-quay"]
	compare := func(a, b *plan.Trunk) []plan.EndRow {
		return a.Ends(*x.Switches[a.Switch], b.AsOtherEnd(*x.Switches[b.Switch]))
	}
	for _, rows := range [][]plan.EndRow{compare(quay, cape), compare(cape, quay)} {
		require.Len(t, rows, 7)
		for _, r := range rows {
			assert.Equal(t, plan.EndsMatch, r.State, "%+v", r)
			assert.Empty(t, r.Why)
		}
	}
	cape.Channels, cape.Link.SIP.RemoteAddress, cape.Link.SIP.Registration = 10, "127.0.10.1:5060", plan.RegistrationOutbound
	rows := compare(quay, cape)
	assert.Equal(t, plan.EndRow{
		What: "Channels", SwitchValue: "20", FarEndValue: "10", State: plan.EndsDiffer, Why: "the side with more offers calls that the other refuses", Place: "channels", Value: 10,
		TheirPlace: "channels", TheirValue: 20,
	}, rowOf(t, rows, "Channels"))
	assert.Equal(t, plan.EndsDiffer, rowOf(t, rows, "Calls to the switch").State)
	assert.Empty(t, rowOf(t, rows, "Calls to the switch").Place, "no setting of ours mends it")
	who := rowOf(t, rows, "Registration")
	assert.Equal(t, []any{"none", "inbound", "inbound"}, []any{who.SwitchValue, who.FarEndValue, who.Value})
}

// What is kept by hand of a carrier: an address that was forgotten, the form of numbers,
// channels that were not bought.
func TestTheEndOfACarrier(t *testing.T) {
	p := skerry(t)
	trunk := *plan.NewIndex(p).Trunks["ostrel"]
	trunk.Link.SIP.TrustedAddresses = []string{"127.0.30.1", "127.0.30.2/31"}
	other := plan.FarEndSettings{
		ListenAddresses: []string{"127.0.30.1:5060", "127.0.30.2:5060", "127.0.30.3:5060", "127.0.30.4:5060"}, Channels: 30,
		InboundFormat: "e164", OutboundFormat: "national", OutboundUser: "another", Codecs: []string{"g729"}, ComfortNoise: plan.MediaRemove, Encryption: plan.MediaSRTP, Transport: "tls",
	}
	rows := trunk.Ends(p.Switches[0], other)
	from := rowOf(t, rows, "Source addresses")
	assert.Equal(t, "calls from 127.0.30.4 are rejected as unknown sources", from.Why)
	assert.Equal(t, []string{"127.0.30.1", "127.0.30.2/31", "127.0.30.4"}, from.Value)
	for what, place := range map[string]string{
		"Called numbers, outbound": "out/called/domestic", "Comfort noise": "media/comfortNoise", "Encryption": "media/encryption", "Transport": "link/sip/transport", "Outbound account": "",
	} {
		r := rowOf(t, rows, what)
		assert.Equal(t, plan.EndsDiffer, r.State, what)
		assert.Equal(t, place, r.Place, what)
	}
	for _, what := range []string{"Calls to the far end", "Channels", "Called numbers, inbound", "Codecs"} {
		assert.Equal(t, plan.EndsMatch, rowOf(t, rows, what).State, what)
	}
	trunk.Media.Codecs = []string{"PCMA"}
	assert.Equal(t, plan.EndsDiffer, rowOf(t, trunk.Ends(p.Switches[0], other), "Codecs").State)
	assert.Empty(t, trunk.Ends(p.Switches[0], plan.FarEndSettings{}), "of what nothing is known, nothing is said")
}

// Whatever differs between our two switches, and stands in a setting over there, agrees
// once that setting has what its row says.
func TestTheOtherSideIsMended(t *testing.T) {
	p := skerry(t)
	x := plan.NewIndex(p)
	quay, cape := x.Trunks["quay-cape"], x.Trunks["cape-quay"]
	quay.Media.Codecs = []string{"PCMA"}
	cape.Channels, cape.Link.SIP.RemoteAddress, cape.Link.SIP.Registration, cape.Link.SIP.Transport = 10, "127.0.10.9:5061", plan.RegistrationOutbound, "tcp"
	cape.Media = plan.Media{Codecs: []string{"G729"}, Encryption: plan.MediaSRTP}
	rows := func() []plan.EndRow { return quay.Ends(*x.Switches["quay"], cape.AsOtherEnd(*x.Switches["cape"])) }
	mended := 0
	for _, r := range rows() {
		place, value, ok := plan.PlaceOf(r.TheirPlace, r.TheirValue)
		if !ok {
			continue
		}
		mended++
		text, err := json.Marshal(*cape)
		require.NoError(t, err)
		outer := map[string]any{}
		require.NoError(t, json.Unmarshal(text, &outer))
		in, keys := outer, strings.Split(place, "/")
		for _, key := range keys[:len(keys)-1] {
			in = in[key].(map[string]any)
		}
		in[keys[len(keys)-1]] = value
		text, err = json.Marshal(outer)
		require.NoError(t, err)
		*cape = plan.Trunk{}
		require.NoError(t, json.Unmarshal(text, cape))
		assert.Equal(t, plan.EndsMatch, rowOf(t, rows(), r.What).State, r.What)
	}
	assert.Equal(t, 6, mended)
	_, _, ok := plan.PlaceOf("listenAddresses", []string{"127.0.12.1:5061"})
	assert.False(t, ok, "where a switch listens is no setting of a trunk")
}
