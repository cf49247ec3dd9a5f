package callerid_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"switchback.example/switchback/internal/core/callerid"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/numbering"
)

func TestWhatFollowsWhereNothingWasSaid(t *testing.T) {
	for text, want := range map[string]callerid.Presentation{
		"2001": callerid.Allowed, "+441914980101": callerid.Allowed, "": callerid.Unavailable,
		"anonymous": callerid.Restricted, "Anonymous": callerid.Restricted, "front desk": callerid.Unavailable,
	} {
		c := callerid.Read(text)
		assert.Equal(t, want, c.Presentation, text)
		assert.Equal(t, callerid.NotScreened, c.Screening)
		assert.Equal(t, want != callerid.Allowed, c.Withheld(), text)
		assert.Equal(t, text, c.String())
		assert.Equal(t, c, c.Settled(), "it is settled once")
	}
}

func TestWhatWasSaidStays(t *testing.T) {
	c := callerid.Caller{Number: numbering.Written{Number: digits.MustNumber("2001")}, Presentation: callerid.Restricted, Screening: callerid.Verified}
	assert.Equal(t, c, c.Settled())
	assert.True(t, c.Withheld())
	assert.Equal(t, "2001", c.String(), "our own record keeps the number")
}
