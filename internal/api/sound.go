package api

import (
	"context"

	"switchback.example/switchback/internal/core/media"
	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/standin"
)

// Sound is what the two ends of a live try heard of each other.
type MediaVerdict struct {
	Verdict string `json:"verdict" enum:"both-ways,one-way,none"`
	Why     string `json:"why" doc:"The verdict in words"`
	// What arrived at each end, counted there.
	AtCaller standin.Listened `json:"atCaller"`
	AtCalled standin.Listened `json:"atCalled"`
	// Through says whether the sound went through the switch.
	Through bool `json:"through"`
}

// sound judges the sound of an answered call whose ends are stand-ins; nil if one
// of them is none.
func (s *server) sound(ctx context.Context, callID string, c record.Call) *MediaVerdict {
	if c.Answered.IsZero() {
		return nil
	}
	atCaller, ok := s.StandIns.Heard(callID)
	if !ok {
		return nil
	}
	for _, leg := range s.calledLegs(ctx, c) {
		atCalled, ok := s.StandIns.Heard(leg)
		if !ok {
			continue
		}
		v, why := media.Judge(media.Arrived{Packets: atCaller.Packets, Known: atCaller.Tone}, media.Arrived{Packets: atCalled.Packets, Known: atCalled.Tone})
		return &MediaVerdict{string(v), why, atCaller, atCalled, s.wentThrough(c)}
	}
	return nil
}

// calledLegs are the Call-IDs of the last attempts of a call, here and on the
// switches that it went on to.
func (s *server) calledLegs(ctx context.Context, c record.Call) (list []string) {
	all := []record.Call{c}
	if others, err := s.Store.Session(ctx, c.Session); err == nil {
		all = append(all, others...)
	}
	for _, r := range s.Recorder.Running() {
		if r.Session == c.Session {
			all = append(all, r)
		}
	}
	for _, one := range all {
		if n := len(one.Legs); n > 1 {
			list = append(list, one.Legs[n-1].Key)
		}
	}
	return list
}

// wentThrough tells whether no trunk of a call, as it is now, sends the sound past
// the switch.
func (s *server) wentThrough(c record.Call) bool {
	run := s.Plan.Current()
	if run == nil {
		return false
	}
	for _, leg := range []record.Leg{c.Legs[0], c.Legs[len(c.Legs)-1]} {
		if t, ok := run.Snapshot.Trunk(leg.Trunk); ok && t.Media.Direct() {
			return false
		}
	}
	return true
}
