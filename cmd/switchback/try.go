package main

import (
	"context"
	"encoding/json"
	"fmt"
	"time"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
	"switchback.example/switchback/internal/core/trail"
)

type tryFlags struct {
	plan, server, from, dial, caller, at string
	down, full                           []string
	draft, json                          bool
	moment                               time.Time
}

func tryCommand() *cobra.Command {
	var f tryFlags
	c := &cobra.Command{
		Use:   "try {--plan FILE | --server URL [--draft]} --from SOURCE --called DIGITS [--caller N] [--time TIME] [--down TRUNK]... [--json]",
		Short: "Decide a call by a plan file, without sending anything",
		Long: `Decide a call by a plan file, without sending anything. SOURCE is a trunk, a
far end with one trunk, or an extension. Other trunks than those of --down and
--full are available, and their far ends answer.

With --server a running Switchback decides the call by its live plan, or by its
draft. SWITCHBACK_USER and SWITCHBACK_PASSWORD sign in there.

Exit status: 0 for any result of the call, 2 for invalid input.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if f.moment = time.Now(); f.at != "" {
				at, err := time.Parse(time.RFC3339, f.at)
				if err != nil {
					return badInput{fmt.Errorf("--time %q is no moment such as 2026-01-02T15:04:05Z", f.at)}
				}
				f.moment = at
			}
			res, err := tryAnywhere(c.Context(), f)
			if err != nil {
				return err
			}
			if f.json {
				return json.NewEncoder(c.OutOrStdout()).Encode(res)
			}
			_, err = fmt.Fprint(c.OutOrStdout(), trail.Text(res.Steps))
			return err
		},
	}
	flags := c.Flags()
	flags.StringVar(&f.plan, "plan", "", "plan document")
	flags.StringVar(&f.server, "server", "", "a running Switchback, such as http://127.0.0.1:8480")
	flags.BoolVar(&f.draft, "draft", false, "with --server: decide by the draft")
	flags.StringVar(&f.from, "from", "", "trunk, far end or extension")
	flags.StringVar(&f.dial, "called", "", "called number; may be empty")
	flags.StringVar(&f.caller, "caller", "", "calling number, or a text such as anonymous")
	flags.StringVar(&f.at, "time", "", "time of the call, RFC 3339; default now")
	flags.StringArrayVar(&f.down, "down", nil, "a trunk that is down")
	flags.StringArrayVar(&f.full, "full", nil, "a trunk that is full")
	flags.BoolVar(&f.json, "json", false, "print the result as JSON")
	c.MarkFlagsOneRequired("plan", "server")
	c.MarkFlagsMutuallyExclusive("plan", "server")
	for _, name := range []string{"from", "called"} {
		_ = c.MarkFlagRequired(name) // fails only for an unknown flag
	}
	return c
}

// tryAnywhere decides by the file, or lets the server decide.
func tryAnywhere(ctx context.Context, f tryFlags) (decide.Result, error) {
	if f.server != "" {
		return tryServer(ctx, f)
	}
	res, err := try(f)
	if err != nil {
		return res, badInput{err}
	}
	return res, nil
}

func try(f tryFlags) (decide.Result, error) {
	snapshot, err := compileFile(f.plan)
	if err != nil {
		return decide.Result{}, err
	}
	call, err := snapshot.CallFrom(f.from, f.dial, f.caller)
	if err != nil {
		return decide.Result{}, err
	}
	call.At = f.moment
	suppose := decide.Suppose{Down: map[string]bool{}, Full: map[string]bool{}}
	index := plan.NewIndex(snapshot.Plan())
	for flag, trunks := range map[string][]string{"--down": f.down, "--full": f.full} {
		for _, id := range trunks {
			if index.Trunks[id] == nil {
				return decide.Result{}, fmt.Errorf("%s: the plan has no trunk %q", flag, id)
			}
			if flag == "--down" {
				suppose.Down[id] = true
			} else {
				suppose.Full[id] = true
			}
		}
	}
	return snapshot.Dry(call, suppose)
}

func compileFile(name string) (*decide.Snapshot, error) {
	p, err := readPlan(name)
	if err != nil {
		return nil, err
	}
	snapshot, problems := decide.Compile(p)
	if len(problems) > 0 {
		return nil, planProblems(name, problems)
	}
	return snapshot, nil
}
