package machine

// Timers of RFC 3261 section 17 and table 4, in milliseconds.
const (
	T1 = 500     // round-trip estimate
	T2 = 4_000   // cap of what is repeated, but for an INVITE
	T4 = 5_000   // longest time that a message stays in the network
	B  = 64 * T1 // B, F, H, L, M: nobody answers; a 2xx may be repeated
	D  = 32_000  // INVITE client: repeats of a failure may come
)

// Repeat returns how long to wait before what is to be sent again is sent, in
// milliseconds, after it was sent a number of times: T1 doubled each time. Only
// an INVITE's own request is not capped at T2; in Proceeding a request other than
// INVITE waits T2 (RFC 3261 sections 17.1.1.2, 17.1.2.2 and 17.2.1).
func (t Transaction) Repeat(sent int) int {
	if t.Kind == Client && t.State == Proceeding {
		return T2
	}
	wait := T1
	for ; sent > 1 && wait < B; sent-- {
		wait *= 2
	}
	if t.Kind != InviteClient {
		wait = min(wait, T2)
	}
	return wait
}

// Linger returns how long the transaction stays for late repeats, in
// milliseconds, in the state that it is in now.
func (t Transaction) Linger() int {
	switch {
	case t.State == Accepted:
		return B // L and M of RFC 6026
	case t.Kind == InviteClient:
		return D
	case t.Kind == Server:
		return B // J
	}
	return T4 // I and K
}
