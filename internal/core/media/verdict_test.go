package media

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestJudge(t *testing.T) {
	yes, no, noise := Arrived{100, 1}, Arrived{}, Arrived{100, 0.1}
	for _, c := range []struct {
		caller, called Arrived
		want           Verdict
		why            string
	}{
		{yes, yes, BothWays, "audio both ways"},
		{yes, no, OneWay, "one way: the caller hears the called side, the called side hears nothing"},
		{no, yes, OneWay, "one way: the called side hears the caller, the caller hears nothing"},
		{noise, yes, OneWay, "one way: the called side hears the caller, the caller hears 100 packets from another source"},
		{no, no, NoSound, "none: no packet of audio arrived at either side"},
		{noise, no, NoSound, "none: the caller hears 100 packets from another source, the called side nothing"},
	} {
		v, why := Judge(c.caller, c.called)
		assert.Equal(t, c.want, v)
		assert.Equal(t, c.why, why)
	}
}
