package standin

import (
	"context"
	"crypto/rand"
	"net"
	"strconv"
	"time"

	"github.com/emiago/sipgo"
	"github.com/emiago/sipgo/sip"
	"github.com/icholy/digest"
)

// How a stand-in registers: for how long, and how soon it tries again.
const (
	registerFor   = 60 * time.Second
	registerAgain = 2 * time.Second
	registerWait  = 4 * time.Second
)

// register keeps the stand-in registered with the switch until it stops. Like a
// machine that loses its power it never says that it goes.
func (s *StandIn) register(e *endpoint) {
	for {
		next := registerAgain
		if s.registerOnce(e) {
			next = registerFor / 2
		}
		select {
		case <-e.ctx.Done():
			return
		case <-time.After(next):
		}
	}
}

func (s *StandIn) registerOnce(e *endpoint) bool {
	ctx, cancel := context.WithTimeout(e.ctx, registerWait)
	defer cancel()
	host, port, _ := net.SplitHostPort(s.Switch) // as invite does
	n, _ := strconv.Atoi(port)
	req := sip.NewRequest(sip.REGISTER, sip.Uri{Scheme: "sip", Host: host, Port: n})
	aor := sip.Uri{Scheme: "sip", User: s.Registers.User, Host: host, Port: n}
	from := sip.FromHeader{Address: aor, Params: sip.NewParams()}
	from.Params.Add("tag", sip.GenerateTagN(12))
	req.AppendHeader(&from)
	req.AppendHeader(&sip.ToHeader{Address: aor})
	req.AppendHeader(e.contact())
	req.AppendHeader(sip.NewHeader("Expires", strconv.Itoa(int(registerFor.Seconds()))))
	req.AppendHeader(sip.NewHeader("User-Agent", "Switchback stand-in "+s.ID))
	res, err := e.client.Do(ctx, req)
	if err == nil && (res.StatusCode == 401 || res.StatusCode == 407) {
		res, err = e.client.DoDigestAuth(ctx, req, res, sipgo.DigestAuth{Username: s.Registers.User, Password: s.Registers.Secret})
	}
	return err == nil && res.StatusCode == 200
}

// registrar takes registrations of the stand-in's accounts.
func (s *StandIn) registrar(req *sip.Request, tx sip.ServerTransaction) {
	if len(s.Accounts) == 0 {
		_ = tx.Respond(sip.NewResponseFromRequest(req, 405, "Method Not Allowed", nil))
		return
	}
	if !s.proven(req, tx, 401, "WWW-Authenticate", "Authorization") {
		return
	}
	res := sip.NewResponseFromRequest(req, 200, "OK", nil)
	for _, h := range req.GetHeaders("Contact") {
		res.AppendHeader(sip.HeaderClone(h))
	}
	for _, h := range req.GetHeaders("Expires") {
		res.AppendHeader(sip.HeaderClone(h))
	}
	_ = tx.Respond(res)
}

// proven tells whether a request proves one of the stand-in's accounts; one that
// does not is answered.
func (s *StandIn) proven(req *sip.Request, tx sip.ServerTransaction, status int, asks, answers string) bool {
	challenge := digest.Challenge{Realm: s.ID, Nonce: rand.Text(), Algorithm: "SHA-256", QOP: []string{"auth"}}
	h := req.GetHeader(answers)
	if h == nil {
		res := sip.NewResponseFromRequest(req, status, "Unauthorized", nil)
		res.AppendHeader(sip.NewHeader(asks, challenge.String()))
		_ = tx.Respond(res)
		return false
	}
	c, err := digest.ParseCredentials(h.Value())
	if err == nil {
		for _, a := range s.Accounts {
			challenge.Nonce = c.Nonce
			want, err := digest.Digest(&challenge, digest.Options{
				Method: string(req.Method), URI: c.URI, Username: a.User, Password: a.Secret, Cnonce: c.Cnonce, Count: c.Nc,
			})
			if err == nil && a.User == c.Username && want.Response == c.Response {
				return true
			}
		}
	}
	_ = tx.Respond(sip.NewResponseFromRequest(req, 403, "Forbidden", nil))
	return false
}
