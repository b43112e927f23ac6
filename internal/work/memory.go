package work

import (
	"context"
	"errors"
	"time"

	"github.com/riverqueue/river"
	"golang.org/x/sync/semaphore"

	"jobshelf/core/shape/problem"
)

// What work takes of memory, bytes. Measured on spheres of 100 thousand and half a million
// triangles (a check peaks at 53 and 113 MB, a slice at 56 and 78 MB) and doubled: where much
// crosses or hangs, more is held.
const (
	baseBytes     = 64 << 20
	triangleBytes = 400
	layerBytes    = 40 << 10
	// A file takes so many times its size, a packed one as much as it may unpack to.
	fileTimes, packedTimes = 8, 40
)

// memory is what a process has for its work; nil is without end. Work waits for its share, so
// that several large models do not drown a worker together.
type memory struct {
	size int64
	free *semaphore.Weighted
}

func newMemory(bytes int64) *memory {
	if bytes <= 0 {
		return nil
	}
	return &memory{bytes, semaphore.NewWeighted(bytes)}
}

// errTooLarge says that work needs more than this process has: another may take it.
var errTooLarge = errors.New("it needs more memory than this worker has")

// take waits for a share and gives the way to let go of it. tell is told once where it has to
// wait: for what other work holds, or, with errTooLarge, for a larger worker.
func (m *memory) take(ctx context.Context, need int64, tell func(problem.Phrase) error) (release func(), err error) {
	if m == nil {
		return func() {}, nil
	}
	if need > m.size {
		return nil, errors.Join(errTooLarge, tell(problem.Say("waits for a larger worker", problem.Digits(float64(need)/1e9, 2))))
	}
	if !m.free.TryAcquire(need) {
		if err := tell(problem.Say("waits for memory")); err != nil {
			return nil, err
		}
		if err := m.free.Acquire(ctx, need); err != nil {
			return nil, err
		}
	}
	return func() { m.free.Release(need) }, nil
}

// later gives work back for a while that this process cannot do.
func later(after time.Duration) error { return river.JobSnooze(after) }
