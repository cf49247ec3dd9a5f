package record_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/record"
	"switchback.example/switchback/internal/core/trail"
)

func TestAnAnswerWithoutSoundIsNoSuccess(t *testing.T) {
	at := time.Now()
	heard := func(packets int64) *record.Audio { return &record.Audio{Heard: &record.Reception{Packets: packets}} }
	call := func(seconds int, caller, called *record.Audio) record.Call {
		return record.Call{Trail: []trail.Step{{Received: &trail.Received{Trunk: trail.Ref{ID: "phones"}, FarEnd: trail.Ref{Name: "Quay phones"}}}, {Heard: &trail.Heard{Trunk: trail.Ref{ID: "ostrel", Name: "Ostrel"}}}}, Answered: at, Ended: at.Add(time.Duration(seconds) * time.Second), Legs: []record.Leg{{Trunk: "phones", FarEnd: "quay-phones", Media: caller}, {FarEnd: "penhallow"}, {Trunk: "ostrel", FarEnd: "ostrel-carrier", Media: called}}}
	}
	for name, c := range map[string]struct {
		call   record.Call
		want   record.Sound
		silent string
	}{
		"both ways":             {call(10, heard(500), heard(500)), record.SoundBothWays, ""},
		"the called is silent":  {call(10, heard(500), heard(0)), record.SoundOneWay, "Ostrel"},
		"the caller is silent":  {call(10, heard(0), heard(500)), record.SoundOneWay, "Quay phones"},
		"nobody is heard":       {call(10, heard(0), heard(0)), record.SoundNone, ""},
		"too short to tell":     {call(2, heard(0), heard(50)), "", ""},
		"the sound goes beside": {call(10, nil, nil), "", ""},
		"a test hears nothing":  {call(10, nil, heard(0)), record.SoundOneWay, "Ostrel"},
		"a test hears them":     {call(10, nil, heard(500)), "", ""},
	} {
		got, silent := c.call.SoundOf()
		assert.Equal(t, c.want, got, name)
		assert.Equal(t, c.silent, silent, name)
	}
	running := call(10, heard(0), heard(0))
	running.Ended = time.Time{}
	got, _ := running.SoundOf()
	assert.Empty(t, got, "it may yet come")
}

func TestALastResortIsNamed(t *testing.T) {
	to := func(s trail.Step) record.Call { return record.Call{Trail: []trail.Step{{}, s}} }
	assert.True(t, to(trail.Step{LookedUp: &trail.LookedUp{Winner: &trail.Ref{}, CatchAll: true}}).LastResort())
	assert.True(t, to(trail.Step{Resorted: &trail.Resorted{}}).LastResort())
	assert.False(t, to(trail.Step{LookedUp: &trail.LookedUp{Winner: &trail.Ref{}}}).LastResort())
}
