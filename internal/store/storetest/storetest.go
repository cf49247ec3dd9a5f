// Package storetest gives each test a database of its own on a real MariaDB.
// It is for tests only.
package storetest

import (
	"context"
	"crypto/rand"
	"database/sql"
	"fmt"
	"os"
	"strings"
	"sync"
	"testing"

	"github.com/go-sql-driver/mysql"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/store"
)

// DSN makes a database with the tables of this version and nothing in them, which goes with the
// test. bin/test starts the server and sets SWITCHBACK_TEST_DSN; without it the test fails, since
// a test that is skipped proves nothing.
func DSN(t testing.TB) string {
	dsn, admin := empty(t)
	for _, statement := range tables(t) {
		_, err := admin.Exec(strings.ReplaceAll(statement, "$", nameIn(t, dsn)))
		require.NoError(t, err)
	}
	return dsn
}

// Empty makes a database without tables, which goes with the test.
func Empty(t testing.TB) string {
	dsn, _ := empty(t)
	return dsn
}

func empty(t testing.TB) (dsn string, admin *sql.DB) {
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
	return cfg.FormatDSN(), admin
}

func nameIn(t testing.TB, dsn string) string {
	cfg, err := mysql.ParseDSN(dsn)
	require.NoError(t, err)
	return cfg.DBName
}

var made struct {
	sync.Mutex
	statements []string
}

// tables are the statements that make the tables of this version in a database named $. The
// migrations run once for all tests of a process, and what they made is read from the server.
func tables(t testing.TB) []string {
	made.Lock()
	defer made.Unlock()
	if made.statements != nil {
		return made.statements
	}
	dsn, admin := empty(t)
	s, err := store.Open(context.Background(), dsn)
	require.NoError(t, err)
	defer s.Close()
	_, err = s.Migrate(context.Background())
	require.NoError(t, err)
	from := nameIn(t, dsn)
	rows, err := admin.Query("SELECT table_name FROM information_schema.tables WHERE table_schema = ?", from)
	require.NoError(t, err)
	defer rows.Close()
	var names []string
	for rows.Next() {
		var name string
		require.NoError(t, rows.Scan(&name))
		names = append(names, name)
	}
	require.NoError(t, rows.Err())
	for _, name := range names {
		var same, statement string
		require.NoError(t, admin.QueryRow("SHOW CREATE TABLE "+from+"."+name).Scan(&same, &statement))
		made.statements = append(made.statements, strings.Replace(statement, "CREATE TABLE `", "CREATE TABLE `$`.`", 1))
	}
	made.statements = append(made.statements, versions(t, admin, from))
	return made.statements
}

// versions is the statement that says which migrations ran.
func versions(t testing.TB, admin *sql.DB, from string) string {
	rows, err := admin.Query("SELECT version_id FROM " + from + ".goose_db_version ORDER BY id")
	require.NoError(t, err)
	defer rows.Close()
	var values []string
	for rows.Next() {
		var v int64
		require.NoError(t, rows.Scan(&v))
		values = append(values, fmt.Sprintf("(%d, 1)", v))
	}
	require.NoError(t, rows.Err())
	return "INSERT INTO `$`.goose_db_version (version_id, is_applied) VALUES " + strings.Join(values, ", ")
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
