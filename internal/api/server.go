// Package api serves Switchback over HTTP: the JSON API, described by OpenAPI,
// and beside it the web application.
//
// It translates; it decides nothing and keeps nothing.
package api

import (
	"context"
	"log/slog"
	"net/http"
	"net/netip"
	"reflect"
	"runtime/debug"
	"strings"
	"time"

	"github.com/alexedwards/scs/v2"
	"github.com/danielgtaylor/huma/v2"
	"github.com/danielgtaylor/huma/v2/adapters/humagin"
	"github.com/gin-gonic/gin"

	"switchback.example/switchback/internal/archive"
	"switchback.example/switchback/internal/core/cause"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/guide"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/judge"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/core/trail"
	"switchback.example/switchback/internal/live"
	"switchback.example/switchback/internal/live/call"
	"switchback.example/switchback/internal/live/media"
	"switchback.example/switchback/internal/standin"
	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/webapp"
)

// Version is the version of the API and of the program.
const Version = "0.1.0"

// Switchboard is what the API needs of the running switches.
type Switchboard interface {
	// GoLive makes the draft of a version the live plan. With problems nothing
	// was changed.
	GoLive(ctx context.Context, version int64, who, note string) (r store.Revision, problems []plan.Problem, err error)
	// TestCall sends a call on one trunk with the digits as typed, past the plan,
	// and returns the id of its record.
	TestCall(t plan.Trunk, called, caller digits.Number, talk time.Duration) (call string, err error)
	// PlaceCall begins a call in the switch as if it came from a trunk, decided by the live
	// plan, and returns the name of the leg on which it begins; EndPlaced ends it.
	PlaceCall(t plan.Trunk, in decide.Call, talk time.Duration) (leg string, err error)
	EndPlaced(leg string) (ok bool)
	// Unknown counts messages from unknown sources, by switch and by what became of them.
	Unknown() map[string]map[string]int64
	// Try lets the draft of a version decide the calls of some scopes, beside the live plan,
	// and StopTrial ends that.
	Try(ctx context.Context, version int64, scopes []standing.Scope, who string) (problems []plan.Problem, err error)
	StopTrial(ctx context.Context) error
	// Preview writes what a switch would send by a trunk for a call; nothing is sent.
	Preview(sw plan.Switch, t plan.Trunk, o decide.Offer) ([]call.Preview, error)
	// Ports says how many RTP ports each switch uses.
	Ports() map[string]media.Use
}

// Config is what a server needs.
type Config struct {
	Store       Database
	Sessions    scs.Store // of who signed in; nil keeps them in memory
	Plan        *live.Plan
	Trunks      *live.Trunks
	Recorder    *live.Recorder
	Archive     *archive.Archive
	Feed        *live.Feed
	Switchboard Switchboard
	// Operational state: secrets of accounts, who registered, who is blocked,
	// what trunks were over the day.
	Secrets       *live.Secrets
	Registrations *live.Registrations
	Gate          *live.Gate     // of calls
	SignIns       *live.Gate     // who guesses passwords
	OwnNetworks   []netip.Prefix // from which signing in is never blocked
	Proxies       []netip.Prefix // whose word on who asked is believed
	Certificates  *live.Certificates
	History       *live.History
	RuleMatches   *live.RuleMatches
	Lamps         *live.Lamps
	Overrides     *live.Overrides
	Arrivals      *live.Arrivals
	Strangers     *live.Strangers
	Journal       *live.Journal
	StandIns      *standin.Set // empty where none run
	Instance      string       // names this installation to people; empty for none
	First         *FirstStart  // nil where somebody can sign in already
	Log           *slog.Logger
}

type server struct {
	Config
	sessions  *scs.SessionManager
	draft     draftSnapshot
	streams   streams
	passwords *passwords
	found     foundNumbers
	valid     validPlan
	imports   imports
	started   time.Time
}

// sessionLife is how long a sign-in holds.
const sessionLife = 12 * time.Hour

// New returns the whole HTTP handler.
func New(cfg Config) http.Handler {
	s := &server{Config: cfg, sessions: scs.New(), passwords: newPasswords(), started: time.Now()}
	s.sessions.Lifetime = sessionLife
	s.sessions.Cookie.Name = "switchback_session"
	s.sessions.Cookie.HttpOnly = true
	s.sessions.HashTokenInStore = true
	s.sessions.Cookie.SameSite = http.SameSiteStrictMode
	if cfg.Sessions != nil {
		s.sessions.Store = rememberSessions(cfg.Sessions)
	}
	s.sessions.ErrorFunc = func(w http.ResponseWriter, r *http.Request, err error) {
		cfg.Log.Error("session", "error", err)
		problem(w, http.StatusServiceUnavailable, "the database is away; calls go on, try again shortly")
	}
	gin.SetMode(gin.ReleaseMode)
	engine := gin.New()
	engine.Use(gin.CustomRecoveryWithWriter(nil, func(c *gin.Context, fault any) {
		cfg.Log.Error("request failed", "path", c.Request.URL.Path, "fault", fault, "stack", string(debug.Stack()))
		problem(c.Writer, http.StatusInternalServerError, "the server failed on this request; the log has the details")
	}))
	describe(engine, s)
	app := webapp.Handler()
	engine.NoRoute(func(c *gin.Context) {
		if strings.HasPrefix(c.Request.URL.Path, "/api/") {
			problem(c.Writer, http.StatusNotFound, "nothing was done: this version of Switchback has no such operation; reload the page")
			return
		}
		app.ServeHTTP(c.Writer, c.Request)
	})
	cop := http.NewCrossOriginProtection()
	cop.SetDenyHandler(http.HandlerFunc(func(w http.ResponseWriter, _ *http.Request) {
		problem(w, http.StatusForbidden, "requests from other sites are refused")
	}))
	return headers(behindProxies(cfg.Proxies, cop.Handler(s.sessions.LoadAndSave(engine))))
}

