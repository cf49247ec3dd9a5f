package decide_test

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"strings"
	"testing"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/demo"
)

// Benchmarks of the look-up, beside it in the same run a scan of compiled
// regular expressions and a hash map probed with every prefix length:
//
//	go test ./internal/core/decide -run '^$' -bench . -benchmem
//
// Rules are prefixes of six to nine digits, as route tables have them.

var sizes = []int{100, 10_000, 100_000}

// prefixes are distinct random prefixes, none of which begins another.
func prefixes(n int) []string {
	random := rand.New(rand.NewPCG(1, 2))
	seen := map[string]bool{}
	var out []string
	for len(out) < n {
		p := fmt.Sprintf("0%08d", random.IntN(100_000_000))[:9]
		if !seen[p] {
			seen[p] = true
			out = append(out, p)
		}
	}
	return out
}

func bigPlan(b *testing.B, list []string) plan.Plan {
	p, err := demo.Plan()
	if err != nil {
		b.Fatal(err)
	}
	rules := make([]plan.Rule, len(list))
	for i, prefix := range list {
		rules[i] = plan.Rule{ID: fmt.Sprintf("r%d", i), Name: "R", Match: plan.Match{Called: prefix + "xx"}, Then: plan.Then{Path: "national"}}
	}
	p.Tables[0].Rules = rules
	return p
}

func numbers(list []string) []digits.Number {
	random := rand.New(rand.NewPCG(3, 4))
	out := make([]digits.Number, 1024)
	for i := range out {
		out[i] = digits.MustNumber(fmt.Sprintf("%s%02d", list[random.IntN(len(list))], random.IntN(100)))
	}
	return out
}

// BenchmarkDecide is a whole decision with its trail, up to the first offer.
func BenchmarkDecide(b *testing.B) {
	for _, n := range sizes {
		list := prefixes(n)
		s, problems := decide.Compile(bigPlan(b, list))
		if len(problems) > 0 {
			b.Fatal(problems[0])
		}
		called := numbers(list)
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			b.ReportAllocs()
			for i := 0; b.Loop(); i++ {
				e, _ := s.Begin(decide.Call{Trunk: "quay-phones", Called: called[i%len(called)]})
				e.Next()
			}
		})
	}
}

// BenchmarkLookUp finds the rule alone: the index, and beside it the two
// obvious ways.
func BenchmarkLookUp(b *testing.B) {
	for _, n := range sizes {
		list := prefixes(n)
		called := numbers(list)
		patterns := make([]*digits.Pattern, n)
		for i, p := range list {
			patterns[i] = digits.MustCompile(p + "xx")
		}
		x := digits.NewIndex(patterns)
		b.Run(fmt.Sprintf("index/%d", n), func(b *testing.B) {
			b.ReportAllocs()
			for i := 0; b.Loop(); i++ {
				number := called[i%len(called)]
				places, _ := x.Candidates(number)
				for _, at := range places {
					if patterns[at].Matches(number) {
						break
					}
				}
			}
		})
		b.Run(fmt.Sprintf("hash/%d", n), func(b *testing.B) { hashProbe(b, list, called) })
		if n <= 10_000 {
			b.Run(fmt.Sprintf("regexp/%d", n), func(b *testing.B) { regexpScan(b, list, called) })
		}
	}
}

func hashProbe(b *testing.B, list []string, called []digits.Number) {
	m := make(map[string]int, len(list))
	for i, p := range list {
		m[p] = i
	}
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		s := called[i%len(called)].String()
		for l := len(s); l > 0; l-- {
			if _, ok := m[s[:l]]; ok {
				break
			}
		}
	}
}

func regexpScan(b *testing.B, list []string, called []digits.Number) {
	expressions := make([]*regexp.Regexp, len(list))
	for i, p := range list {
		expressions[i] = regexp.MustCompile("^" + strings.ReplaceAll(p+"xx", "x", "[0-9]") + "$")
	}
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		s := called[i%len(called)].String()
		for _, e := range expressions {
			if e.MatchString(s) {
				break
			}
		}
	}
}

// BenchmarkCompile compiles a whole plan.
func BenchmarkCompile(b *testing.B) {
	for _, n := range sizes {
		p := bigPlan(b, prefixes(n))
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, problems := decide.Compile(p); len(problems) > 0 {
					b.Fatal(problems[0])
				}
			}
		})
	}
}

// BenchmarkEffectiveOrder orders a table specific first.
func BenchmarkEffectiveOrder(b *testing.B) {
	for _, n := range []int{100, 10_000} {
		t := bigPlan(b, prefixes(n)).Tables[0]
		t.Policy = plan.SpecificFirst
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				decide.EffectiveOrder(t)
			}
		})
	}
}
