package main

import (
	"log/slog"
	"os"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/app"
)

// defaultHTTP is where the web application is served.
const defaultHTTP = "127.0.0.1:8480"

func serveCommand() *cobra.Command {
	o := app.Options{Log: logger()}
	c := &cobra.Command{
		Use:   "serve",
		Short: "Run the switches of the live plan, with the web application",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			o.Ready = func(url string) { o.Log.Info("ready", "url", url) }
			return app.Run(c.Context(), o)
		},
	}
	serverFlags(c, &o)
	return c
}

func serverFlags(c *cobra.Command, o *app.Options) {
	c.Flags().StringVar(&o.DSN, "dsn", os.Getenv("SWITCHBACK_DSN"), "database, such as user:secret@tcp(127.0.0.1:3306)/switchback; better set SWITCHBACK_DSN, which no process list shows")
	c.Flags().Lookup("dsn").DefValue = "$SWITCHBACK_DSN"
	c.Flags().StringVar(&o.HTTP, "http", defaultHTTP, "address and port of the web application")
}

func logger() *slog.Logger { return slog.New(slog.NewTextHandler(os.Stderr, nil)) }
