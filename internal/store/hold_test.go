package store_test

import (
	"context"
	"io"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

// One process holds a database. The next is refused, and told where the first one is, until
// that one ends, however it does.
func TestADatabaseIsHeldByOneProcess(t *testing.T) {
	ctx, quiet := context.Background(), slog.New(slog.NewTextHandler(io.Discard, nil))
	dsn := storetest.DSN(t)
	first, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	second, err := store.Open(ctx, dsn)
	require.NoError(t, err)
	defer second.Close()
	release, err := first.Hold(ctx, quiet)
	require.NoError(t, err)
	_, err = second.Hold(ctx, quiet)
	require.ErrorIs(t, err, store.ErrHeld)
	assert.Regexp(t, `connected from (localhost|127\.0\.0\.1)`, err.Error())

	other, err := store.Open(ctx, storetest.DSN(t))
	require.NoError(t, err)
	defer other.Close()
	elsewhere, err := other.Hold(ctx, quiet)
	require.NoError(t, err, "another database is free")
	elsewhere()

	release()
	require.NoError(t, first.Close())
	require.Eventually(t, func() bool {
		release, err = second.Hold(ctx, quiet)
		return err == nil
	}, 10*time.Second, 10*time.Millisecond)
	release()
}
