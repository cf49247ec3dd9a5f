package media

// Reception counts the RTP of one source that arrives somewhere: RFC 3550
// appendix A.1 (without probation: the stream was agreed on), A.3 and A.8.
type Reception struct {
	started  bool
	ssrc     uint32
	base     uint32
	cycles   uint32
	max      uint16
	bad      uint32 // the sequence number that would show a restart, or none
	received int64
	before   Loss // of sources before this one
	transit  uint32
	scaled   int64 // the jitter times 16
}

// Loss is how many packets were expected, and how many did not come. Late and
// repeated ones count as received, so that Lost may be negative for a while.
type Loss struct{ Expected, Lost int64 }

const (
	maxDropout  = 3000
	maxMisorder = 100
	noSequence  = 1<<16 + 1
)

// Packet counts a packet: its source, sequence number and timestamp, and when it
// arrived, in units of the timestamp's clock.
func (r *Reception) Packet(ssrc uint32, sequence uint16, timestamp, arrival uint32) {
	if !r.started || ssrc != r.ssrc {
		r.restart(ssrc, sequence)
	} else if !r.take(sequence) {
		return
	}
	transit := arrival - timestamp
	if r.received > 0 {
		d := int64(int32(transit - r.transit))
		if d < 0 {
			d = -d
		}
		r.scaled += d - (r.scaled+8)>>4
	}
	r.transit = transit
	r.received++
}

// restart begins a source anew, keeping what was lost of the one before.
func (r *Reception) restart(ssrc uint32, sequence uint16) {
	before := r.Loss()
	*r = Reception{started: true, ssrc: ssrc, base: uint32(sequence), max: sequence, bad: noSequence, before: before, scaled: r.scaled}
}

// take brings the highest sequence number up to date; false leaves a packet
// uncounted that jumps too far, unless the next follows it.
func (r *Reception) take(sequence uint16) bool {
	delta := sequence - r.max
	switch {
	case delta < maxDropout:
		if sequence < r.max {
			r.cycles += 1 << 16
		}
		r.max = sequence
	case delta <= (1<<16-1)-maxMisorder+1:
		if uint32(sequence) != r.bad {
			r.bad = uint32(sequence + 1)
			return false
		}
		r.restart(r.ssrc, sequence) // two in a row: the other side began anew
	}
	return true
}

// Received is how many packets came, of all sources.
func (r *Reception) Received() int64 { return r.before.Expected - r.before.Lost + r.received }

// Loss is what is missing so far.
func (r *Reception) Loss() Loss {
	if !r.started {
		return r.before
	}
	expected := int64(r.cycles) + int64(r.max) - int64(r.base) + 1
	return Loss{r.before.Expected + expected, r.before.Lost + expected - r.received}
}

// Jitter is the interarrival jitter (section 6.4.1), in units of the timestamp's
// clock.
func (r *Reception) Jitter() int64 { return r.scaled >> 4 }
