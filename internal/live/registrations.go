package live

import (
	"errors"
	"net/netip"
	"slices"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/standing"
)

// account names an account of a trunk.
type account struct{ trunk, id string }

// Registrations are who registered with us, and where we are registered. It is
// safe for concurrent use.
type Registrations struct {
	feed *Feed

	mu     sync.Mutex
	theirs map[account][]standing.Binding
	flows  map[string]account // by source, transport and all
	places map[netip.Addr]int // flows from each address
	ours   map[account]standing.OurRegistration
	dirty  map[account]bool // that are to be kept
}

// NewRegistrations returns none; changes are told to the feed.
func NewRegistrations(feed *Feed) *Registrations {
	return &Registrations{
		feed: feed, theirs: map[account][]standing.Binding{}, flows: map[string]account{}, places: map[netip.Addr]int{}, ours: map[account]standing.OurRegistration{}, dirty: map[account]bool{},
	}
}

// ErrTooManyContacts says that an account has as many contacts as it may.
var ErrTooManyContacts = errors.New("the account has as many contacts as it may have")

// FlowName names a flow: what carries it, and the source.
func FlowName(transport, source string) string { return transport + " " + source }

// Bind takes contacts of an account away and adds others, or renews those that are
// there: all of it, or nothing where that would be more than it may have.
func (r *Registrations) Bind(trunk, id string, gone []string, list []standing.Binding, most int, now time.Time) error {
	r.mu.Lock()
	defer r.mu.Unlock()
	key := account{trunk, id}
	stands := r.current(key, now)
	kept := slices.DeleteFunc(slices.Clone(stands), func(b standing.Binding) bool { return slices.Contains(gone, b.Contact) })
	for _, b := range list {
		i := slices.IndexFunc(kept, func(old standing.Binding) bool { return old.Contact == b.Contact })
		if i < 0 {
			b.Since = now
			kept = append(kept, b)
			continue
		}
		b.Since = kept[i].Since
		kept[i] = b
	}
	if len(kept) > most && len(list) > 0 {
		return ErrTooManyContacts
	}
	for _, b := range stands {
		r.unflow(b)
	}
	for _, b := range kept {
		r.flow(b)
	}
	r.theirs[key] = kept
	r.changed(key)
	return nil
}

// Unbind takes a contact of an account away, or all of them if it is empty.
func (r *Registrations) Unbind(trunk, id, contact string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	key := account{trunk, id}
	r.theirs[key] = slices.DeleteFunc(r.theirs[key], func(b standing.Binding) bool {
		gone := contact == "" || b.Contact == contact
		if gone {
			r.unflow(b)
		}
		return gone
	})
	r.changed(key)
}

// current drops what has expired.
func (r *Registrations) current(key account, now time.Time) []standing.Binding {
	list := r.theirs[key]
	kept := slices.DeleteFunc(list, func(b standing.Binding) bool {
		over := !now.Before(b.Until)
		if over {
			r.unflow(b)
		}
		return over
	})
	if len(kept) != len(list) {
		r.changed(key)
	}
	r.theirs[key] = kept
	return kept
}

// flow notes where a binding came from, and unflow forgets it.
func (r *Registrations) flow(b standing.Binding) {
	name := FlowName(b.Transport, b.Source)
	if from, err := netip.ParseAddrPort(b.Source); err == nil && r.flows[name] == (account{}) {
		r.places[from.Addr().Unmap()]++
	}
	r.flows[name] = account{b.Trunk, b.Account}
}

func (r *Registrations) unflow(b standing.Binding) {
	name := FlowName(b.Transport, b.Source)
	if r.flows[name] != (account{b.Trunk, b.Account}) {
		return
	}
	delete(r.flows, name)
	if from, err := netip.ParseAddrPort(b.Source); err == nil {
		at := from.Addr().Unmap()
		if r.places[at]--; r.places[at] <= 0 {
			delete(r.places, at)
		}
	}
}

func (r *Registrations) changed(key account) {
	r.dirty[key] = true
	r.feed.Tell(TopicTrunk, key.trunk)
}

// Bindings are the contacts of an account that hold at a time, the newest first.
func (r *Registrations) Bindings(trunk, id string, now time.Time) []standing.Binding {
	r.mu.Lock()
	defer r.mu.Unlock()
	list := slices.Clone(r.current(account{trunk, id}, now))
	slices.SortStableFunc(list, func(a, b standing.Binding) int { return b.Refreshed.Compare(a.Refreshed) })
	return list
}

