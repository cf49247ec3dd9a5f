package trail_test

import (
	"encoding/json"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/trail"
)

func TestATrailOfVersion1IsReadInItsNewWords(t *testing.T) {
	was := `[{"kind":"received","switch":"quay","received":{"trunk":{"kind":"trunk","id":"a","name":"say \"form\":"},"farEnd":{"kind":"farEnd","id":"a","name":"A"},` +
		`"called":{"number":"1","form":"national"},"caller":{"number":"","form":""},"byHand":{"office":"night"}}},` +
		`{"kind":"set-hours","switch":"quay","setHours":{"hours":{"kind":"hours","id":"office","name":"Office"},"state":"night"}},` +
		`{"kind":"permitted","switch":"quay","permitted":{"group":{"kind":"group","id":"managers","name":"Managers"},"class":"local","why":"","allowed":true,"detail":""}},` +
		`{"kind":"skipped","switch":"quay","skipped":{"trunk":{"kind":"trunk","id":"a","name":"A"},"reason":"goes-back","detail":"","called":{"number":"1","form":""},"caller":{"number":"1","form":""}}}]`
	var steps []trail.Step
	require.NoError(t, json.Unmarshal(trail.Upgrade(1, []byte(was)), &steps))
	assert.Equal(t, `say "form":`, steps[0].Received.Trunk.Name, "what a text says is left")
	assert.EqualValues(t, "national", steps[0].Received.Called.Format)
	assert.Equal(t, map[string]string{"office": "night"}, steps[0].Received.Overrides)
	assert.Equal(t, trail.StepSetHours, steps[1].Kind)
	assert.Equal(t, trail.Ref{Kind: "calendar", ID: "office", Name: "Office"}, steps[1].SetCalendar.Calendar)
	assert.Equal(t, "callerGroup", steps[2].Permitted.Group.Kind)
	assert.Equal(t, trail.SkipHairpin, steps[3].Skipped.Reason)
	now, err := json.Marshal(steps)
	require.NoError(t, err)
	assert.Equal(t, now, trail.Upgrade(trail.Version, now))
}
