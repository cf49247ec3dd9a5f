package main

import (
	"fmt"
	"log/slog"
	"os"
	"strconv"
	"strings"
	"text/tabwriter"
	"time"
	"unicode/utf8"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/app"
	"switchback.example/switchback/internal/archive"
	"switchback.example/switchback/internal/settings"
	"switchback.example/switchback/internal/store"
)

func serveCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "serve",
		Short: "Run the switches of the live plan, with the web application",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			o, err := options(c)
			if err != nil {
				return err
			}
			o.Ready = func(urls ...string) { o.Log.Info("ready", "url", strings.Join(urls, " ")) }
			o.Welcome = func(link string) {
				fmt.Fprintf(c.OutOrStdout(), "\n  No user yet. This link creates the first user, once:\n\n    %s\n\n  The link is valid until used or until the program ends. Alternative: 'switchback user add NAME'.\n\n", link)
			}
			return app.Run(c.Context(), o)
		},
	}
	settings.AddFlags(c.Flags())
	return c
}

func configCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "config",
		Short: "Show the settings and the source of each",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			values, err := settings.Load(c.Flags())
			if err != nil {
				return badInput{err}
			}
			w := tabwriter.NewWriter(c.OutOrStdout(), 0, 8, 2, ' ', 0)
			for _, s := range settings.All() {
				fmt.Fprintf(w, "%s\t%s\tfrom %s\n", s.Name, values[s.Name].Shown(), values[s.Name].From)
			}
			return w.Flush()
		},
	}
	settings.AddFlags(c.Flags())
	return c
}

// mostOfInstanceName is how many characters the header has room for.
const mostOfInstanceName = 60

// options maps the settings that hold to the application's options.
func options(c *cobra.Command) (app.Options, error) {
	values, err := settings.Load(c.Flags())
	if err != nil {
		return app.Options{}, badInput{err}
	}
	var level slog.Level
	if err := level.UnmarshalText([]byte(values.Get("log-level"))); err != nil {
		return app.Options{}, badInput{fmt.Errorf("log, from %s: %w", values["log"].From, err)}
	}
	vault, err := readVault(values)
	if err != nil {
		return app.Options{}, badInput{err}
	}
	own, err := values.Networks("own-networks")
	if err != nil {
		return app.Options{}, badInput{err}
	}
	proxies, err := values.Networks("trusted-proxies")
	if err != nil {
		return app.Options{}, badInput{err}
	}
	instance := strings.TrimSpace(values.Get("instance-name"))
	if n := utf8.RuneCountInString(instance); n > mostOfInstanceName {
		return app.Options{}, badInput{fmt.Errorf("instance-name, from %s: %d characters; use at most %d", values["instance-name"].From, n, mostOfInstanceName)}
	}
	remote, err := strconv.ParseBool(values.Get("http-remote"))
	if err != nil {
		return app.Options{}, badInput{fmt.Errorf("http-remote, from %s: %q; use true or false", values["http-remote"].From, values.Get("http-remote"))}
	}
	keep := archive.DefaultLimits()
	megabytes, err := positive(values, "capture-megabytes")
	if err != nil {
		return app.Options{}, badInput{err}
	}
	days, err := positive(values, "retention-days")
	if err != nil {
		return app.Options{}, badInput{err}
	}
	keep.Total, keep.Keep = int64(megabytes)<<20, time.Duration(days)*24*time.Hour
	return app.Options{
		DSN: values.Get("dsn"), HTTP: values.Get("http"), HTTPRemote: remote, Instance: instance, Metrics: values.Get("metrics-address"),
		HTTPS: app.HTTPS{Address: values.Get("https"), Certificate: values.Get("https-certificate"), Key: values.Get("https-key"), Folder: values.Get("https-dir")},
		Vault: vault, Recordings: values.Get("capture-dir"), Certificates: values.Get("certificate-dir"), NameServer: values.Get("name-server"), OwnNetworks: own, Proxies: proxies, Keep: keep,
		Log: slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level})),
	}, nil
}

// readVault reads the key file, if one is named.
func readVault(values settings.Values) (store.Vault, error) {
	name := values.Get("key-file")
	if name == "" {
		return store.Vault{}, nil
	}
	key, err := os.ReadFile(name)
	if err != nil {
		return store.Vault{}, fmt.Errorf("key-file, from %s: %w", values["key-file"].From, err)
	}
	vault, err := store.NewVault(string(key))
	if err != nil {
		return store.Vault{}, fmt.Errorf("key-file %s: %w", name, err)
	}
	return vault, nil
}

// maxSetting bounds settings that are whole numbers.
const maxSetting = 1_000_000

func positive(values settings.Values, name string) (int, error) {
	n, err := strconv.Atoi(values.Get(name))
	if err != nil || n < 1 || n > maxSetting {
		return 0, fmt.Errorf("%s, from %s: %q is no whole number from 1 to %d", name, values[name].From, values.Get(name), maxSetting)
	}
	return n, nil
}
