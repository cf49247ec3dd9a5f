// Package storetest gives each test a database of its own on a real MariaDB.
// It is for tests only.
package storetest

import (
	"context"
	"crypto/rand"
	"database/sql"
	"os"
	"strings"
	"testing"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/store"
)

// DSN makes an empty database, which goes with the test. bin/test starts the
// server and sets SWITCHBACK_TEST_DSN; without it the test fails, since a test
// that is skipped proves nothing.
func DSN(t testing.TB) string {
	server := os.Getenv("SWITCHBACK_TEST_DSN")
	require.NotEmpty(t, server, "set SWITCHBACK_TEST_DSN, or run bin/test, which starts a database for the tests")
	admin, err := sql.Open("mysql", server)
	require.NoError(t, err)
	name := "test_" + strings.ToLower(rand.Text())
	_, err = admin.Exec("CREATE DATABASE " + name + " CHARACTER SET utf8mb4")
	require.NoError(t, err)
	t.Cleanup(func() {
		_, err := admin.Exec("DROP DATABASE " + name)
		require.NoError(t, err)
		admin.Close()
	})
	cfg, err := mysql.ParseDSN(server)
	require.NoError(t, err)
	cfg.DBName = name
	return cfg.FormatDSN()
}

// New returns a migrated store.
func New(t testing.TB) *store.Store {
	s, err := store.Open(context.Background(), DSN(t))
	require.NoError(t, err)
	t.Cleanup(func() { s.Close() })
	_, err = s.Migrate(context.Background())
	require.NoError(t, err)
	return s
}
