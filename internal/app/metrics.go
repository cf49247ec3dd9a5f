package app

import (
	"net/http"
	"strconv"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/standing"
)

// callMetrics count calls as they end.
type callMetrics struct {
	calls    *prometheus.CounterVec
	failures *prometheus.CounterVec
	setup    *prometheus.HistogramVec
}

// setupBuckets are in seconds: what callers notice, up to the usual ringing timers.
var setupBuckets = []float64{.1, .25, .5, 1, 2, 3, 5, 8, 12, 20, 30, 60}

func newCallMetrics() *callMetrics {
	return &callMetrics{
		calls:    prometheus.NewCounterVec(prometheus.CounterOpts{Name: "switchback_calls_total", Help: "Calls that ended, by outcome: answered, refused (by the switch), failed or abandoned."}, []string{"switch", "outcome"}),
		failures: prometheus.NewCounterVec(prometheus.CounterOpts{Name: "switchback_call_failures_total", Help: "Calls that ended without an answer, by Q.850 cause and SIP status."}, []string{"switch", "outcome", "cause", "sip"}),
		setup:    prometheus.NewHistogramVec(prometheus.HistogramOpts{Name: "switchback_call_setup_seconds", Help: "Time from the received call to ringing or the answer (post-dial delay, RFC 6076 section 4.3).", Buckets: setupBuckets}, []string{"switch"}),
	}
}

// over counts a call that has ended.
func (m *callMetrics) over(s record.Summary) {
	m.calls.WithLabelValues(s.Switch, s.Outcome).Inc()
	if s.Answered == nil {
		m.failures.WithLabelValues(s.Switch, s.Outcome, strconv.Itoa(s.Q850), strconv.Itoa(s.SIP)).Inc()
	}
	if s.PostDialDelayMs > 0 {
		m.setup.WithLabelValues(s.Switch).Observe(float64(s.PostDialDelayMs) / 1000)
	}
}

// Describe implements prometheus.Collector.
func (m *callMetrics) Describe(ch chan<- *prometheus.Desc) {
	m.calls.Describe(ch)
	m.failures.Describe(ch)
	m.setup.Describe(ch)
}

// Collect implements prometheus.Collector.
func (m *callMetrics) Collect(ch chan<- prometheus.Metric) {
	m.calls.Collect(ch)
	m.failures.Collect(ch)
	m.setup.Collect(ch)
}

// metrics returns the handler of /metrics, on a registry of its own.
func (h health) metrics() http.Handler {
	registry := prometheus.NewRegistry()
	registry.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), h, h.calls)
	return promhttp.HandlerFor(registry, promhttp.HandlerOpts{})
}

var (
	metricRevision = prometheus.NewDesc("switchback_plan_revision", "Revision of the plan that carries calls.", nil, nil)
	metricChannels = prometheus.NewDesc("switchback_trunk_channels", "Channels of a trunk.", []string{"trunk"}, nil)
	metricInUse    = prometheus.NewDesc("switchback_trunk_channels_in_use", "Channels of a trunk that are in use.", []string{"trunk"}, nil)
	metricCalls    = prometheus.NewDesc("switchback_trunk_calls_total", "Calls over a trunk, by direction: in or out.", []string{"trunk", "direction"}, nil)
	metricResults  = prometheus.NewDesc("switchback_trunk_outbound_calls_total", "Outbound calls of a trunk, by result: answered or failed.", []string{"trunk", "result"}, nil)
	metricAnswers  = prometheus.NewDesc("switchback_trunk_responding", "1 if the far end responded to the last OPTIONS, 0 if not; absent if none is sent.", []string{"trunk"}, nil)
	metricPorts    = prometheus.NewDesc("switchback_rtp_ports", "Sides of calls that have RTP ports.", []string{"switch"}, nil)
	metricNoPort   = prometheus.NewDesc("switchback_rtp_ports_refused_total", "Calls for which no RTP port was left.", []string{"switch"}, nil)
	metricUnknown  = prometheus.NewDesc("switchback_unknown_messages_total", "Messages from addresses that no trunk knows, by reason: blocked, flood (more than the share of one source), crowded (more than the budget of all), dropped, unreadable or refused.", []string{"switch", "reason"}, nil)
	metricActive   = prometheus.NewDesc("switchback_active_calls", "Calls that run, by phase: routing, ringing or connected.", []string{"switch", "phase"}, nil)
	metricAccounts = prometheus.NewDesc("switchback_registrations", "Accounts of a trunk, by direction (in: the far end registers) and state: registered, failing or unregistered.", []string{"trunk", "direction", "state"}, nil)
	metricBlocked  = prometheus.NewDesc("switchback_blocked_sources", "Sources that are blocked, from: calls or sign-in.", []string{"from"}, nil)
	metricAllPorts = prometheus.NewDesc("switchback_rtp_ports_limit", "Sides of calls that can have RTP ports.", []string{"switch"}, nil)
	metricLost     = prometheus.NewDesc("switchback_records_lost_total", "Messages and call records that could not be kept.", nil, nil)
	metricWaiting  = prometheus.NewDesc("switchback_records_waiting", "1 while the database does not take call records.", nil, nil)
)

