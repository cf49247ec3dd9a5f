package sip

import (
	"context"
	"fmt"
	"strings"
	"time"

	"switchback.example/switchback/internal/core/plan"
	wire "switchback.example/switchback/internal/core/wire/sip"
	"switchback.example/switchback/internal/live/call"
)

// Probe implements call.Carrier: it asks the far end by OPTIONS, its servers in turn, until one
// answers.
func (c Carrier) Probe(ctx context.Context, trunk *plan.Trunk) (p call.Probe, ok bool) {
	a := c.a
	ways, err := a.ways(trunk, "")
	if err != nil {
		return p, false // nobody is registered, so there is nobody to ask
	}
	var silent []string
	for _, to := range ways {
		start := time.Now()
		res := a.askServer(ctx, to)
		if ctx.Err() != nil {
			return p, false
		}
		a.noteServer(to, res == nil)
		if res == nil {
			silent = append(silent, to.String())
			continue
		}
		p = call.Probe{Answered: true, After: time.Since(start), Evidence: fmt.Sprintf("%d %s", res.Status, res.Reason)}
		if len(ways) > 1 {
			p.Evidence += " from " + to.String()
		}
		if len(silent) > 0 {
			p.Evidence += "; no answer from " + strings.Join(silent, ", ")
		}
		return p, true
	}
	p.Evidence = fmt.Sprintf("no answer to OPTIONS within %s", askPatience)
	if shown, ok := a.Trunks.ShownBy(ways[0].AddrPort); ok && ways[0].by == secured && shown.Err != "" {
		p.Evidence = shown.Err
	}
	if len(ways) > 1 {
		p.Evidence += ", from none of " + strings.Join(silent, ", ")
	}
	return p, true
}

// askPatience is how long an OPTIONS may take.
const askPatience = 2 * time.Second

// newOptions is an OPTIONS to a server.
func (a *Agent) newOptions(to way) *wire.Message {
	uri := to.request(to.contact.User)
	req := wire.NewRequest("OPTIONS", uri)
	to.route(req)
	req.Add("Max-Forwards", "70")
	from := a.Address
	if to.as != "" {
		from = to.as
	}
	req.Add("From", "<"+uriTo("", from)+">;tag="+newID())
	req.Add("To", "<"+uri+">")
	req.Add("Call-ID", newID()+"@"+a.host)
	req.Add("CSeq", "1 OPTIONS")
	req.Add("User-Agent", "Switchback")
	req.SetBody("", nil)
	return req
}

// askServer sends an OPTIONS, and waits a while for its answer.
func (a *Agent) askServer(ctx context.Context, to way) *wire.Message {
	ctx, cancel := context.WithTimeout(ctx, askPatience)
	defer cancel()
	t := a.layer.begin(a.newOptions(to), to.hop)
	res := finalOr(t, ctx.Done())
	if res == nil {
		t.quiet()
	}
	return res
}
