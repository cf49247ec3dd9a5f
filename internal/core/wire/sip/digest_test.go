package sip

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// Sources: RFC 2617 section 3.5 and RFC 7616 section 3.9.1, the printed examples.
func TestPublishedDigests(t *testing.T) {
	for _, c := range []struct {
		name, secret string
		credentials  Credentials
	}{
		{"RFC 2617", "Circle Of Life", Credentials{
			Username: "Mufasa", Realm: "testrealm@host.com", Nonce: "dcd98b7102dd2f0e8b11d0f600bfb0c093", URI: "/dir/index.html",
			NC: "00000001", CNonce: "0a4f113b", QOP: "auth", Response: "6629fae49393a05397450978507c4ef1",
		}},
		{"RFC 7616 MD5", "Circle of Life", Credentials{
			Username: "Mufasa", Realm: "http-auth@example.org", Nonce: "7ypf/xlj9XXwfDPEoM4URrv/xwf94BcCAzFZH4GiTo0v", URI: "/dir/index.html",
			Algorithm: MD5, NC: "00000001", CNonce: "f2/wE4q74E6zIJEtWaHKaf5wv/H5QzzpXusqGemxURZJ", QOP: "auth", Response: "8ca523f5e9506fed4657c9700eebdbec",
		}},
		{"RFC 7616 SHA-256", "Circle of Life", Credentials{
			Username: "Mufasa", Realm: "http-auth@example.org", Nonce: "7ypf/xlj9XXwfDPEoM4URrv/xwf94BcCAzFZH4GiTo0v", URI: "/dir/index.html",
			Algorithm: SHA256, NC: "00000001", CNonce: "f2/wE4q74E6zIJEtWaHKaf5wv/H5QzzpXusqGemxURZJ", QOP: "auth",
			Response: "753927fa0e85d155564e2e272a28d1802ca10daf4496794697cf8db5856cb6c1",
		}},
	} {
		assert.True(t, c.credentials.Holds("GET", c.secret, nil), c.name)
		assert.False(t, c.credentials.Holds("GET", c.secret+"!", nil), c.name)
		assert.False(t, c.credentials.Holds("POST", c.secret, nil), c.name)
	}
}

// Source: the rules of RFC 7616 section 3.4 and RFC 8760; the values were
// computed by two programs outside this project (Python's hashlib and openssl).
func TestDigestsOfSIPRequests(t *testing.T) {
	const register, invite = "sip:sip.example.net", "sip:+15550100123@sip.example.net;user=phone"
	body := []byte("v=0\r\n")
	for _, c := range []struct {
		algorithm                Algorithm
		method, uri, qop, nc, is string
		body                     []byte
	}{
		{MD5, "REGISTER", register, "auth", "00000001", "1aa8cc7991dd85a39f32c632a12565bb", nil},
		{MD5, "REGISTER", register, "", "", "8a0376f7870f03eafe782ed282b2ff02", nil},
		{MD5, "INVITE", invite, "auth", "00000002", "1c3c3ba7e70b96ba5df37e34f31e103a", nil},
		{"MD5-sess", "REGISTER", register, "auth", "00000001", "31836fa5c26334575e8a97f779a9c9db", nil},
		{MD5, "INVITE", invite, "auth-int", "00000003", "1e21cf935676d8424b65c4c0e1c20f71", body},
		{MD5, "REGISTER", register, "auth-int", "00000004", "b8337ba6ad11901a8ede3c6e9472483e", nil},
		{SHA256, "REGISTER", register, "auth", "00000001", "fc2c0b74ae91c8e4fa27dbaf631fec05eb52fcab28080522d63e20bd7752f16e", nil},
		{SHA256, "REGISTER", register, "", "", "ef1b9ca77c509584f3a7b16062bda5bbf73ae9da426640925387b2108f8d8218", nil},
		{SHA256, "INVITE", invite, "auth", "00000002", "73cf451107174b4bafacfd798ce33d416d421eb79061a2c213e985c178d81612", nil},
		{"SHA-256-sess", "REGISTER", register, "auth", "00000001", "73bad4643bf03c9b151a6b8ecf9dbb390fa69dc9487dc63c240fbd14ba940eb3", nil},
		{SHA256, "INVITE", invite, "auth-int", "00000003", "e6b63298cb6ffcfde4a01c5087b068f7279da776ac266e709d00dadf804a7f05", body},
		{SHA512256, "REGISTER", register, "auth", "00000001", "44437b043bf6985f130f95c780e04d4189a30607d0aa346d6afd49167ffa8ddc", nil},
		{SHA512256, "INVITE", invite, "auth", "00000002", "61339937bcf4046632bc3ef383368fe175e566a55f03697a42899cd5c2217c72", nil},
		{"SHA-512-256-sess", "REGISTER", register, "auth", "00000001", "91b3e0433a91989eb9db0debccb65eb9b3bef4e18e09d01e68d642c2620dc87d", nil},
	} {
		got, err := Credentials{
			Username: "trunk4711", Realm: "sip.example.net", Nonce: "Zm9vYmFyLW5vbmNlLTAwMQ", CNonce: "b7e19c42",
			URI: c.uri, Algorithm: c.algorithm, QOP: c.qop, NC: c.nc,
		}.Digest(c.method, "open-Sesame#9", c.body)
		require.NoError(t, err)
		assert.Equal(t, c.is, got, "%s %s %s", c.algorithm, c.method, c.qop)
	}
}

