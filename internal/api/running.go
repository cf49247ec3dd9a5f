package api

import (
	"switchback.example/switchback/internal/core/record"
)

// RunningCall is a call that runs now.
type RunningCall struct {
	record.Summary
	// Phase: routing until a far end rings.
	Phase record.Phase `json:"phase" enum:"routing,ringing,connected"`
	// Legs are the caller's and those that were tried; the last one is the one
	// that rings or talks.
	Legs []record.Leg `json:"legs"`
}

func (s *server) runningCalls() []RunningCall {
	out := []RunningCall{}
	for _, c := range s.Recorder.Running() {
		out = append(out, RunningCall{Summary: record.Summarize(c), Phase: c.Phase(), Legs: append([]record.Leg{}, c.Legs...)})
	}
	return out
}
