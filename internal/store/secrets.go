package store

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/rand"
	"crypto/sha256"
	"database/sql"
	"encoding/base64"
	"encoding/hex"
	"errors"
	"fmt"
	"strings"
	"time"
)

// KeyBytes is the length of the key that seals secrets (AES-256, FIPS 197).
const KeyBytes = 32

// MaxSecret is the longest secret that is kept, in bytes.
const MaxSecret = 2048

// Errors about secrets.
var (
	ErrNoKey    = errors.New("no key is set, so secrets can neither be kept nor read; give a key file in the setting keyfile")
	ErrOtherKey = errors.New("the secret was sealed with another key than the one in the key file")
	ErrTampered = errors.New("the sealed secret was changed in the database, or moved to another name")
)

// Vault seals secrets with a key from outside the database: AES-256-GCM (NIST
// SP 800-38D) with a random nonce, bound to the secret's name. The zero Vault
// has no key.
type Vault struct {
	aead cipher.AEAD
	id   string // tells keys apart, and nothing about them
}

// NewVault reads a key as NewKey writes it.
func NewVault(key string) (Vault, error) {
	raw, err := base64.StdEncoding.DecodeString(strings.TrimSpace(key))
	if err != nil || len(raw) != KeyBytes {
		return Vault{}, fmt.Errorf("the key is not %d bytes in base64; make one with: head -c %d /dev/urandom | base64", KeyBytes, KeyBytes)
	}
	block, err := aes.NewCipher(raw)
	if err != nil {
		return Vault{}, err
	}
	aead, err := cipher.NewGCM(block)
	if err != nil {
		return Vault{}, err
	}
	sum := sha256.Sum256(append([]byte("switchback key id\x00"), raw...))
	return Vault{aead, hex.EncodeToString(sum[:4])}, nil
}

// seal returns nonce and sealed text.
func (v Vault) seal(name, secret string) ([]byte, error) {
	if v.aead == nil {
		return nil, ErrNoKey
	}
	nonce := make([]byte, v.aead.NonceSize())
	rand.Read(nonce) // never fails
	return v.aead.Seal(nonce, nonce, []byte(secret), []byte(name)), nil
}

func (v Vault) open(name string, sealed []byte) (string, error) {
	if v.aead == nil {
		return "", ErrNoKey
	}
	if len(sealed) < v.aead.NonceSize() {
		return "", ErrTampered
	}
	nonce, text := sealed[:v.aead.NonceSize()], sealed[v.aead.NonceSize():]
	plain, err := v.aead.Open(nil, nonce, text, []byte(name))
	if err != nil {
		return "", ErrTampered
	}
	return string(plain), nil
}

// UseVault sets what seals secrets. It must be called before the store is used.
func (s *Store) UseVault(v Vault) { s.vault = v }

// PutSecret keeps a secret under a name, in place of the one before.
func (s *Store) PutSecret(ctx context.Context, name, secret string) error {
	if len(secret) > MaxSecret {
		return fmt.Errorf("a secret has at most %d bytes", MaxSecret)
	}
	sealed, err := s.vault.seal(name, secret)
	if err != nil {
		return err
	}
	_, err = s.db.ExecContext(ctx, `REPLACE INTO secrets (name, key_id, sealed, updated_at) VALUES (?, ?, ?, ?)`, name, s.vault.id, sealed, time.Now().UTC())
	return err
}

// Secret returns the secret that is kept under a name; ErrNotFound if none is.
func (s *Store) Secret(ctx context.Context, name string) (string, error) {
	var id string
	var sealed []byte
	err := s.db.QueryRowContext(ctx, `SELECT key_id, sealed FROM secrets WHERE name = ?`, name).Scan(&id, &sealed)
	switch {
	case errors.Is(err, sql.ErrNoRows):
		return "", fmt.Errorf("secret %q: %w", name, ErrNotFound)
	case err != nil:
		return "", err
	case s.vault.aead != nil && id != s.vault.id:
		return "", fmt.Errorf("secret %q: %w", name, ErrOtherKey)
	}
	secret, err := s.vault.open(name, sealed)
	if err != nil {
		return "", fmt.Errorf("secret %q: %w", name, err)
	}
	return secret, nil
}

// DeleteSecret forgets the secret of a name, if there is one.
func (s *Store) DeleteSecret(ctx context.Context, name string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM secrets WHERE name = ?`, name)
	return err
}
