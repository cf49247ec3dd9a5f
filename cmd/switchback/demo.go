package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"sync"
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

// demoContent says what a new demo begins with besides its plan.
type demoContent struct {
	calls int  // example calls, placed in the background
	draft bool // a draft with a handful of honest mistakes
}

// maxExampleCalls bounds --example-calls: at the demo's pace a good half hour.
const maxExampleCalls = 5000

func demoCommand() *cobra.Command {
	var content demoContent
	c := &cobra.Command{
		Use:   "demo",
		Short: "Run the Skerry Line demo: three switches and their stand-ins",
		Args:  cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			o, err := options(c)
			if err != nil {
				return err
			}
			if content.calls < 0 || content.calls > maxExampleCalls {
				return badInput{fmt.Errorf("--example-calls: %d is out of range (0 to %d)", content.calls, maxExampleCalls)}
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
			begin := false // whether the database was empty
			o.Prepare = func(ctx context.Context, s *store.Store, fresh bool) error {
				begin = fresh
				return loadDemo(ctx, s, fresh, content.draft, password)
			}
			placing, stopPlacing := context.WithCancel(c.Context())
			var placed sync.WaitGroup
			defer placed.Wait()
			defer stopPlacing()
			o.Ready = func(urls ...string) {
				url := urls[0]
				fmt.Printf("\n  Switchback is ready:  %s\n  sign in as            %s\n  with the password     %s\n\n  Stop with Ctrl-C.\n\n", url, demoUser, password)
				if begin && content.calls > 0 {
					placed.Go(func() {
						if err := placeExamples(placing, url, password, content.calls, o.Log); err != nil && placing.Err() == nil {
							o.Log.Warn("example calls ended early", "error", err)
						}
					})
				}
			}
			return app.Run(c.Context(), o)
		},
	}
	settings.AddFlags(c.Flags())
	c.Flags().IntVar(&content.calls, "example-calls", 300, "calls to place between the stand-ins in a new demo, in the background; 0 for none")
	c.Flags().BoolVar(&content.draft, "example-draft", true, "begin a new demo with a draft that has a handful of honest mistakes")
	return c
}

// loadDemo makes the user, and in an empty database the demo plan live, with a draft beside it
// where one is wanted.
func loadDemo(ctx context.Context, s *store.Store, fresh, draft bool, password string) error {
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
	if _, err = s.Install(ctx, p, demoUser, "The Skerry Line plan"); err != nil || !draft {
		return err
	}
	if p, err = demo.Draft(); err != nil {
		return err
	}
	return s.ReplaceDraft(store.By(ctx, demoUser), p)
}
