package store

import (
	"context"
	"database/sql"
	"errors"
	"sync"
	"time"

	"github.com/alexedwards/argon2id"
)

// SetUser makes a user or changes their password, which is kept as an argon2id
// hash only.
func (s *Store) SetUser(ctx context.Context, name, password string) error {
	hash, err := argon2id.CreateHash(password, argon2id.DefaultParams)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, `INSERT INTO users (name, password_hash, created_at) VALUES (?, ?, ?)
		ON DUPLICATE KEY UPDATE password_hash = VALUES(password_hash)`, name, hash, time.Now().UTC())
	return err
}

// noUser is compared with when the name is unknown, so that a wrong name takes
// as long as a wrong password.
var noUser = sync.OnceValues(func() (string, error) {
	return argon2id.CreateHash("no such user", argon2id.DefaultParams)
})

// CheckPassword tells whether the password is the user's.
func (s *Store) CheckPassword(ctx context.Context, name, password string) (bool, error) {
	hash, err := noUser()
	if err != nil {
		return false, err
	}
	err = s.db.QueryRowContext(ctx, `SELECT password_hash FROM users WHERE name = ?`, name).Scan(&hash)
	unknown := errors.Is(err, sql.ErrNoRows)
	if err != nil && !unknown {
		return false, err
	}
	match, err := argon2id.ComparePasswordAndHash(password, hash)
	return match && !unknown, err
}