// Describe implements prometheus.Collector.
func (h health) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{metricRevision, metricChannels, metricInUse, metricCalls, metricResults, metricAnswers, metricPorts, metricNoPort, metricUnknown, metricActive, metricAccounts, metricBlocked, metricAllPorts, metricLost, metricWaiting} {
		ch <- d
	}
}

// Collect implements prometheus.Collector.
func (h health) Collect(ch chan<- prometheus.Metric) {
	gauge := func(d *prometheus.Desc, v float64, labels ...string) {
		ch <- prometheus.MustNewConstMetric(d, prometheus.GaugeValue, v, labels...)
	}
	count := func(d *prometheus.Desc, v int64, labels ...string) {
		ch <- prometheus.MustNewConstMetric(d, prometheus.CounterValue, float64(v), labels...)
	}
	now := time.Now()
	count(metricLost, h.recorder.Lost())
	gauge(metricWaiting, one(h.recorder.Failing()))
	gauge(metricBlocked, float64(len(h.ops.gate.Blocks(now))), "calls")
	gauge(metricBlocked, float64(len(h.ops.signIns.Blocks(now))), "sign-in")
	for sw, use := range h.board.Ports() {
		gauge(metricPorts, float64(use.Used), sw)
		gauge(metricAllPorts, float64(use.All), sw)
		count(metricNoPort, use.Refused, sw)
	}
	for sw, by := range h.board.Unknown() {
		for what, n := range by {
			count(metricUnknown, n, sw, what)
		}
	}
	run := h.board.plan.Current()
	if run == nil {
		return
	}
	gauge(metricRevision, float64(run.Revision))
	for at, n := range h.active(run.Snapshot.Plan()) {
		gauge(metricActive, float64(n), at.Switch, string(at.Phase))
	}
	for _, t := range run.Snapshot.Plan().Trunks {
		s := h.trunks.State(t.ID)
		gauge(metricInUse, float64(s.InUse), t.ID)
		gauge(metricChannels, float64(t.Channels), t.ID)
		count(metricCalls, s.Calls.In, t.ID, "in")
		count(metricCalls, s.Calls.Out, t.ID, "out")
		count(metricResults, s.Calls.Answered, t.ID, "answered")
		count(metricResults, s.Calls.Failed, t.ID, "failed")
		if !s.Watch.Asked.IsZero() {
			gauge(metricAnswers, one(s.Watch.Answers), t.ID)
		}
		for at, n := range h.accounts(t, now) {
			gauge(metricAccounts, float64(n), t.ID, at.direction, at.state)
		}
	}
}

func one(b bool) float64 {
	if b {
		return 1
	}
	return 0
}

// activeAt is where and how far calls are.
type activeAt struct {
	Switch string
	Phase  record.Phase
}

// active counts the calls that run; a switch without calls has zeros, so that its graphs have no
// gaps.
func (h health) active(p plan.Plan) map[activeAt]int {
	out := map[activeAt]int{}
	for _, sw := range p.Switches {
		for _, p := range []record.Phase{record.PhaseRouting, record.PhaseRinging, record.PhaseConnected} {
			out[activeAt{sw.ID, p}] = 0
		}
	}
	for _, c := range h.recorder.Running() {
		out[activeAt{c.Switch, c.Phase()}]++
	}
	return out
}

type accountsAt struct{ direction, state string }

// accounts counts the accounts of a trunk that are to register, by what became of it.
func (h health) accounts(t plan.Trunk, now time.Time) map[accountsAt]int {
	out := map[accountsAt]int{}
	link := t.Link.Signalling()
	if link.Claims().Registers {
		for _, a := range link.Accounts(plan.SideInbound) {
			state := "unregistered"
			if len(h.ops.registrations.Bindings(t.ID, a.ID, now)) > 0 {
				state = "registered"
			}
			out[accountsAt{"in", state}]++
		}
	}
	for _, a := range link.Accounts(plan.SideOutbound) {
		o, registers := h.ops.registrations.Our(t.ID, a.ID)
		switch {
		case !registers:
		case o.State == standing.OurRegistered:
			out[accountsAt{"out", "registered"}]++
		case o.State == standing.OurTrying:
			out[accountsAt{"out", "unregistered"}]++
		default:
			out[accountsAt{"out", "failing"}]++
		}
	}
	return out
}