// Flow says whose registration came from a source.
func (r *Registrations) Flow(transport, source string, now time.Time) (trunk, id string, ok bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	key, ok := r.flows[FlowName(transport, source)]
	if !ok {
		return "", "", false
	}
	for _, b := range r.current(key, now) {
		if b.Transport == transport && b.Source == source {
			return key.trunk, key.id, true
		}
	}
	return "", "", false
}

// Stands tells whether somebody has registered from an address or a network.
func (r *Registrations) Stands(in netip.Prefix) bool {
	r.mu.Lock()
	defer r.mu.Unlock()
	if in.IsSingleIP() {
		return r.places[in.Addr()] > 0
	}
	for at := range r.places {
		if in.Contains(at) {
			return true
		}
	}
	return false
}

// Places are the addresses from which somebody has registered.
func (r *Registrations) Places() (list []netip.Prefix) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for at := range r.places {
		list = append(list, netip.PrefixFrom(at, at.BitLen()))
	}
	return list
}

// Our returns our registration for an account; ok is false before it was tried.
func (r *Registrations) Our(trunk, id string) (o standing.OurRegistration, ok bool) {
	r.mu.Lock()
	defer r.mu.Unlock()
	o, ok = r.ours[account{trunk, id}]
	return o, ok
}

// Refused says why calls by a trunk would fail, where we register with its far end: it
// refused, or did not answer, the registration of every account of ours, and none holds.
// What has not been tried yet is not refused.
func (r *Registrations) Refused(trunk *plan.Trunk, now time.Time) (why string, refused bool) {
	link := trunk.Link.Signalling()
	if !link.Remote().Registers {
		return "", false
	}
	for _, a := range link.Accounts(plan.SideOutbound) {
		o, ok := r.Our(trunk.ID, a.ID)
		if !ok || now.Before(o.Until) || o.State != standing.OurRefused && o.State != standing.OurSilent {
			return "", false
		}
		why = o.Evidence
	}
	return "outbound registration failed: " + why, why != ""
}

// OurServer is the address of the far end's server at which one of our accounts is
// registered; empty if none is.
func (r *Registrations) OurServer(trunk string) string {
	r.mu.Lock()
	defer r.mu.Unlock()
	for key, o := range r.ours {
		if key.trunk == trunk && o.State == standing.OurRegistered {
			return o.Server
		}
	}
	return ""
}

// SetOur notes where our registration stands. Since is kept while the state is.
func (r *Registrations) SetOur(o standing.OurRegistration) {
	r.mu.Lock()
	defer r.mu.Unlock()
	key := account{o.Trunk, o.Account}
	if old, ok := r.ours[key]; ok && old.State == o.State {
		o.Since = old.Since
	}
	r.ours[key] = o
	r.feed.Tell(TopicTrunk, o.Trunk)
}

// ForgetOur forgets a registration of ours that the plan does not want any more.
func (r *Registrations) ForgetOur(trunk, id string) {
	r.mu.Lock()
	defer r.mu.Unlock()
	delete(r.ours, account{trunk, id})
	r.feed.Tell(TopicTrunk, trunk)
}

// AllOurs are all registrations of ours.
func (r *Registrations) AllOurs() []standing.OurRegistration {
	r.mu.Lock()
	defer r.mu.Unlock()
	out := make([]standing.OurRegistration, 0, len(r.ours))
	for _, o := range r.ours {
		out = append(out, o)
	}
	return out
}

// Changed returns the accounts whose contacts changed since it was last asked, so
// that they outlast the process.
func (r *Registrations) Changed(now time.Time) []standing.AccountBindings {
	r.mu.Lock()
	defer r.mu.Unlock()
	for key := range r.theirs {
		r.current(key, now)
	}
	var out []standing.AccountBindings
	for key := range r.dirty {
		out = append(out, standing.AccountBindings{Trunk: key.trunk, Account: key.id, Bindings: slices.Clone(r.theirs[key])})
	}
	clear(r.dirty)
	return out
}

// Again says that what Changed returned could not be kept.
func (r *Registrations) Again(list []standing.AccountBindings) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, a := range list {
		r.dirty[account{a.Trunk, a.Account}] = true
	}
}

// Restore takes bindings that a process before this one kept.
func (r *Registrations) Restore(list []standing.Binding) {
	r.mu.Lock()
	defer r.mu.Unlock()
	for _, b := range list {
		key := account{b.Trunk, b.Account}
		r.theirs[key] = append(r.theirs[key], b)
		r.flow(b)
	}
}
