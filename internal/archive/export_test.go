package archive

import (
	"io"
	"time"
)

// Disk puts a clock and a disk of the test's own in the place of the machine's.
func (a *Archive) Disk(now func() time.Time, create func(name string) (io.WriteCloser, error)) {
	a.now, a.create = now, create
}

// OnDisk is how files are made else.
var OnDisk = create
