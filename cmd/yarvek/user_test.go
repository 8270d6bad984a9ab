package main

import (
	"context"
	"net"
	"path/filepath"
	"strings"
	"testing"

	"github.com/alexedwards/argon2id"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/store"
)

// Accounts are kept while a server holds the folder, and passphrases only as hashes.
func TestAccountsAreKeptWhileTheServerRuns(t *testing.T) {
	dir := t.TempDir()
	user := func(in string, args ...string) (string, error) {
		c := userCommand()
		c.SetIn(strings.NewReader(in))
		return run(t, c, append(args, "--data", dir)...)
	}
	said, err := user("rope and tar and canvas\n", "add", "Ana")
	require.NoError(t, err, said)
	serving, err := store.Open(dir)
	require.NoError(t, err)
	defer serving.Close()
	_, err = user("another one, long enough", "add", "Bo")
	require.NoError(t, err)
	_, err = user("another one, long enough", "add", "ANA")
	assert.ErrorIs(t, err, store.ErrThere)
	_, err = user("short", "add", "Cy")
	assert.ErrorContains(t, err, "ten letters")
	said, err = user("", "list")
	require.NoError(t, err)
	assert.Contains(t, said, "Ana, since")
	assert.Contains(t, said, "Bo, since")
	assert.NotContains(t, said, "Cy")

	_, kept, err := serving.Phrase(context.Background(), "ana")
	require.NoError(t, err)
	ok, err := argon2id.ComparePasswordAndHash("rope and tar and canvas", kept)
	require.NoError(t, err)
	assert.True(t, ok)
	_, err = user("a lantern by the gate", "passphrase", "Ana")
	require.NoError(t, err)
	_, again, err := serving.Phrase(context.Background(), "Ana")
	require.NoError(t, err)
	assert.NotEqual(t, kept, again)
	_, err = user("", "remove", "Ana")
	require.NoError(t, err)
	_, err = user("", "remove", "Ana")
	assert.ErrorContains(t, err, "nobody called Ana")
}

func TestAnOpenAddressNeedsAccounts(t *testing.T) {
	dir := filepath.Join(t.TempDir(), "data")
	for _, addr := range []string{"0.0.0.0:0", ":0", "[::]:0", "192.0.2.1:0"} {
		_, err := run(t, serveCommand(), "--data", dir, "--addr", addr)
		require.Error(t, err, addr)
		assert.Contains(t, err.Error(), "everybody on the network could open")
		assert.Contains(t, err.Error(), "yarvek user add NAME --data "+dir)
	}
	_, err := run(t, serveCommand(), "--data", dir, "--cert", "a.pem")
	assert.ErrorContains(t, err, "go together")

	names := reached(&net.TCPAddr{IP: net.IPv4zero})
	assert.Equal(t, "127.0.0.1", names[len(names)-1], "loopback comes last: others can't use it")
	assert.Equal(t, []string{"127.0.0.1"}, reached(&net.TCPAddr{IP: net.IPv4(127, 0, 0, 1)}))
}
