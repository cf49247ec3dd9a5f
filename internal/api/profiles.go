package api

import (
	"context"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/profile"
)

// ProfileKind is a sort of far end, as it is offered.
type ProfileKind struct {
	ID    string          `json:"id"`
	Name  string          `json:"name"`
	Kind  plan.FarEndKind `json:"kind"`
	About string          `json:"about"`
}

// ProfileAsk is a trunk as it is edited. With Choose it gets the settings of that
// profile, or of none if Choose is "none".
type ProfileAsk struct {
	Trunk  plan.Trunk `json:"trunk"`
	Choose string     `json:"choose,omitempty" maxLength:"63"`
}

// Profiled is a trunk beside its profile.
type Profiled struct {
	Trunk plan.Trunk       `json:"trunk"`
	Rows  []profile.Advice `json:"rows" nullable:"false"`
}

func (s *server) profileRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "list-profiles", Method: http.MethodGet, Path: "/api/profiles", Summary: "The sorts of far ends for which trunks have profiles"},
		func(context.Context, *struct{}) (*struct{ Body []ProfileKind }, error) {
			out := []ProfileKind{}
			for _, p := range profile.All() {
				out = append(out, ProfileKind{p.ID, p.Name, p.Kind, p.About})
			}
			return &struct{ Body []ProfileKind }{out}, nil
		})
	huma.Register(a, huma.Operation{OperationID: "apply-profile", Method: http.MethodPost, Path: "/api/profile", Summary: "Fill a trunk with the settings of a profile, or compare it with its own; nothing is saved"},
		func(ctx context.Context, in *struct{ Body ProfileAsk }) (*struct{ Body Profiled }, error) {
			draft, err := s.planOf(ctx, "draft")
			if err != nil {
				return nil, err
			}
			sw := plan.Switch{}
			if found := plan.NewIndex(draft).Switches[in.Body.Trunk.Switch]; found != nil {
				sw = *found
			}
			v := Profiled{Trunk: in.Body.Trunk}
			if choose := in.Body.Choose; choose != "" {
				if choose == noProfile {
					choose = ""
				} else if _, known := profile.Find(choose); !known {
					return nil, huma.Error422UnprocessableEntity("there is no profile " + choose + "; GET /api/profiles lists them")
				}
				if v.Trunk, err = profile.Fill(sw, v.Trunk, choose); err != nil {
					return nil, err
				}
			}
			if v.Rows = profile.Beside(sw, v.Trunk); v.Rows == nil {
				v.Rows = []profile.Advice{}
			}
			return &struct{ Body Profiled }{v}, nil
		})
}

// noProfile chooses none.
const noProfile = "none"
