package api

import (
	"context"
	"net/http"
	"time"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/standin"
)

// StandIn is a simulated far end and its directory.
type StandIn struct {
	ID           string           `json:"id"`
	Name         string           `json:"name"`
	Address      string           `json:"address"`
	Running      bool             `json:"running"`
	Called       string           `json:"called" doc:"Called numbers that it accepts; others get 404"`
	Caller       string           `json:"caller" doc:"Callers that it accepts; others get 403"`
	Directory    []DirectoryEntry `json:"directory"`
	BLF          []Lamp           `json:"blf" doc:"The lamps of its extensions that it was told of" nullable:"false"`
	OtherNumbers string           `json:"otherNumbers" doc:"What it does with a number in no line of the directory"`
}

// DirectoryEntry is one line of a stand-in's directory.
type DirectoryEntry struct {
	Pattern   string `json:"pattern"`
	Behaviour string `json:"behaviour"`
}

// Lamp is that of an extension at a stand-in.
type Lamp struct {
	Extension string    `json:"extension"`
	On        bool      `json:"on"`
	At        time.Time `json:"at"`
}

func (s *server) standInRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-stand-ins", Method: http.MethodGet, Path: "/api/stand-ins", Summary: "The simulated far ends and their behaviour"},
		func(context.Context, *struct{}) (*struct{ Body []StandIn }, error) {
			out := []StandIn{}
			for _, one := range s.StandIns.All() {
				out = append(out, standIn(one))
			}
			return &struct{ Body []StandIn }{out}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "update-stand-in", Method: http.MethodPatch, Path: "/api/stand-ins/{id}", Summary: "Set a stand-in otherwise; it starts anew, and its calls end"},
		func(ctx context.Context, in *struct {
			ID   string `path:"id"`
			Body StandInChange
		}) (*struct{ Body StandIn }, error) {
			if s.StandIns.Find(in.ID) == nil {
				return nil, huma.Error404NotFound("there is no stand-in " + in.ID)
			}
			one, err := s.StandIns.Change(in.ID, in.Body.change())
			if err != nil {
				return nil, huma.Error409Conflict(err.Error())
			}
			s.audit(ctx, "set stand-in "+in.ID+" otherwise")
			return &struct{ Body StandIn }{standIn(one)}, nil
		})
	for _, op := range []struct {
		id, path, summary string
		do                func(*standin.StandIn) error
	}{
		{"start-stand-in", "/api/stand-ins/{id}/start", "Start a stand-in", (*standin.StandIn).Start},
		{"stop-stand-in", "/api/stand-ins/{id}/stop", "Stop a stand-in, as if its power failed", func(one *standin.StandIn) error { one.Stop(); return nil }},
	} {
		huma.Register(a, huma.Operation{OperationID: op.id, Method: http.MethodPost, Path: op.path, Summary: op.summary},
			func(_ context.Context, in *struct {
				ID string `path:"id"`
			}) (*struct{ Body StandIn }, error) {
				one := s.StandIns.Find(in.ID)
				if one == nil {
					return nil, huma.Error404NotFound("there is no stand-in " + in.ID)
				}
				if err := op.do(one); err != nil {
					return nil, huma.Error409Conflict(err.Error())
				}
				return &struct{ Body StandIn }{standIn(one)}, nil
			})
	}
}

func standIn(one *standin.StandIn) StandIn {
	out := StandIn{
		ID: one.ID, Name: one.Name, Address: one.Address, Running: one.Running(), Called: one.Called, Caller: one.Caller,
		Directory: []DirectoryEntry{}, BLF: []Lamp{},
		OtherNumbers: standin.Behaviour{Kind: standin.Answers, After: standin.DefaultAnswer}.String(),
	}
	for _, e := range one.Directory {
		out.Directory = append(out.Directory, DirectoryEntry{e.Pattern, e.Behaviour.String()})
	}
	for _, l := range one.Lamps() {
		out.BLF = append(out.BLF, Lamp(l))
	}
	return out
}
