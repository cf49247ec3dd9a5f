package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/plan"
)

// maxUsers bounds how many users of an object are listed; all are counted.
const maxUsers = 200

// Users are the objects of the draft that name another.
type Users struct {
	// Counts is how many objects name each of the kind, by id; those that nothing names are left out.
	Counts map[string]int `json:"counts"`
	// Users are those of one object, if one was asked for, some hundred at most.
	Users []plan.User `json:"users" nullable:"false"`
}

func (s *server) userRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-users", Method: http.MethodGet, Path: "/api/draft/users", Summary: "What in the draft names objects of a kind: it would break without them"},
		func(ctx context.Context, in *struct {
			Kind string `query:"kind" required:"true" enum:"switch,farEnd,trunk,table,path,destination,callerGroup,calendar"`
			ID   string `query:"id" maxLength:"63" doc:"One object, whose users are listed"`
		}) (*struct{ Body Users }, error) {
			d, err := s.Store.Draft(ctx)
			if err != nil {
				return nil, s.failed(err)
			}
			out := Users{Counts: d.Plan.CountUsers(plan.Kind(in.Kind)), Users: []plan.User{}}
			if in.ID != "" {
				users := d.Plan.Users(plan.Key{Kind: plan.Kind(in.Kind), ID: in.ID})
				out.Users = users[:min(len(users), maxUsers)]
			}
			return &struct{ Body Users }{out}, nil
		})
}
