package app

import (
	"context"
	"encoding/json"
	"net/http"
	"time"

	"github.com/prometheus/client_golang/prometheus"
	"github.com/prometheus/client_golang/prometheus/collectors"
	"github.com/prometheus/client_golang/prometheus/promhttp"

	"switchback.example/switchback/internal/archive"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/store"
)

// health answers what machines ask: whether the process lives, whether it is
// ready, and its figures.
type health struct {
	store    *store.Store
	board    *board
	trunks   *live.Trunks
	recorder *live.Recorder
	archive  *archive.Archive
}

// readyPatience is how long the database may take to say that it is there.
const readyPatience = 2 * time.Second

// readiness is what /readyz answers. Calls is what matters to callers; Database
// may be away while calls go on.
type readiness struct {
	Ready    bool  `json:"ready"`
	Plan     bool  `json:"plan"`
	Revision int64 `json:"revision"`
	Switches int   `json:"switches"`
	Database bool  `json:"database"`
	Records  bool  `json:"records"`
	// Recordings says that messages can be written; also where none are to be kept.
	Recordings bool `json:"recordings"`
}

func (h health) readiness(ctx context.Context) readiness {
	var r readiness
	if run := h.board.plan.Current(); run != nil {
		r.Plan, r.Revision = true, run.Revision
		r.Switches = len(h.board.running())
		// At revision 0 nothing was ever live: there is nothing that could take a call.
		r.Ready = r.Revision > 0 && r.Switches == len(run.Snapshot.Plan().Switches)
	}
	ctx, cancel := context.WithTimeout(ctx, readyPatience)
	defer cancel()
	r.Database = h.store.DB().PingContext(ctx) == nil
	r.Records = !h.recorder.Failing()
	r.Recordings = !h.archive.Failing()
	return r
}

// register adds the paths to a mux.
func (h health) register(mux *http.ServeMux) {
	mux.HandleFunc("GET /healthz", func(w http.ResponseWriter, _ *http.Request) {
		_, _ = w.Write([]byte("ok\n"))
	})
	mux.HandleFunc("GET /readyz", func(w http.ResponseWriter, r *http.Request) {
		state := h.readiness(r.Context())
		w.Header().Set("Content-Type", "application/json")
		if !state.Ready {
			w.WriteHeader(http.StatusServiceUnavailable)
		}
		_ = json.NewEncoder(w).Encode(state)
	})
}

// metrics returns the handler of /metrics, on a registry of its own.
func (h health) metrics() http.Handler {
	registry := prometheus.NewRegistry()
	registry.MustRegister(collectors.NewGoCollector(), collectors.NewProcessCollector(collectors.ProcessCollectorOpts{}), h)
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
	metricLost     = prometheus.NewDesc("switchback_records_lost_total", "Messages and call records that could not be kept.", nil, nil)
	metricWaiting  = prometheus.NewDesc("switchback_records_waiting", "1 while the database does not take call records.", nil, nil)
)

// Describe implements prometheus.Collector.
func (h health) Describe(ch chan<- *prometheus.Desc) {
	for _, d := range []*prometheus.Desc{metricRevision, metricChannels, metricInUse, metricCalls, metricResults, metricAnswers, metricPorts, metricNoPort, metricUnknown, metricLost, metricWaiting} {
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
	count(metricLost, h.recorder.Lost())
	gauge(metricWaiting, one(h.recorder.Failing()))
	for sw, use := range h.board.Ports() {
		gauge(metricPorts, float64(use.Used), sw)
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
	}
}

func one(b bool) float64 {
	if b {
		return 1
	}
	return 0
}
