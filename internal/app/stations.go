package app

import (
	"context"
	"sync"
	"time"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/live/sip"
)

// carrier is what the board asks of what carries calls on a switch, whatever its protocol.
type carrier interface {
	call.Carrier
	// Yield gives up addresses that the listeners of the switch have no more, but that on which
	// it began, and Listen takes those that they have besides. Problems have their place in the
	// listeners.
	Yield(l plan.Listeners)
	Listen(l plan.Listeners) []plan.Problem
	// Strangers counts messages from sources that no trunk knows, by what became of them.
	Strangers() map[string]int64
}

// starters begin to carry the calls of a switch, by protocol: a further protocol is a further line.
var starters = map[string]func(b *board, sw plan.Switch, address string, control *call.Control) (carrier, error){
	plan.ProtocolSIP: startSIP,
}

func startSIP(b *board, sw plan.Switch, address string, control *call.Control) (carrier, error) {
	ops := b.operations
	a, err := sip.Start(sip.Config{
		Switch: sw.ID, Address: address, Control: control, Plan: b.plan, Trunks: b.trunks, Recorder: b.recorder, Log: b.log,
		Secrets: ops.secrets, Registrations: ops.registrations, Gate: ops.gate, Certificates: b.certificates, Names: b.names, Lamps: &ops.lamps, Overrides: ops.overrides, Strangers: ops.strangers,
	})
	if err != nil {
		return nil, err
	}
	return a.Carrier(), nil
}

// station is a switch that runs: its calls, and what carries them, by where that began.
type station struct {
	*call.Control
	carriers map[listener]carrier
}

// listener is a protocol and the address at which it began.
type listener struct{ protocol, address string }

// begun is a carrier that a plan wants and that began.
type begun struct {
	station *station
	listener
}

// listenersOf are those that a switch must have from its start on.
func listenersOf(sw plan.Switch) (list []listener) {
	for protocol, address := range sw.Listeners.Addresses() {
		if address != "" {
			list = append(list, listener{protocol, address})
		}
	}
	return list
}

// bind begins every listener of a plan that is not there yet. Nothing goes out by them before they
// are adopted.
func (b *board) bind(p plan.Plan) (fresh []begun, problems []plan.Problem) {
	for _, sw := range p.Switches {
		s := b.stations[sw.ID]
		if s == nil {
			s = &station{carriers: map[listener]carrier{}, Control: call.New(call.Config{
				Switch: sw.ID, Plan: b.plan, Trunks: b.trunks, Registrations: b.operations.registrations, Recorder: b.recorder,
				Overrides: b.operations.overrides, Arrivals: b.operations.arrivals, Log: b.log,
			})}
			b.stations[sw.ID] = s
		}
		for _, l := range listenersOf(sw) {
			if s.carriers[l] != nil {
				continue
			}
			c, err := starters[l.protocol](b, sw, l.address, s.Control)
			if err != nil {
				problems = append(problems, plan.Problem{Place: "/switches/" + sw.ID + "/listeners/" + l.protocol + "/address", Reason: err.Error()})
				continue
			}
			s.carriers[l] = c
			fresh = append(fresh, begun{s, l})
		}
	}
	return fresh, problems
}

// adopt has calls go out by what began.
func adopt(fresh []begun) {
	for _, f := range fresh {
		f.station.Carry(f.protocol, f.station.carriers[f.listener])
	}
}

// listen makes every switch listen where its listeners say, and nowhere else: what one gives up,
// another may take.
func (b *board) listen(p plan.Plan) (problems []plan.Problem) {
	wanted := map[string]plan.Listeners{}
	for _, sw := range p.Switches {
		wanted[sw.ID] = sw.Listeners
	}
	for id, s := range b.stations {
		for l, c := range s.carriers {
			if wanted[id].Addresses()[l.protocol] == l.address {
				c.Yield(wanted[id])
			} else {
				c.Yield(plan.Listeners{}) // it will be retired
			}
		}
	}
	for _, sw := range p.Switches {
		s := b.stations[sw.ID]
		for _, l := range listenersOf(sw) {
			if s == nil || s.carriers[l] == nil {
				continue
			}
			c := s.carriers[l]
			for _, problem := range c.Listen(sw.Listeners) {
				problem.Place = "/switches/" + sw.ID + "/listeners" + problem.Place
				problems = append(problems, problem)
			}
		}
	}
	return problems
}

// back makes the switches what they were before a go-live that failed.
func (b *board) back(before *decide.Snapshot, fresh []begun) {
	var was plan.Plan
	if before != nil {
		was = before.Plan()
	}
	ctx, cancel := context.WithTimeout(context.Background(), stopPatience)
	defer cancel()
	for _, f := range fresh {
		f.station.Retire(ctx, f.station.carriers[f.listener])
		delete(f.station.carriers, f.listener)
	}
	b.retire(was) // switches that the plan before has not
	_ = b.listen(was)
}

// stopPatience is how long calls are given to end when a switch stops.
const stopPatience = 3 * time.Second

// retire stops the listeners and the switches that a plan has not; their calls end.
func (b *board) retire(p plan.Plan) {
	ctx, cancel := context.WithTimeout(context.Background(), stopPatience)
	defer cancel()
	var all sync.WaitGroup
	defer all.Wait()
	keeps := map[string]map[listener]bool{}
	for _, sw := range p.Switches {
		keeps[sw.ID] = map[listener]bool{}
		for _, l := range listenersOf(sw) {
			keeps[sw.ID][l] = true
		}
	}
	for id, s := range b.stations {
		keep, known := keeps[id]
		if !known {
			delete(b.stations, id)
			all.Go(func() { s.Stop(ctx) })
			continue
		}
		for l, c := range s.carriers {
			if !keep[l] {
				delete(s.carriers, l)
				all.Go(func() { s.Retire(ctx, c) })
			}
		}
	}
}
