package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode/utf8"

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

// MinPassword is the shortest password that a person may choose, in characters.
const MinPassword = 12

// badChoice is what is wrong with a name or a password that somebody chose.
type badChoice string

func (b badChoice) Error() string { return string(b) }

// IsChosenBadly tells whether an error says what is wrong with a chosen name or password.
func IsChosenBadly(err error) bool {
	var bad badChoice
	return errors.As(err, &bad)
}

// ErrTaken says that there is such a user already.
var ErrTaken = errors.New("there is a user with this name already")

// checkChosen refuses names and passwords that a person may not choose.
func checkChosen(name, password string) error {
	switch {
	case name == "" || strings.TrimSpace(name) != name:
		return badChoice("the name is empty, or has space at an end")
	case utf8.RuneCountInString(name) > 100:
		return badChoice("the name is longer than 100 characters")
	case utf8.RuneCountInString(password) < MinPassword:
		return badChoice(fmt.Sprintf("the password is too short: use at least %d characters", MinPassword))
	case len(password) > 200:
		return badChoice("the password is longer than 200 bytes")
	}
	return nil
}

// AddUser makes a user; ErrTaken if there is one with the name.
func (s *Store) AddUser(ctx context.Context, name, password string) error {
	return s.addUser(ctx, name, password, `INSERT IGNORE INTO users (name, password_hash, created_at) VALUES (?, ?, ?)`)
}

// AddFirstUser makes the first user; ErrTaken if there is any.
func (s *Store) AddFirstUser(ctx context.Context, name, password string) error {
	return s.addUser(ctx, name, password, `INSERT INTO users (name, password_hash, created_at) SELECT ?, ?, ? FROM DUAL WHERE NOT EXISTS (SELECT 1 FROM users)`)
}

// ChangePassword gives a user another password; ErrNotFound if nobody has the name.
func (s *Store) ChangePassword(ctx context.Context, name, password string) error {
	if err := checkChosen(name, password); err != nil {
		return err
	}
	hash, err := argon2id.CreateHash(password, argon2id.DefaultParams)
	if err != nil {
		return err
	}
	res, err := s.db.ExecContext(ctx, `UPDATE users SET password_hash = ? WHERE name = ?`, hash, name)
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrNotFound)
	}
	return nil
}

func (s *Store) addUser(ctx context.Context, name, password, statement string) error {
	if err := checkChosen(name, password); err != nil {
		return err
	}
	hash, err := argon2id.CreateHash(password, argon2id.DefaultParams)
	if err != nil {
		return err
	}
	res, err := s.db.ExecContext(ctx, statement, name, hash, time.Now().UTC())
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err != nil || n == 0 {
		return errors.Join(err, ErrTaken)
	}
	return nil
}

// Users is how many users there are.
func (s *Store) Users(ctx context.Context) (n int, err error) {
	return n, s.db.QueryRowContext(ctx, `SELECT COUNT(*) FROM users`).Scan(&n)
}
