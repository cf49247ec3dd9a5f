package api

import (
	"switchback.example/switchback/internal/core/record"
)

// RunningCall is a call that runs now.
type RunningCall struct {
	CallSummary
	// Phase: deciding (no far end rings yet), ringing, or talking.
	Phase string `json:"phase" enum:"deciding,ringing,talking"`
	// Legs are the caller's and those that were tried; the last one is the one
	// that rings or talks.
	Legs []record.Leg `json:"legs"`
}

func (s *server) runningCalls() []RunningCall {
	out := []RunningCall{}
	for _, c := range s.Recorder.Running() {
		out = append(out, RunningCall{CallSummary: summary(c), Phase: phase(c), Legs: append([]record.Leg{}, c.Legs...)})
	}
	return out
}

func phase(c record.Call) string {
	switch {
	case !c.Answered.IsZero():
		return "talking"
	case len(c.Legs) > 1 && c.Legs[len(c.Legs)-1].Rang:
		return "ringing"
	}
	return "deciding"
}
