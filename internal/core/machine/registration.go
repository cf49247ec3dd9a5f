package machine

// Registrations of ours with a far end, in seconds.
const (
	// FirstRetry and LastRetry bound how long a registration that failed waits
	// (RFC 5626 section 4.5).
	FirstRetry = 30
	LastRetry  = 1_800
)

// BackOff is how long a registration waits after a number of failures in a row, in
// seconds: twice as long each time, between half and all of it, as a draw from 0
// to 1 says, so that many do not come back at once (RFC 5626 section 4.5).
func BackOff(failures int, draw float64) float64 {
	wait := float64(FirstRetry)
	for ; failures > 1 && wait < LastRetry; failures-- {
		wait *= 2
	}
	wait = min(wait, LastRetry)
	return wait/2 + draw*wait/2
}

// RefreshRegistration is when a registration that holds for so long is renewed:
// at half of it where it is short, ten minutes before its end where it is long
// (common practice).
func RefreshRegistration(holds int) int {
	if holds > 1_200 {
		return holds - 600
	}
	return max(1, holds/2)
}
