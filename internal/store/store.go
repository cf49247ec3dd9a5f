// Package store keeps Switchback's data in MariaDB through database/sql: the
// live plan and its revisions, the draft, call records with their messages,
// and who may sign in.
//
// It never decides what a valid plan is, and no call waits for it.
package store

import (
	"context"
	"database/sql"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"time"

	"github.com/go-sql-driver/mysql"
	"github.com/pressly/goose/v3"
)

//go:embed migrations/*.sql
var migrations embed.FS

// Store is a database. It is safe for concurrent use.
type Store struct {
	db    *sql.DB
	plans arrangedPlans
	vault Vault
}

// Open connects to the database of a DSN, as go-sql-driver/mysql writes it.
// Times are UTC whatever the DSN says.
func Open(ctx context.Context, dsn string) (*Store, error) {
	cfg, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("database DSN: %w", err)
	}
	cfg.ParseTime, cfg.Loc, cfg.InterpolateParams, cfg.MultiStatements = true, time.UTC, true, false
	cfg.Timeout = 5 * time.Second
	// The database keeps microseconds. Finer digits in a condition cost it a warning for each
	// row, which takes ten times as long as the row.
	if err := cfg.Apply(mysql.TimeTruncate(time.Microsecond)); err != nil {
		return nil, err
	}
	connector, err := mysql.NewConnector(cfg)
	if err != nil {
		return nil, fmt.Errorf("database DSN: %w", err)
	}
	db := sql.OpenDB(connector)
	db.SetMaxOpenConns(20)
	db.SetMaxIdleConns(10)
	if err := db.PingContext(ctx); err != nil {
		db.Close()
		return nil, fmt.Errorf("database at %s cannot be reached: %w", cfg.Addr, err)
	}
	return &Store{db: db}, nil
}

// Close gives the connections back.
func (s *Store) Close() error { return s.db.Close() }

// DB is the database for libraries that keep tables of their own (sessions).
func (s *Store) DB() *sql.DB { return s.db }

// Migrate brings the tables, and the rows that hold plans, up to this version and returns how
// many steps ran.
func (s *Store) Migrate(ctx context.Context) (int, error) {
	dir, err := subMigrations()
	if err != nil {
		return 0, err
	}
	p, err := goose.NewProvider(goose.DialectMySQL, s.db, dir)
	if err != nil {
		return 0, err
	}
	done, err := p.Up(ctx)
	if err != nil {
		return 0, fmt.Errorf("migrate: %w", err)
	}
	if err := s.upgradeRows(ctx); err != nil {
		return 0, err
	}
	return len(done), nil
}

// inTx runs do in a transaction, which is rolled back if do fails.
func (s *Store) inTx(ctx context.Context, do func(tx *sql.Tx) error) error {
	tx, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	if err := do(tx); err != nil {
		return errors.Join(err, tx.Rollback())
	}
	return tx.Commit()
}

// ErrNotFound says that there is no such row.
var ErrNotFound = errors.New("not found")

// querier is what reads, in a transaction or without one.
type querier interface {
	QueryContext(ctx context.Context, query string, args ...any) (*sql.Rows, error)
	QueryRowContext(ctx context.Context, query string, args ...any) *sql.Row
}

func subMigrations() (fs.FS, error) { return fs.Sub(migrations, "migrations") }
