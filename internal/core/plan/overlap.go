package plan

// Overlap says how the digits of a trunk's calls are collected where they come one by
// one. The zero value takes numbers whole.
type Overlap struct {
	// Enabled: a number that is not complete is waited for, by RFC 3578.
	Enabled bool `json:"enabled,omitempty"`
	// FirstDigitMs is how long the first digit may take, PartialMs each further one, and
	// CriticalMs how long a longer number is waited for where the one that is there can
	// go; 0 is the default of each.
	FirstDigitMs int `json:"firstDigitMs,omitempty" minimum:"0" maximum:"120000"`
	PartialMs    int `json:"partialMs,omitempty" minimum:"0" maximum:"120000"`
	CriticalMs   int `json:"criticalMs,omitempty" minimum:"0" maximum:"60000"`
	// EndMark: a # ends the number, and is none of it.
	EndMark bool `json:"endMark,omitempty"`
}

// Defaults, in milliseconds. Source: T partial and T critical of RFC 3660, 16 s and 4 s;
// the first digit as the further ones.
const (
	DefaultFirstDigitMs = 16_000
	DefaultPartialMs    = 16_000
	DefaultCriticalMs   = 4_000
)

// OrDefault fills in what is 0.
func (d Overlap) OrDefault() Overlap {
	for _, f := range []struct {
		v       *int
		without int
	}{{&d.FirstDigitMs, DefaultFirstDigitMs}, {&d.PartialMs, DefaultPartialMs}, {&d.CriticalMs, DefaultCriticalMs}} {
		if *f.v == 0 {
			*f.v = f.without
		}
	}
	return d
}

func (v *validator) overlap(at string, d Overlap) {
	for _, f := range []struct {
		name     string
		is, most int
	}{{"firstDigitMs", d.FirstDigitMs, 120_000}, {"partialMs", d.PartialMs, 120_000}, {"criticalMs", d.CriticalMs, 60_000}} {
		if f.is < 0 || f.is > f.most {
			v.bad(at+"/"+f.name, "%d is out of range (0, default, to %d ms)", f.is, f.most)
		}
	}
}
