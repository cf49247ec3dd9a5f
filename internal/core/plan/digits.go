package plan

// DigitTimers say how the digits of a trunk's calls are collected where they come one by
// one. The zero value takes numbers whole.
type DigitTimers struct {
	// OneByOne: a number that is not complete is waited for, by RFC 3578.
	OneByOne bool `json:"oneByOne,omitempty"`
	// FirstMs is how long the first digit may take, PartialMs each further one, and
	// CriticalMs how long a longer number is waited for where the one that is there can
	// go; 0 is the default of each.
	FirstMs    int `json:"firstMs,omitempty" minimum:"0" maximum:"120000"`
	PartialMs  int `json:"partialMs,omitempty" minimum:"0" maximum:"120000"`
	CriticalMs int `json:"criticalMs,omitempty" minimum:"0" maximum:"60000"`
	// EndMark: a # ends the number, and is none of it.
	EndMark bool `json:"endMark,omitempty"`
}

// Defaults, in milliseconds. Source: T partial and T critical of RFC 3660, 16 s and 4 s;
// the first digit as the further ones.
const (
	DefaultFirstDigit    = 16_000
	DefaultPartialDigits = 16_000
	DefaultCriticalDigit = 4_000
)

// OrDefault fills in what is 0.
func (d DigitTimers) OrDefault() DigitTimers {
	for _, f := range []struct {
		v       *int
		without int
	}{{&d.FirstMs, DefaultFirstDigit}, {&d.PartialMs, DefaultPartialDigits}, {&d.CriticalMs, DefaultCriticalDigit}} {
		if *f.v == 0 {
			*f.v = f.without
		}
	}
	return d
}

func (v *validator) digits(at string, d DigitTimers) {
	for _, f := range []struct {
		name     string
		is, most int
	}{{"firstMs", d.FirstMs, 120_000}, {"partialMs", d.PartialMs, 120_000}, {"criticalMs", d.CriticalMs, 60_000}} {
		if f.is < 0 || f.is > f.most {
			v.bad(at+"/"+f.name, "is %d; it is 0 (the default) to %d ms", f.is, f.most)
		}
	}
}