// What is written is read again, and a challenge that we answer is one that we
// would take, for every algorithm and quality.
func TestChallengesAndAnswersComeBack(t *testing.T) {
	for _, algorithm := range []Algorithm{"", MD5, SHA256, SHA512256, "MD5-sess", "SHA-256-sess"} {
		for _, qop := range [][]string{nil, {"auth"}, {"auth-int"}, {"auth-int", "auth"}} {
			c := Challenge{Realm: `quay "x"`, Nonce: "abc", Opaque: "o", Algorithm: algorithm, QOP: qop, Stale: true}
			read, err := ReadChallenge(c.String())
			require.NoError(t, err)
			assert.Equal(t, c, read)
			a, err := read.Answer("INVITE", "sip:1@quay.example", "ostrel", "secret", "cn", 2, []byte("b"))
			require.NoError(t, err)
			back, err := ReadCredentials(a.String())
			require.NoError(t, err)
			assert.True(t, back.Holds("INVITE", "secret", []byte("b")))
			assert.False(t, back.Holds("INVITE", "Secret", []byte("b")))
		}
	}
}

func TestCredentialsThatCannotBeRead(t *testing.T) {
	for _, bad := range []string{
		"", "Basic abc", "Digest", "Digest username", `Digest username="a", username="b"`, `Digest username="a", nonce="n", uri="u"`,
	} {
		_, err := ReadCredentials(bad)
		assert.Error(t, err, bad)
	}
	_, err := ReadChallenge(`Digest realm="a"`)
	assert.Error(t, err)
	_, err = Challenge{Nonce: "n", QOP: []string{"token"}}.Answer("A", "u", "u", "s", "c", 1, nil)
	assert.ErrorContains(t, err, "token")
	_, err = Challenge{Nonce: "n", Algorithm: "ROT13"}.Answer("A", "u", "u", "s", "c", 1, nil)
	assert.ErrorContains(t, err, "ROT13")
}

// RFC 8760 section 2.4: several challenges, in the order of preference; those of
// unknown algorithms and schemes are passed over.
func TestChallengesOfAResponse(t *testing.T) {
	res := &Message{Status: 407}
	for _, v := range []string{`Token realm="a"`, `Digest realm="a", nonce="1", algorithm=NEW`, `Digest realm="a", nonce="2", algorithm=SHA-256`, `Digest realm="a", nonce="3"`} {
		res.Add("Proxy-Authenticate", v)
	}
	list, proxy := Challenges(res)
	assert.True(t, proxy)
	require.Len(t, list, 2)
	assert.Equal(t, SHA256, list[0].Algorithm)
	assert.Equal(t, "3", list[1].Nonce)
}

// Credentials that can be read are the same again after they were written, and computing with
// whatever they say harms nothing.
func FuzzCredentials(f *testing.F) {
	f.Add(`Digest username="a", realm="quay", nonce="n", uri="sip:a", response="r", algorithm=SHA-256-sess, qop=auth-int, nc=00000001, cnonce="c"`, "secret")
	f.Add(`digest username="a\\"b", realm=quay,nonce=n,uri="sip:a,b",response="",qop=x`, "")
	f.Fuzz(func(t *testing.T, value, secret string) {
		c, err := ReadCredentials(value)
		if err != nil {
			return
		}
		again, err := ReadCredentials(c.String())
		require.NoError(t, err, "%q", c.String())
		if c.QOP == "" {
			c.NC = "" // which means nothing then
		}
		require.Equal(t, c, again)
		if c.Holds("INVITE", secret, []byte("body")) {
			want, err := c.Digest("INVITE", secret, []byte("body"))
			require.NoError(t, err)
			require.True(t, strings.EqualFold(want, c.Response))
		}
	})
}
