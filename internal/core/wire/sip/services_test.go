package sip_test

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/wire/sip"
)

func invite(fields ...[2]string) *sip.Message {
	m := sip.NewRequest("INVITE", "sip:2999@127.0.10.1")
	for _, f := range fields {
		m.Add(f[0], f[1])
	}
	return m
}

// RFC 5806 section 9 and 5: the topmost is the last turn; a missing counter is 1; the
// order over several lines is that of RFC 3261 section 7.3.1.
func TestDiversionIsRead(t *testing.T) {
	list, header := sip.Diversions(invite(
		[2]string{"Diversion", `"Duty, mate" <sip:2002@127.0.20.1>;reason=no-answer;counter=1;privacy=off;screen=yes, <tel:+441914980101>;reason="user-busy"`},
		[2]string{"diversion", `<sip:2001@127.0.20.1>;privacy=full;counter=nonsense`},
		[2]string{"Diversion", `<broken`},
		[2]string{"History-Info", `<sip:2005@127.0.20.1>;index=1, <sip:2006@127.0.20.1;cause=302>;index=1.1;mp=1`},
	))
	require.Equal(t, "Diversion", header, "the older one is what was said last by those who know it")
	require.Len(t, list, 3)
	assert.Equal(t, "2002", list[0].From.User)
	assert.Equal(t, "no-answer", list[0].Reason)
	assert.Equal(t, "user-busy", list[1].Reason)
	assert.Equal(t, "+441914980101", list[1].From.Opaque)
	assert.Equal(t, sip.Diversion{From: list[2].From, Reason: "unknown", Count: 1, Hidden: true}, list[2])
}

// The example of the reference tables for RFC 7044: index=1, then 1.1 with mp=1 and a
// cause of RFC 4458; and two turns with indexes of two digits, out of order.
func TestHistoryIsReadAsDiversions(t *testing.T) {
	list, header := sip.Diversions(invite(
		[2]string{"History-Info", "<sip:+15550100123@example.net>;index=1"},
		[2]string{"History-Info", "<sip:+15550100777@example.net;cause=408>;index=1.1;mp=1"},
	))
	require.Equal(t, "History-Info", header)
	require.Len(t, list, 1)
	assert.Equal(t, "+15550100123", list[0].From.User)
	assert.Equal(t, "no-answer", list[0].Reason)

	list, _ = sip.Diversions(invite([2]string{"History-Info",
		"<sip:2999@h;cause=486>;index=1.10;mp=1.2, <sip:2001@h?Privacy=history>;index=1, <sip:2003@h>;index=1.1;rc=1, <sip:2002@h;cause=302>;index=1.2;mp=1"}))
	require.Len(t, list, 2)
	assert.Equal(t, []string{"2002", "user-busy"}, []string{list[0].From.User, list[0].Reason})
	assert.Equal(t, []string{"2001", "unconditional"}, []string{list[1].From.User, list[1].Reason})
	assert.True(t, list[1].Hidden)

	list, header = sip.Diversions(invite([2]string{"History-Info", "<sip:2001@h>;index=1, <sip:2001@10.0.0.1>;index=1.1;rc=1"}))
	assert.Empty(t, list, "it was routed, and nobody sent it on")
	assert.Empty(t, header)
}

// RFC 7544: what is written in one way and read in the other says the same.
func TestDiversionsSayTheSameInBothWays(t *testing.T) {
	uri := func(user string) sip.URI { return sip.URI{Scheme: "sip", User: user, Host: "127.0.10.1"} }
	for _, reason := range []string{"unknown", "user-busy", "no-answer", "unconditional", "deflection", "unavailable"} {
		list := []sip.Diversion{
			{From: uri("2002"), Reason: reason, Count: 1},
			{From: uri("2001"), Reason: "unconditional", Count: 1, Hidden: true},
		}
		old, modern := invite(), invite()
		for _, d := range list {
			old.Add("Diversion", d.String())
		}
		for _, h := range sip.History(list, uri("2999")) {
			modern.Add("History-Info", h)
		}
		readOld, _ := sip.Diversions(old)
		readModern, _ := sip.Diversions(modern)
		assert.Equal(t, list, readOld)
		assert.Equal(t, len(list), len(readModern))
		for i := range list {
			assert.Equal(t, list[i].From.String(), readModern[i].From.String())
			assert.Equal(t, list[i].Reason, readModern[i].Reason)
			assert.Equal(t, list[i].Hidden, readModern[i].Hidden)
		}
	}
	assert.Equal(t, []string{
		"<sip:2001@127.0.10.1>;index=1", "<sip:2999@127.0.10.1;cause=408>;index=1.1;mp=1",
	}, sip.History([]sip.Diversion{{From: uri("2001"), Reason: "no-answer"}}, uri("2999")))
	assert.Empty(t, sip.History(nil, uri("2999")))
	assert.Equal(t, "<sip:2001@127.0.10.1>;reason=time-of-day;counter=1;privacy=off", sip.Diversion{From: uri("2001"), Reason: "time-of-day"}.String())
	assert.Contains(t, sip.History([]sip.Diversion{{From: uri("2001"), Reason: "time-of-day"}}, uri("2999"))[1], "cause=404")
}