// headers sets what every answer carries.
func headers(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		h := w.Header()
		h.Set("Content-Security-Policy", "default-src 'self'; style-src 'self' 'unsafe-inline'; img-src 'self' data:; frame-ancestors 'none'; base-uri 'none'; form-action 'self'")
		h.Set("X-Content-Type-Options", "nosniff")
		h.Set("Referrer-Policy", "same-origin")
		next.ServeHTTP(w, r)
	})
}

// describe registers every operation.
func describe(engine *gin.Engine, s *server) huma.API {
	huma.DefaultArrayNullable = false
	huma.NewError = inWords
	config := huma.DefaultConfig("Switchback", Version)
	config.OpenAPIPath = "/api/openapi"
	config.DocsPath = ""
	config.SchemasPath = ""
	config.CreateHooks = nil // no $schema links in every answer
	config.Components.Schemas = huma.NewMapRegistry("#/components/schemas/", schemaName)
	config.Components.Schemas.RegisterTypeAlias(reflect.TypeFor[inventory.List](), reflect.TypeFor[[]inventory.Number]())
	config.Info.Description = "Connect phone systems to carriers, decide their calls, and explain them."
	a := humagin.New(engine, config)
	a.UseMiddleware(s.requireSignIn(a))
	s.sessionRoutes(a)
	s.firstStartRoutes(a)
	s.trunkRoutes(a)
	s.operationRoutes(a)
	s.gateRoutes(a)
	s.planRoutes(a)
	s.draftRoutes(a)
	s.objectRoutes(a)
	s.userRoutes(a)
	s.editorRoutes(a)
	s.effectRoutes(a)
	s.checkRoutes(a)
	s.listRoutes(a)
	s.directoryRoutes(a)
	s.numberRoutes(a)
	s.numberBulkRoutes(a)
	s.mappingRoutes(a)
	s.importRoutes(a)
	s.hoursRoutes(a)
	s.impactRoutes(a)
	s.trialRoutes(a)
	s.guideRoutes(a)
	s.sheetRoutes(a)
	s.wireRoutes(a)
	s.profileRoutes(a)
	s.changeRoutes(a)
	s.patternRoutes(a)
	s.tryRoutes(a)
	s.callRoutes(a)
	s.eventRoutes(a)
	s.standInRoutes(a)
	return a
}

// newError is huma's own.
var newError = huma.NewError

// inWords is an error as people read it: what huma finds wrong in a request is told at its
// fields, and the whole says that nothing came of it.
func inWords(status int, message string, errs ...error) huma.StatusError {
	if message == "validation failed" {
		message = "nothing was done: some values do not fit"
	}
	return newError(status, message, errs...)
}

// schemaName tells types of one name in two packages apart.
func schemaName(t reflect.Type, hint string) string {
	switch t {
	case reflect.TypeFor[rewrite.Step]():
		return "DigitStep"
	case reflect.TypeFor[trail.Step]():
		return "TrailStep"
	case reflect.TypeFor[guide.Ask]():
		return "GuideAsk"
	case reflect.TypeFor[guide.Proposal]():
		return "GuideProposal"
	case reflect.TypeFor[judge.Check]():
		return "ChecklistLine"
	}
	for path, prefix := range map[string]string{"/core/inbound": "Inbound", "/core/impact": "Impact", "/core/editor": "Editor"} {
		if strings.HasSuffix(t.PkgPath(), path) {
			return prefix + t.Name()
		}
	}
	return huma.DefaultSchemaNamer(t, hint)
}

// Description returns the OpenAPI description as JSON.
func Description() ([]byte, error) {
	gin.SetMode(gin.ReleaseMode)
	a := describe(gin.New(), &server{sessions: scs.New()}).OpenAPI()
	a.Extensions = map[string]any{"x-words": words()}
	return a.MarshalJSON()
}

// words are what the front end shows and does not fetch: the sorts of digit steps with their
// fields, and the forms that numbers can be given.
func words() any {
	return struct {
		DigitSteps  []rewrite.Kind     `json:"digitSteps"`
		StepFormats []numbering.Format `json:"stepFormats"`
		// SIPPhrases and CauseNames are the names of the standards, side by side and never mixed.
		SIPPhrases map[int]string        `json:"sipPhrases"`
		CauseNames map[cause.Q850]string `json:"causeNames"`
	}{rewrite.Kinds(), rewrite.Formats(), cause.Phrases(), cause.Names()}
}

// problem writes a problem document (RFC 9457) outside the described
// operations.
func problem(w http.ResponseWriter, status int, detail string) {
	w.Header().Set("Content-Type", "application/problem+json")
	w.WriteHeader(status)
	_, _ = w.Write([]byte(`{"title":"` + http.StatusText(status) + `","status":` + itoa(status) + `,"detail":"` + detail + `"}`))
}

func itoa(n int) string {
	return string([]byte{byte('0' + n/100), byte('0' + n/10%10), byte('0' + n%10)})
}

// failed turns an error of the store into a problem document.
func (s *server) failed(err error) error {
	switch {
	case err == nil:
		return nil
	case isNotFound(err):
		return huma.Error404NotFound(err.Error())
	}
	s.Log.Error("request failed", "error", err)
	return huma.Error503ServiceUnavailable("the database did not answer; calls go on, try again shortly")
}

// badPlan lists problems of a plan as the errors of a problem document.
func badPlan(detail string, problems []plan.Problem) error {
	var errs []error
	for _, p := range problems {
		errs = append(errs, &huma.ErrorDetail{Message: p.Reason, Location: p.Place})
	}
	return huma.Error422UnprocessableEntity(detail, errs...)
}
