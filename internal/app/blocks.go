package app

import (
	"context"
	"maps"
	"sync"

	"switchback.example/switchback/internal/core/guard"
)

// blocks are changes of who is blocked that are not kept yet. A later change of one source
// takes the place of an earlier one, so that there are never more than sources. It is safe
// for concurrent use.
type blocks struct {
	mu    sync.Mutex
	waits map[blockKey]blockChange
}

type blockKey struct{ gate, source string }

type blockChange struct {
	block guard.Block
	gone  bool
}

// maxBlocksWaiting bounds them: as many as may stand at both gates, come and gone. What is past it
// holds until this process ends.
const maxBlocksWaiting = 8 * guard.MaxBlocks

func newBlocks() *blocks { return &blocks{waits: map[blockKey]blockChange{}} }

func (b *blocks) changed(key blockKey, c blockChange) {
	b.mu.Lock()
	defer b.mu.Unlock()
	if _, waits := b.waits[key]; waits || len(b.waits) < maxBlocksWaiting {
		b.waits[key] = c
	}
}

func (b *blocks) take() map[blockKey]blockChange {
	b.mu.Lock()
	defer b.mu.Unlock()
	list := b.waits
	b.waits = map[blockKey]blockChange{}
	return list
}

// again takes back what could not be kept, but for what changed meanwhile.
func (b *blocks) again(list map[blockKey]blockChange) {
	b.mu.Lock()
	defer b.mu.Unlock()
	maps.Copy(list, b.waits)
	b.waits = list
}

// keepBlocks writes what changed; what fails is tried again.
func (o *operations) keepBlocks(ctx context.Context) {
	list := o.blocks.take()
	for key, c := range list {
		if o.store.SaveBlock(ctx, key.gate, c.block, c.gone) != nil {
			break
		}
		delete(list, key)
	}
	if len(list) > 0 {
		o.blocks.again(list)
	}
}
