package api

import (
	"context"
	"encoding/json"
	"time"

	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/standing"
	"switchback.example/switchback/internal/store"
)

// Database is what the API keeps and reads. Package store has it in MariaDB; tests of the API
// have it in memory, and one campaign holds both to the same answers.
type Database interface {
	Drafts
	Revisions
	People
	Calls
	Operations
}

// Drafts is the plan that is edited. A plan that is returned must not be changed.
type Drafts interface {
	Draft(ctx context.Context) (store.Draft, error)
	DraftVersion(ctx context.Context) (int64, error)
	// PutObject writes an object; a new one precedes another of its list, or is the last.
	// With was, the object must still be that, else the error is a *store.StaleError.
	PutObject(ctx context.Context, o plan.Object, before string, was json.RawMessage) error
	PutObjects(ctx context.Context, list []plan.Object) error
	MoveObject(ctx context.Context, kind plan.Kind, id, before string) error
	DeleteObject(ctx context.Context, kind plan.Kind, id string) error
	// EditNumbers changes the inventory: change is given the plan as it stands.
	EditNumbers(ctx context.Context, change func(plan.Plan) (inventory.List, error)) error
	ReplaceDraft(ctx context.Context, p plan.Plan) error
	DiscardDraft(ctx context.Context) error
	// Undo takes the last edit in the same name back; Undoable counts those that can be.
	Undo(ctx context.Context) error
	Undoable(ctx context.Context) (n int, err error)
	// Changes are in what the draft differs from the live plan, and Authors who edited that.
	Changes(ctx context.Context) (changes []plan.Change, count int, version int64, err error)
	Authors(ctx context.Context) (map[plan.Key]string, error)
	// CheckRuns are the last runs of the checks, by id.
	CheckRuns(ctx context.Context) (map[string]store.CheckRun, error)
	SaveCheckRuns(ctx context.Context, list []store.CheckRun) error
}

// Revisions are the plans that are or were live.
type Revisions interface {
	Live(ctx context.Context) (p plan.Plan, revision int64, err error)
	Revision(ctx context.Context, id int64) (plan.Plan, error)
	Revisions(ctx context.Context, limit int) ([]store.Revision, error)
}

// People are who may sign in.
type People interface {
	CheckPassword(ctx context.Context, name, password string) (bool, error)
	AddFirstUser(ctx context.Context, name, password string) error
}

// Calls are the records of calls.
type Calls interface {
	Call(ctx context.Context, id string) (record.Call, error)
	CallByLeg(ctx context.Context, legs ...string) (record.Call, error)
	// FindCalls returns the calls that are wanted, newest first, and CallVolume counts them by
	// spans of time; spans without calls are left out.
	FindCalls(ctx context.Context, q record.Query, limit int) ([]record.Summary, error)
	CallVolume(ctx context.Context, q record.Query, span time.Duration) ([]record.Volume, error)
	// Session returns the records of one call over several switches.
	Session(ctx context.Context, session string) ([]record.Call, error)
	// Messages says where the messages of a call are in the archive.
	Messages(ctx context.Context, c record.Call) ([]record.Place, error)
	LastTrails(ctx context.Context, limit int) ([]store.PastCall, error)
}

// Operations is what operators set beside the plan.
type Operations interface {
	SaveService(ctx context.Context, v standing.Service) error
	PutSecret(ctx context.Context, name, secret string) error
	// Clock is the clock of the database, beside that of this machine.
	Clock(ctx context.Context) (standing.Clock, error)
}

var _ Database = (*store.Store)(nil)
