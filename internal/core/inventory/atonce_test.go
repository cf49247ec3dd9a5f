package inventory_test

import (
	"fmt"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/core/inventory"
)

// Lists share their pages: searches and edits of several of them go on at once.
func TestManyUseOneListAtOnce(t *testing.T) {
	var put []inventory.Number
	for i := range 3000 {
		put = append(put, inventory.Number{First: fmt.Sprintf("+4419149%05d", i), State: "spare", Owner: fmt.Sprint("desk ", i%7)})
	}
	list, err := inventory.List{}.With(put, nil)
	require.NoError(t, err)
	var all sync.WaitGroup
	for i := range 8 {
		all.Go(func() {
			if i%2 == 0 {
				assert.Positive(t, list.Search(inventory.Query{Text: fmt.Sprint("desk ", i%7)}).Len())
				return
			}
			other, err := list.With([]inventory.Number{{First: fmt.Sprintf("+4420794%05d", i), State: "spare"}}, []string{put[i].ID()})
			assert.NoError(t, err)
			assert.Equal(t, len(put), other.Len())
		})
	}
	all.Wait()
	assert.Equal(t, len(put), list.Len())
}
