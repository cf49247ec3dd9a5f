package decide_test

import (
	"fmt"
	"math/rand/v2"
	"regexp"
	"runtime"
	"slices"
	"strings"
	"testing"

	"switchback.example/switchback/internal/calltest"
	"switchback.example/switchback/internal/core/compiled"
	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/digits"
	"switchback.example/switchback/internal/core/inventory"
	"switchback.example/switchback/internal/core/numbering"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/rewrite"
	"switchback.example/switchback/internal/demo"
)

// Benchmarks of the look-up, beside it in the same run a scan of compiled
// regular expressions and a hash map probed with every prefix length:
//
//	go test ./internal/core/decide -run '^$' -bench . -benchmem
//
// Rules are prefixes of six to nine digits, as route tables have them.

func sizes() []int {
	if testing.Short() { // as bin/test runs it, to show that it still does
		return []int{100}
	}
	return []int{100, 10_000, 100_000}
}

func largest() int { return slices.Max(sizes()) }

// prefixes are distinct random prefixes, none of which begins another.
func prefixes(n int) []string {
	random := rand.New(rand.NewPCG(1, 2))
	seen := map[string]bool{}
	var out []string
	for len(out) < n {
		p := fmt.Sprintf("01%07d", random.IntN(10_000_000))
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
		rules[i] = plan.Rule{ID: fmt.Sprintf("r%d", i), Name: "R", Match: plan.Match{Called: prefix + "xx"},
			CalledSteps: []rewrite.Step{{Op: rewrite.InterpretAs, Format: numbering.National}}, Then: plan.Then{Path: "national"}}
	}
	calltest.WithoutGroups(&p) // some of the numbers are in no numbering plan
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

// BenchmarkDecide is a whole decision up to the first offer, without a trail
// and with it.
func BenchmarkDecide(b *testing.B) {
	for _, n := range sizes() {
		list := prefixes(n)
		s, bytes := compiledPlan(b, bigPlan(b, list))
		called := numbers(list)
		b.Run(fmt.Sprintf("untold/%d", n), func(b *testing.B) {
			b.ReportAllocs()
			var e decide.Evaluation
			for i := 0; b.Loop(); i++ {
				s.Decide(&e, decide.Call{Trunk: "quay-phones", Called: called[i%len(called)]})
				if _, ok := e.Next(); !ok {
					b.Fatal("not offered")
				}
			}
			b.ReportMetric(float64(bytes)/float64(n), "heap-B/rule")
		})
		b.Run(fmt.Sprintf("told/%d", n), func(b *testing.B) {
			b.ReportAllocs()
			for i := 0; b.Loop(); i++ {
				e, _ := s.Begin(decide.Call{Trunk: "quay-phones", Called: called[i%len(called)]})
				e.Next()
			}
		})
	}
}

// compiledPlan compiles a plan and says how much memory the snapshot keeps, the
// plan not counted.
func compiledPlan(b *testing.B, p plan.Plan) (*decide.Snapshot, uint64) {
	before := heap()
	s, problems := decide.Compile(p)
	if len(problems) > 0 {
		b.Fatal(problems[0])
	}
	return s, heap() - before
}

func heap() uint64 {
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	return m.HeapAlloc
}

// BenchmarkLookUp finds the rule alone: the index, and beside it the two
// obvious ways.
func BenchmarkLookUp(b *testing.B) {
	for _, n := range sizes() {
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
				x.Find(called[i%len(called)], func(_ int, matches bool) bool { return !matches })
			}
			b.ReportMetric(float64(x.Bytes())/float64(n), "index-B/rule")
		})
		b.Run(fmt.Sprintf("hash/%d", n), func(b *testing.B) { hashProbe(b, list, texts(called)) })
		b.Run(fmt.Sprintf("regexp/%d", n), func(b *testing.B) { regexpScan(b, list, texts(called)) })
	}
}

func texts(list []digits.Number) []string {
	out := make([]string, len(list))
	for i, n := range list {
		out[i] = n.String()
	}
	return out
}

func hashProbe(b *testing.B, list, called []string) {
	before := heap()
	m := make(map[string]int32, len(list))
	for i, p := range list {
		m[p] = int32(i)
	}
	bytes := heap() - before
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		s := called[i%len(called)]
		for l := len(s); l > 0; l-- {
			if _, ok := m[s[:l]]; ok {
				break
			}
		}
	}
	b.ReportMetric(float64(bytes)/float64(len(list)), "map-B/entry")
}

func regexpScan(b *testing.B, list, called []string) {
	expressions := make([]*regexp.Regexp, len(list))
	for i, p := range list {
		expressions[i] = regexp.MustCompile("^" + strings.ReplaceAll(p+"xx", "x", "[0-9]") + "$")
	}
	b.ReportAllocs()
	for i := 0; b.Loop(); i++ {
		s := called[i%len(called)]
		for _, e := range expressions {
			if e.MatchString(s) {
				break
			}
		}
	}
}

