package store_test

import (
	"bytes"
	"crypto/aes"
	"crypto/cipher"
	"encoding/base64"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"switchback.example/switchback/internal/store"
	"switchback.example/switchback/internal/store/storetest"
)

func vault(t *testing.T, fill string) store.Vault {
	v, err := store.NewVault(base64.StdEncoding.EncodeToString([]byte(strings.Repeat(fill, store.KeyBytes))))
	require.NoError(t, err)
	return v
}

func TestSecretsAreSealedAtRest(t *testing.T) {
	s := storetest.New(t)
	require.ErrorIs(t, s.PutSecret(ctx, "trunk/ostrel", "gannet"), store.ErrNoKey)
	s.UseVault(vault(t, "k"))
	require.NoError(t, s.PutSecret(ctx, "trunk/ostrel", "gannet"))
	require.NoError(t, s.PutSecret(ctx, "trunk/penhallow", "gannet"))
	got, err := s.Secret(ctx, "trunk/ostrel")
	require.NoError(t, err)
	assert.Equal(t, "gannet", got)

	sealed := func(name string) (b []byte) {
		require.NoError(t, s.DB().QueryRow(`SELECT sealed FROM secrets WHERE name = ?`, name).Scan(&b))
		return b
	}
	assert.False(t, bytes.Contains(sealed("trunk/ostrel"), []byte("gannet")))
	assert.NotEqual(t, sealed("trunk/ostrel"), sealed("trunk/penhallow"), "equal secrets do not look equal")

	// Opened by hand with the standard library's cipher, as a recovery would.
	block, err := aes.NewCipher([]byte(strings.Repeat("k", store.KeyBytes)))
	require.NoError(t, err)
	gcm, err := cipher.NewGCM(block)
	require.NoError(t, err)
	plain, err := gcm.Open(nil, sealed("trunk/ostrel")[:12], sealed("trunk/ostrel")[12:], []byte("trunk/ostrel"))
	require.NoError(t, err)
	assert.Equal(t, "gannet", string(plain))

	_, err = s.DB().Exec(`UPDATE secrets SET sealed = ? WHERE name = 'trunk/penhallow'`, sealed("trunk/ostrel"))
	require.NoError(t, err)
	_, err = s.Secret(ctx, "trunk/penhallow")
	assert.ErrorIs(t, err, store.ErrTampered, "a secret cannot be moved to another name")

	s.UseVault(vault(t, "j"))
	_, err = s.Secret(ctx, "trunk/ostrel")
	assert.ErrorIs(t, err, store.ErrOtherKey)
	s.UseVault(store.Vault{})
	_, err = s.Secret(ctx, "trunk/ostrel")
	assert.ErrorIs(t, err, store.ErrNoKey)
	require.NoError(t, s.DeleteSecret(ctx, "trunk/ostrel"))
	_, err = s.Secret(ctx, "trunk/ostrel")
	assert.ErrorIs(t, err, store.ErrNotFound)
}

func TestKeysOfTheWrongLengthAreRefused(t *testing.T) {
	for _, key := range []string{"", "short", base64.StdEncoding.EncodeToString([]byte("sixteen bytes!!!"))} {
		_, err := store.NewVault(key)
		assert.ErrorContains(t, err, "32 bytes in base64")
	}
}
