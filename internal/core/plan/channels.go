package plan

// Use is how many channels of a trunk are taken: from them to us, from us to them,
// and how many of these by emergency calls.
type Use struct{ In, Out, Emergency int }

// Total is how many channels are taken.
func (u Use) Total() int { return u.In + u.Out }

// Admits tells whether a trunk of so many channels takes one more call. An
// ordinary call leaves free what is still kept for emergency calls and for the
// other direction; an emergency call wants any channel that is free.
func (k Reserved) Admits(channels int, u Use, out, emergency bool) bool {
	free := channels - u.Total()
	switch {
	case emergency:
	case out:
		free -= max(0, k.Emergency-u.Emergency) + max(0, k.In-u.In)
	default:
		free -= max(0, k.Emergency-u.Emergency) + max(0, k.Out-u.Out)
	}
	return free > 0
}

// Lacking says why a call was not admitted.
func (k Reserved) Lacking(channels int, u Use, out bool) string {
	switch {
	case u.Total() >= channels:
		return "all channels are in use"
	case out && u.In < k.In || !out && u.Out < k.Out:
		return "the free channels are kept for emergency calls or for the other direction"
	}
	return "the free channels are kept for emergency calls"
}
