package cause

import (
	"encoding/csv"
	"os"
	"strconv"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func table(t *testing.T, name string) []map[string]string {
	f, err := os.Open("testdata/" + name)
	require.NoError(t, err)
	defer f.Close()
	rows, err := csv.NewReader(f).ReadAll()
	require.NoError(t, err)
	var out []map[string]string
	for _, row := range rows[1:] {
		m := map[string]string{}
		for i, head := range rows[0] {
			m[head] = row[i]
		}
		out = append(out, m)
	}
	return out
}

// Source: RFC 3398 section 7.2.4.1 (published rows).
func TestToSIPIsRFC3398(t *testing.T) {
	for _, row := range table(t, "q850_to_sip.csv") {
		q, err := strconv.Atoi(row["cause"])
		status, err2 := strconv.Atoi(row["sip_status"])
		if err != nil || err2 != nil || row["qualifier"] == "with diagnostic" {
			continue // the row of the default, of cause 16, and 301 with a new number
		}
		assert.Equal(t, status, ToSIP(Q850(q)), "cause %d", q)
	}
	assert.Equal(t, 500, ToSIP(99), "an unlisted cause (from memory)")
}

// Source: RFC 3398 section 8.2.6.1 (published rows); 488 and 606 by default 31.
func TestFromSIPIsRFC3398(t *testing.T) {
	for _, row := range table(t, "sip_to_q850.csv") {
		status, err := strconv.Atoi(row["sip_status"])
		q, err2 := strconv.Atoi(row["cause"])
		if err != nil || err2 != nil {
			continue
		}
		assert.Equal(t, Q850(q), FromSIP(status), "status %d", status)
	}
	assert.Equal(t, Q850(31), FromSIP(488))
	assert.Equal(t, Q850(41), FromSIP(499), "unknown 4xx counts as 400 (RFC 3261 section 8.1.3.2)")
	assert.Equal(t, Q850(17), FromSIP(699))
}

// Source: ITU-T Q.850 clause 2.2 for the names; common practice for going on:
// the switch goes on where the table says yes, and nowhere else by default.
func TestNamesAndGoingOn(t *testing.T) {
	for _, row := range table(t, "q850_causes.csv") {
		q, err := strconv.Atoi(row["cause"])
		require.NoError(t, err)
		if row["in_q850"] != "yes" {
			continue
		}
		assert.Equal(t, row["name"], Q850(q).Name())
		assert.Equal(t, row["go_on_to_next_trunk"] == "yes", GoesOn(Q850(q)), "cause %d", q)
	}
	assert.Equal(t, "cause 120", Q850(120).Name())
}

// Source: RFC 3326 section 2 for the grammar; RFC 6432 for responses.
func TestFromReason(t *testing.T) {
	for _, c := range []struct {
		in   string
		want Q850
	}{
		{`Q.850;cause=16;text="Normal call clearing"`, 16},
		{`SIP;cause=503;text="a, b", Q.850 ; text="x;cause=9" ; cause=34`, 34},
		{`q.850;cause=17`, 17},
		{`SIP;cause=200;text="Q.850;cause=3"`, 0},
		{`Q.850;cause=128`, 0},
		{`Q.850`, 0},
		{``, 0},
	} {
		q, ok := FromReason(c.in)
		assert.Equal(t, c.want, q, c.in)
		assert.Equal(t, c.want != 0, ok, c.in)
	}
}

// Source: the table of the switch's own outcomes in docs/causes.md. Each code
// that RFC 3398 maps must agree with it, but for those that SIP says better.
func TestOwnCodes(t *testing.T) {
	own := Owns()
	assert.Equal(t, Cause{1, 404}, own[NoRule])
	assert.Equal(t, Cause{28, 484}, own[Incomplete])
	assert.Equal(t, Cause{21, 403}, own[NotPermitted])
	assert.Equal(t, Cause{34, 503}, own[Full])
	assert.Equal(t, Cause{38, 503}, own[AllDown])
	assert.Equal(t, Cause{28, 484}, own[Contract])
	assert.Equal(t, Cause{25, 482}, own[Loop])
	assert.Equal(t, Cause{20, 480}, own[NotRegistered])
	assert.Equal(t, Cause{65, 488}, own[NoCodec])
	for o, c := range own {
		if o != Loop && o != TooManyHops && o != Abandoned { // 482, 483 and 487 are SIP's own words for these
			assert.Equal(t, ToSIP(c.Q850), c.SIP, o)
		}
	}
}
