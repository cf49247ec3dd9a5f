package main

import (
	"fmt"
	"log/slog"
	"os"
	"text/tabwriter"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/app"
	"switchback.example/switchback/internal/settings"
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
			o.Ready = func(url string) { o.Log.Info("ready", "url", url) }
			return app.Run(c.Context(), o)
		},
	}
	settings.AddFlags(c.Flags())
	return c
}

func configCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "config",
		Short: "Show which settings hold, and where each came from",
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

// options maps the settings that hold to the application's options.
func options(c *cobra.Command) (app.Options, error) {
	values, err := settings.Load(c.Flags())
	if err != nil {
		return app.Options{}, badInput{err}
	}
	var level slog.Level
	if err := level.UnmarshalText([]byte(values.Get("log"))); err != nil {
		return app.Options{}, badInput{fmt.Errorf("log, from %s: %w", values["log"].From, err)}
	}
	return app.Options{
		DSN: values.Get("dsn"), HTTP: values.Get("http"), Metrics: values.Get("metrics"),
		Log: slog.New(slog.NewTextHandler(os.Stderr, &slog.HandlerOptions{Level: level})),
	}, nil
}