// BenchmarkNumbers finds one of a million scattered public numbers among as
// many more that are asked for and not there, alone and as a whole decision.
func BenchmarkNumbers(b *testing.B) {
	n := 10 * largest()
	list, called := scattered(n)
	p := inboundPlan(b, list)
	b.Run("find", func(b *testing.B) {
		b.ReportAllocs()
		for i := 0; b.Loop(); i++ {
			if _, ok := p.Numbers.Find(called[i%len(called)]); !ok {
				b.Fatal("not found")
			}
		}
		b.ReportMetric(float64(p.Numbers.Bytes())/float64(n), "B/number")
	})
	b.Run("hash", func(b *testing.B) { hashProbe(b, list, texts(called)) })
	s, bytes := compiledPlan(b, p)
	b.Run("decide", func(b *testing.B) {
		b.ReportAllocs()
		var e decide.Evaluation
		for i := 0; b.Loop(); i++ {
			s.Decide(&e, decide.Call{Trunk: "ostrel", Called: called[i%len(called)]})
			if _, ok := e.Next(); !ok {
				b.Fatal("not offered")
			}
		}
		b.ReportMetric(float64(bytes)/float64(n), "heap-B/number")
	})
	b.Run("compile", func(b *testing.B) {
		b.ReportAllocs()
		for b.Loop() {
			decide.Compile(p)
		}
	})
}

// scattered are random numbers of the public plan, and a sample of them in
// another order; enough of them that the cache does not hold their places.
func scattered(n int) (list []string, called []digits.Number) {
	random := rand.New(rand.NewPCG(5, 6))
	seen := map[int]bool{}
	for len(list) < n {
		if v := random.IntN(10_000_000_000); !seen[v] {
			seen[v] = true
			list = append(list, fmt.Sprintf("+44%010d", v))
		}
	}
	for range 1 << 18 {
		called = append(called, digits.MustNumber(list[random.IntN(n)]))
	}
	return list, called
}

// inboundPlan sends every call from the carrier to what answers its number.
func inboundPlan(b *testing.B, list []string) plan.Plan {
	p, err := demo.Plan()
	if err != nil {
		b.Fatal(err)
	}
	numbers := make([]inventory.Number, len(list))
	for i, n := range list {
		numbers[i] = inventory.Number{First: n, State: inventory.Active, Destination: "quay-extensions", Extension: "2000"}
	}
	p.Numbers = inventory.New(numbers)
	for i := range p.Tables {
		if p.Tables[i].ID == "carriers-in" {
			p.Tables[i].Rules = []plan.Rule{{ID: "all", Name: "All", Then: plan.Then{Inventory: true}}}
		}
	}
	return p
}

// BenchmarkCompile compiles a whole plan.
func BenchmarkCompile(b *testing.B) {
	for _, n := range sizes() {
		p := bigPlan(b, prefixes(n))
		b.Run(fmt.Sprintf("whole/%d", n), func(b *testing.B) {
			b.ReportAllocs()
			for b.Loop() {
				if _, problems := decide.Compile(p); len(problems) > 0 {
					b.Fatal(problems[0])
				}
			}
		})
	}
}

// BenchmarkRecompile compiles a plan of 100 tables of 1,000 rules after an edit
// of one.
func BenchmarkRecompile(b *testing.B) {
	p := bigPlan(b, prefixes(largest()))
	all := p.Tables[0].Rules
	p.Tables[0].Rules = all[:len(all)/100]
	for i := 1; i < 100; i++ {
		t := p.Tables[0]
		t.ID, t.Name, t.Rules = fmt.Sprintf("more-%d", i), "More", all[i*len(all)/100:(i+1)*len(all)/100]
		p.Tables = append(p.Tables, t)
	}
	s, problems := decide.Compile(p)
	if len(problems) > 0 {
		b.Fatal(problems[0])
	}
	b.Run("whole", func(b *testing.B) {
		for b.Loop() {
			decide.Compile(p)
		}
	})
	b.Run("one-table", func(b *testing.B) {
		for b.Loop() {
			edited := p
			edited.Tables = slices.Clone(p.Tables)
			edited.Tables[0].Rules = slices.Clone(p.Tables[0].Rules)
			edited.Tables[0].Rules[0].Name = "Edited"
			if _, problems := s.Compile(edited); len(problems) > 0 {
				b.Fatal(problems[0])
			}
		}
	})
}

// BenchmarkEffectiveOrder orders a table specific first.
func BenchmarkEffectiveOrder(b *testing.B) {
	for _, n := range sizes() {
		t := bigPlan(b, prefixes(n)).Tables[0]
		t.Order = plan.SpecificFirst
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				compiled.EffectiveOrder(t, nil)
			}
		})
	}
}
