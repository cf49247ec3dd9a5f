package call

import (
	"time"

	"switchback.example/switchback/internal/core/plan"
)

// watchEvery is how often it is looked which far ends are due, and askAgain how soon one is asked
// again that did not answer.
const (
	watchEvery = 250 * time.Millisecond
	askAgain   = 3 * time.Second
)

// watch asks the far ends of the switch's trunks whether they are there, each at its own pace.
func (ctl *Control) watch() {
	tick := time.NewTicker(watchEvery)
	defer tick.Stop()
	due := map[string]time.Time{}
	for {
		ctl.probeDue(due)
		select {
		case <-ctl.ctx.Done():
			return
		case <-tick.C:
		}
	}
}

func (ctl *Control) probeDue(due map[string]time.Time) {
	run := ctl.Plan.Current()
	if run == nil {
		return
	}
	for _, t := range run.Snapshot.Plan().Trunks {
		pace := time.Duration(t.Link.Signalling().ProbeSeconds()) * time.Second
		if t.Switch != ctl.Switch || pace == 0 || time.Now().Before(due[t.ID]) || ctl.Trunks.IsOff(t.ID, time.Now()) {
			continue
		}
		carrier := ctl.carrierOf(&t)
		if carrier == nil { // not yet, or no longer: asked as soon as there is one
			continue
		}
		if ctl.Trunks.State(t.ID).Watch.Misses > 0 {
			pace = min(pace, askAgain)
		}
		due[t.ID] = time.Now().Add(pace)
		ctl.probe(carrier, t)
	}
}

func (ctl *Control) probe(carrier Carrier, t plan.Trunk) {
	ctl.probes.Begin()
	if ctl.ctx.Err() != nil { // a carrier that stopped cannot ask
		ctl.probes.End()
		return
	}
	go func() {
		defer ctl.probes.End()
		if p, ok := carrier.Probe(ctl.ctx, &t); ok {
			ctl.Trunks.Watched(t.ID, time.Now(), p.Answered, p.After, p.Evidence)
		}
	}()
}
