package settings

import (
	"fmt"
	"os"
	"path/filepath"
	"testing"

	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func load(t *testing.T, args ...string) (Values, error) {
	flags := pflag.NewFlagSet("test", pflag.ContinueOnError)
	AddFlags(flags)
	require.NoError(t, flags.Parse(args))
	return Load(flags)
}

func write(t *testing.T, text string) string {
	name := filepath.Join(t.TempDir(), "settings.yaml")
	require.NoError(t, os.WriteFile(name, []byte(text), 0o600))
	return name
}

func clearEnvironment(t *testing.T) {
	for _, s := range append(All(), Setting{Name: "config"}) {
		t.Setenv(Variable(s.Name), "")
	}
}

func TestEachLayerOverrulesTheOneBefore(t *testing.T) {
	clearEnvironment(t)
	v, err := load(t)
	require.NoError(t, err)
	assert.Equal(t, "127.0.0.1:8480", v.Get("http"))
	assert.Equal(t, "default", v["http"].From)

	file := write(t, "http: 127.0.0.1:1\nlog-level: warn\nmetrics-address: 127.0.0.1:2\n")
	v, err = load(t, "--config", file)
	require.NoError(t, err)
	assert.Equal(t, []string{"127.0.0.1:1", file}, []string{v.Get("http"), v["http"].From})

	t.Setenv("SWITCHBACK_CONFIG", file)
	t.Setenv("SWITCHBACK_HTTP", "127.0.0.1:3")
	v, err = load(t, "--log-level", "debug")
	require.NoError(t, err)
	assert.Equal(t, []string{"127.0.0.1:3", "SWITCHBACK_HTTP"}, []string{v.Get("http"), v["http"].From})
	assert.Equal(t, []string{"debug", "--log-level"}, []string{v.Get("log-level"), v["log-level"].From})
	assert.Equal(t, []string{"127.0.0.1:2", file}, []string{v.Get("metrics-address"), v["metrics-address"].From})
}

func TestBadFilesAreTold(t *testing.T) {
	clearEnvironment(t)
	_, err := load(t, "--config", "gone.yaml")
	assert.ErrorContains(t, err, "gone.yaml")
	_, err = load(t, "--config", write(t, "htpp: x\n"))
	assert.ErrorContains(t, err, `"htpp" is no setting; these are: dsn, http, http-remote, https, https-certificate, https-key, https-dir, instance-name, key-file, certificate-dir, name-server, capture-dir, capture-megabytes, retention-days, own-networks, trusted-proxies, metrics-address, log-level`)
	_, err = load(t, "--config", write(t, "http: [\n"))
	assert.ErrorContains(t, err, "settings.yaml")
}

func TestSecretsAreMasked(t *testing.T) {
	clearEnvironment(t)
	t.Setenv("SWITCHBACK_DSN", "user:s3cr:et@tcp(127.0.0.1:3306)/switchback")
	v, err := load(t)
	require.NoError(t, err)
	assert.Equal(t, "user:***@tcp(127.0.0.1:3306)/switchback", v["dsn"].Shown())
	assert.Equal(t, "user:s3cr:et@tcp(127.0.0.1:3306)/switchback", v.Get("dsn"))
	assert.Equal(t, "127.0.0.1:8480", v["http"].Shown())
}

func TestNetworksAreReadFromASetting(t *testing.T) {
	of := func(text string) (string, error) {
		t.Setenv("SWITCHBACK_OWN_NETWORKS", text)
		values, err := load(t)
		require.NoError(t, err)
		list, err := values.Networks("own-networks")
		return fmt.Sprint(list), err
	}
	got, err := of("192.0.2.7/24, 198.51.100.3,2001:db8::/32 ,")
	require.NoError(t, err)
	assert.Equal(t, "[192.0.2.0/24 198.51.100.3/32 2001:db8::/32]", got)
	_, err = of("the pier")
	assert.ErrorContains(t, err, `own-networks, from SWITCHBACK_OWN_NETWORKS: invalid address or network "the pier"`)
}

// Names that settings had before are still read, in files and in the environment.
func TestFormerNamesAreRead(t *testing.T) {
	file := filepath.Join(t.TempDir(), "settings.yaml")
	require.NoError(t, os.WriteFile(file, []byte("keepmb: 5\nkey-file: new\n"), 0o600))
	t.Setenv("SWITCHBACK_CONFIG", file)
	t.Setenv("SWITCHBACK_KEEPDAYS", "7")
	values, err := Load(pflag.NewFlagSet("", pflag.ContinueOnError))
	require.NoError(t, err)
	assert.Equal(t, "5", values.Get("capture-megabytes"))
	assert.Equal(t, "7", values.Get("retention-days"))
	assert.Equal(t, "new", values.Get("key-file"))
	t.Setenv("SWITCHBACK_RETENTION_DAYS", "8")
	values, err = Load(pflag.NewFlagSet("", pflag.ContinueOnError))
	require.NoError(t, err)
	assert.Equal(t, "8", values.Get("retention-days"), "the present name takes precedence")
}
