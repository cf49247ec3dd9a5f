package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"time"

	"switchback.example/switchback/internal/core/plan"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/app"
	"switchback.example/switchback/internal/demo"
	"switchback.example/switchback/internal/settings"
	"switchback.example/switchback/internal/store"
)

// demoUser is the demo's sign-in; its password is made by bin/demo.
const demoUser = "engineer"

func demoCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "demo",
		Short: "Run the Skerry Line demo: a switch and the stand-ins around it",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			o, err := options(c)
			if err != nil {
				return err
			}
			o.OtherPort = true
			password := os.Getenv("SWITCHBACK_DEMO_PASSWORD")
			if password == "" {
				return badInput{errors.New("set SWITCHBACK_DEMO_PASSWORD to the password that the demo's user shall have; bin/demo does it for you")}
			}
			o.StandIns = demo.StandIns(o.Certificates)
			if o.NameServer == "" {
				stop, err := demo.StartNameServer()
				if err != nil {
					return err
				}
				defer stop()
				o.NameServer = demo.NameServerAt
			}
			if o.Certificates != "" {
				p, err := demo.Plan()
				if err != nil {
					return err
				}
				if err := demo.Certificates(o.Certificates, p, time.Now()); err != nil {
					return fmt.Errorf("certificates of the demo: %w", err)
				}
			}
			o.Prepare = func(ctx context.Context, s *store.Store, fresh bool) error {
				return loadDemo(ctx, s, fresh, password)
			}
			o.Ready = func(url string) {
				fmt.Printf("\n  Switchback is ready:  %s\n  sign in as            %s\n  with the password     %s\n\n  Stop with Ctrl-C.\n\n", url, demoUser, password)
			}
			return app.Run(c.Context(), o)
		},
	}
	settings.AddFlags(c.Flags())
	return c
}

// loadDemo makes the user, and in an empty database the demo plan live.
func loadDemo(ctx context.Context, s *store.Store, fresh bool, password string) error {
	if err := s.SetUser(ctx, demoUser, password); err != nil {
		return err
	}
	// The stand-ins' secrets are new with each process, and the switches must know
	// them.
	for _, a := range demo.Accounts() {
		if err := s.PutSecret(ctx, plan.SecretName(a.Trunk, a.Side, a.ID), demo.Secret(a.Side, a.Trunk)); err != nil {
			return err
		}
	}
	if !fresh {
		return nil
	}
	p, err := demo.Plan()
	if err != nil {
		return err
	}
	_, err = s.Install(ctx, p, demoUser, "The Skerry Line plan")
	return err
}