// RFC 3891 section 6.1 (its three examples, by form) and section 4.
func TestReplaces(t *testing.T) {
	r, err := sip.ReadReplaces("98732@sip.example.com ;from-tag=r33th4x0r ;to-tag=ff87ff")
	require.NoError(t, err)
	assert.Equal(t, sip.Replaces{CallID: "98732@sip.example.com", ToTag: "ff87ff", FromTag: "r33th4x0r"}, r)
	r, err = sip.ReadReplaces("12adf2f34456gs5;to-tag=12345;from-tag=54321;early-only")
	require.NoError(t, err)
	assert.True(t, r.EarlyOnly)
	assert.Equal(t, "12adf2f34456gs5;to-tag=12345;from-tag=54321;early-only", r.String())
	for _, bad := range []string{"", "a", "a;to-tag=1", "a;from-tag=1", ";to-tag=1;from-tag=2"} {
		_, err := sip.ReadReplaces(bad)
		assert.Error(t, err, bad)
	}
}

// RFC 3515 section 2.1, with Replaces in it as in RFC 5589.
func TestReferTo(t *testing.T) {
	refer := func(values ...string) *sip.Message {
		m := sip.NewRequest("REFER", "sip:127.0.10.1")
		for _, v := range values {
			m.Add("Refer-To", v)
		}
		return m
	}
	to, replaces, err := sip.ReadReferTo(refer("<sip:+15550100199@example.net?Replaces=c1%40h%3Bto-tag%3Dt9%3Bfrom-tag%3Df9&Require=replaces>"))
	require.NoError(t, err)
	assert.Equal(t, "sip:+15550100199@example.net", to.String())
	assert.Equal(t, &sip.Replaces{CallID: "c1@h", ToTag: "t9", FromTag: "f9"}, replaces)

	to, replaces, err = sip.ReadReferTo(refer("sip:2999@127.0.10.1"))
	require.NoError(t, err)
	assert.Equal(t, "2999", to.User)
	assert.Nil(t, replaces)

	for text, m := range map[string]*sip.Message{
		"exactly one Refer-To":      refer(),
		"has exactly one":           refer("<sip:a@h>", "<sip:b@h>"),
		"Refer-To method BYE":       refer("<sip:2001@h;method=BYE>"),
		"does not name a dialog":    refer("<sip:2001@h?Replaces=c1>"),
		"invalid URL escape":        refer("<sip:2001@h?Replaces=%zz>"),
		`< is never closed in "<si`: refer("<sip:2001"),
	} {
		_, _, err := sip.ReadReferTo(m)
		assert.ErrorContains(t, err, text)
	}
}

// The examples of RFC 3842 sections 3.5 and 5.2, as the reference tables have them.
func TestWaiting(t *testing.T) {
	w, err := sip.ReadWaiting([]byte("Messages-Waiting: yes\r\nMessage-Account: sip:*97@pbx.example.net\r\nVoice-Message: 2/8 (0/2)\r\nFax-Message: 1/0\r\n\r\n"))
	require.NoError(t, err)
	assert.Equal(t, sip.Waiting{
		Messages: true, Account: "sip:*97@pbx.example.net", Voice: &sip.Counts{New: 2, Old: 8, UrgentOld: 2}, Rest: []string{"Fax-Message: 1/0"},
	}, w)
	again, err := sip.ReadWaiting(w.Bytes())
	require.NoError(t, err)
	assert.Equal(t, w, again)

	w, err = sip.ReadWaiting([]byte("messages-waiting:no\n"))
	require.NoError(t, err)
	assert.Equal(t, "Messages-Waiting: no\r\n", string(w.Bytes()))
	for _, bad := range []string{"", "Voice-Message: 1/0", "Messages-Waiting: maybe", "Messages-Waiting: yes\r\nVoice-Message: x/1", "Messages-Waiting: yes\r\nVoice-Message: 1/0 (a/b)"} {
		_, err := sip.ReadWaiting([]byte(bad))
		assert.Error(t, err, bad)
	}
}
