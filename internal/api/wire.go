package api

import (
	"context"
	"fmt"
	"net/http"

	"github.com/danielgtaylor/huma/v2"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
)

// WireAsk is a trunk as it is edited, and a call that is to leave by it.
type WireAsk struct {
	Trunk  plan.Trunk `json:"trunk"`
	Called string     `json:"called,omitempty" doc:"In E.164; empty: an example of the switch's country" maxLength:"40"`
	Caller string     `json:"caller,omitempty" doc:"In E.164" maxLength:"40"`
}

// Wire is what a trunk's settings do: the messages, written by the code that sends
// them.
type Wire struct {
	Called   string        `json:"called"`
	Caller   string        `json:"caller"`
	Messages []WireMessage `json:"messages" nullable:"false"`
	// Why nothing can be shown, or why no such call would leave.
	Why string `json:"why"`
}

// WireMessage is a message as it would be sent.
type WireMessage struct {
	What string `json:"what"`
	Text string `json:"text"`
}

func (s *server) wireRoutes(a huma.API) {
	huma.Register(a, huma.Operation{OperationID: "preview-messages", Method: http.MethodPost, Path: "/api/message-preview", Summary: "What the settings of a trunk do on the wire; nothing is sent"},
		func(ctx context.Context, in *struct{ Body WireAsk }) (*struct{ Body Wire }, error) {
			draft, err := s.planOf(ctx, "draft")
			if err != nil {
				return nil, err
			}
			sw := plan.NewIndex(draft).Switches[in.Body.Trunk.Switch]
			if sw == nil {
				return &struct{ Body Wire }{Wire{Messages: []WireMessage{}, Why: "The trunk is on no switch of the draft."}}, nil
			}
			return &struct{ Body Wire }{s.onTheWire(*sw, in.Body)}, nil
		})
}

func (s *server) onTheWire(sw plan.Switch, ask WireAsk) Wire {
	v := Wire{Called: ask.Called, Caller: ask.Caller, Messages: []WireMessage{}}
	exampleCalled, exampleCaller := numbering.ExampleNumbers(sw.Region.Country)
	if v.Called == "" {
		v.Called = exampleCalled
	}
	if v.Caller == "" {
		v.Caller = exampleCaller
	}
	called, errCalled := digits.ParseNumber(v.Called)
	caller, errCaller := digits.ParseNumber(v.Caller)
	if errCalled != nil || errCaller != nil {
		v.Why = "These are no numbers: give them as + and digits."
		return v
	}
	o, trail, ok, problems := decide.LeavesAs(sw, ask.Trunk, called, caller)
	switch {
	case len(problems) > 0:
		v.Why = fmt.Sprintf("%s: %s", problems[0].Place, problems[0].Reason)
		return v
	case !ok:
		v.Why = trail[len(trail)-1].Ended.Why
		for _, step := range trail {
			if step.Skipped != nil {
				v.Why = step.Skipped.Detail
			}
		}
		return v
	}
	list, err := s.Switchboard.Preview(sw, ask.Trunk, o)
	if err != nil {
		v.Why = err.Error()
	}
	for _, m := range list {
		v.Messages = append(v.Messages, WireMessage{m.Name, m.Text})
	}
	return v
}
