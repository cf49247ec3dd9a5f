package standin

import (
	"context"
	"maps"
	"net"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/emiago/sipgo"
	"github.com/emiago/sipgo/sip"
)

// What stand-ins do beside calling: phone systems divert and transfer and have lamps,
// and a mailbox says that messages wait.

// transfersAfter is how long Transfers talks before it sends the call on, and
// noticePatience how long a request beside a call may take.
const (
	transfersAfter = 2 * time.Second
	noticePatience = 4 * time.Second
)

// Lamp is that of an extension: whether messages wait.
type Lamp struct {
	Extension string
	On        bool
	At        time.Time
}

// Lamps lists the lamps that it was told of, by extension.
func (s *StandIn) Lamps() []Lamp {
	s.mu.Lock()
	defer s.mu.Unlock()
	return slices.SortedFunc(maps.Values(s.lamps), func(a, b Lamp) int { return strings.Compare(a.Extension, b.Extension) })
}

// notice takes a NOTIFY: of a lamp (RFC 3842), or of how a transfer goes (RFC 3515).
func (s *StandIn) notice(req *sip.Request, tx sip.ServerTransaction) {
	event := ""
	if h := req.GetHeader("Event"); h != nil {
		event, _, _ = strings.Cut(h.Value(), ";")
	}
	switch strings.TrimSpace(event) {
	case "message-summary":
		first, _, _ := strings.Cut(string(req.Body()), "\n")
		s.mu.Lock()
		if len(s.lamps) < maxKept {
			s.lamps[req.Recipient.User] = Lamp{req.Recipient.User, strings.Contains(first, "yes"), time.Now()}
		}
		s.mu.Unlock()
	case "refer":
	default:
		_ = tx.Respond(sip.NewResponseFromRequest(req, 489, "Bad Event", nil))
		return
	}
	_ = tx.Respond(sip.NewResponseFromRequest(req, 200, "OK", nil))
}

// again takes an INVITE within a call: the other side is somewhere else now.
func (s *StandIn) again(e *endpoint, req *sip.Request, tx sip.ServerTransaction) {
	s.sounds.mu.Lock()
	sound := s.sounds.of[req.CallID().Value()]
	s.sounds.mu.Unlock()
	if sound == nil {
		_ = tx.Respond(sip.NewResponseFromRequest(req, 481, "Call/Transaction Does Not Exist", nil))
		return
	}
	if body := req.Body(); len(body) > 0 {
		sound.aim(body)
	}
	res := sip.NewResponseFromRequest(req, 200, "OK", s.description(e, sound))
	res.AppendHeader(e.contact())
	res.AppendHeader(sip.NewHeader("Content-Type", "application/sdp"))
	_ = tx.Respond(res)
}

// divert answers with where the call is to go instead (RFC 3261 section 21.3, RFC
// 5806).
func (s *StandIn) divert(dialog *sipgo.DialogServerSession, req *sip.Request, b Behaviour) {
	_ = dialog.Respond(302, "Moved Temporarily", nil,
		sip.NewHeader("Contact", "<sip:"+escape(b.To)+"@"+s.Switch+">"),
		sip.NewHeader("Diversion", "<sip:"+req.Recipient.User+"@"+s.Address+">;reason=no-answer"))
}

// transfer sends an answered call on by REFER (RFC 3515).
func (s *StandIn) transfer(e *endpoint, dialog *sipgo.DialogServerSession, b Behaviour) {
	refer := sip.NewRequest(sip.REFER, dialog.InviteRequest.Contact().Address)
	refer.AppendHeader(sip.NewHeader("Refer-To", "<sip:"+escape(b.To)+"@"+s.Switch+">"))
	refer.AppendHeader(e.contact())
	ctx, cancel := context.WithTimeout(e.ctx, noticePatience)
	defer cancel()
	_, _ = dialog.Do(ctx, refer)
}

// record keeps a message for who was called first, and says that it waits. One who
// calls without having been diverted listens to the messages of their own mailbox.
func (s *StandIn) record(e *endpoint, req *sip.Request) {
	mailbox, on := req.From().Address.User, false
	if list := req.GetHeaders("Diversion"); len(list) > 0 {
		on = true
		mailbox = userOf(list[len(list)-1].Value()) // of several, the first turn stands last
	}
	s.mu.Lock()
	messages := s.messages[mailbox]
	if on && len(s.messages) < maxKept {
		messages.waiting++
	} else {
		messages.heard += messages.waiting
		messages.waiting = 0
	}
	s.messages[mailbox] = messages
	s.mu.Unlock()
	s.sayWaiting(e, mailbox, messages)
}

// mailbox counts the messages of an extension.
type mailbox struct{ waiting, heard int }

func (s *StandIn) sayWaiting(e *endpoint, extension string, m mailbox) {
	host, port, _ := net.SplitHostPort(s.Switch)
	n, _ := strconv.Atoi(port)
	to := sip.Uri{Scheme: "sip", User: extension, Host: host, Port: n}
	req := sip.NewRequest(sip.NOTIFY, to)
	from := sip.FromHeader{Address: sip.Uri{Scheme: "sip", User: extension, Host: e.address.Addr().String()}, Params: sip.NewParams()}
	from.Params.Add("tag", sip.GenerateTagN(12))
	req.AppendHeader(&from)
	req.AppendHeader(&sip.ToHeader{Address: to})
	req.AppendHeader(e.contact())
	req.AppendHeader(sip.NewHeader("Event", "message-summary"))
	req.AppendHeader(sip.NewHeader("Subscription-State", "active"))
	req.AppendHeader(sip.NewHeader("Content-Type", "application/simple-message-summary"))
	word := "no"
	if m.waiting > 0 {
		word = "yes"
	}
	req.SetBody([]byte("Messages-Waiting: " + word + "\r\nMessage-Account: " + to.String() + "\r\nVoice-Message: " +
		strconv.Itoa(m.waiting) + "/" + strconv.Itoa(m.heard) + " (0/0)\r\n"))
	ctx, cancel := context.WithTimeout(e.ctx, noticePatience)
	defer cancel()
	_, _ = e.client.Do(ctx, req)
}

// userOf is the user of an address field.
func userOf(field string) string {
	_, rest, _ := strings.Cut(field, "sip:")
	user, _, _ := strings.Cut(rest, "@")
	return user
}
