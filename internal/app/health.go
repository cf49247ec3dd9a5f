package app

import (
	"context"
	"encoding/json"
	"net/http"
	"time"

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
	ops      *operations
	calls    *callMetrics
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
