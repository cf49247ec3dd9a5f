package sip_test

import (
	"fmt"
	"testing"
	"time"
)

// BenchmarkLoadFlood measures calls at 100 a second beside INVITEs from ever new addresses:
// how many of those placed were answered, how many of them late (the INVITE had to be sent
// again), and the time until the answer. Generator, flood and switch share the cores.
func BenchmarkLoadFlood(b *testing.B) {
	for _, perSecond := range []int{0, 2000, 20_000, 50_000} {
		b.Run(fmt.Sprint(perSecond), func(b *testing.B) {
			loadSwitch(b, false)
			g := newGenerator(b, middleAt)
			stop := func() {}
			began := time.Now()
			if perSecond > 0 {
				sent, end := flood(b, middleAt, perSecond, invitation)
				stop = func() {
					end()
					b.ReportMetric(float64(sent.Load())/time.Since(began).Seconds(), "strange/s")
				}
			}
			for range b.N {
				list := g.delays(brief(5*time.Second, 300*time.Millisecond), 100)
				stop()
				late := 0
				for _, d := range list {
					if d > 450*time.Millisecond {
						late++
					}
				}
				if len(list) == 0 {
					b.Fatal("no call was answered")
				}
				b.ReportMetric(float64(len(list))/float64(len(list)+int(g.lost.Load())), "answered/placed")
				b.ReportMetric(float64(late), "late")
				b.ReportMetric(float64(list[len(list)/2].Microseconds()), "median-us")
				b.ReportMetric(float64(list[len(list)*99/100].Microseconds()), "p99-us")
			}
		})
	}
}
