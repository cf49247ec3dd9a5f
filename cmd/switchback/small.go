package main

import (
	"fmt"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/app"
	"switchback.example/switchback/internal/settings"
)

func versionCommand() *cobra.Command {
	return &cobra.Command{
		Use: "version", Short: "Print the version", Args: cobra.NoArgs,
		Run: func(c *cobra.Command, _ []string) { fmt.Fprintln(c.OutOrStdout(), "switchback", api.Version) },
	}
}

func migrateCommand() *cobra.Command {
	c := &cobra.Command{
		Use: "migrate", Short: "Upgrade the database to this version", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			values, err := settings.Load(c.Flags())
			if err != nil {
				return badInput{err}
			}
			n, err := app.Migrate(c.Context(), values.Get("dsn"))
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%d migrations ran\n", n)
			return nil
		},
	}
	settings.AddFlags(c.Flags())
	return c
}

func openAPICommand() *cobra.Command {
	return &cobra.Command{
		Use: "openapi", Short: "Print the description of the API (OpenAPI 3.1)", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			text, err := api.Description()
			if err == nil {
				_, err = fmt.Fprintf(c.OutOrStdout(), "%s\n", text)
			}
			return err
		},
	}
}
