package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"os"
	"time"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/plan"
)

type tryFlags struct {
	plan, from, dial, caller, at string
	down, full                   []string
	json                         bool
}

func tryCommand() *cobra.Command {
	var f tryFlags
	c := &cobra.Command{
		Use:   "try --plan FILE --from SOURCE --dial DIGITS [--caller N] [--at TIME] [--down TRUNK]... [--json]",
		Short: "Decide a call by a plan file, without sending anything",
		Long: `Decide a call by a plan file, without sending anything. SOURCE is a trunk, a
far end that has one trunk, or an extension. Trunks that are not named by --down
or --full are up, and their far ends answer.

Exit status: 0 whatever becomes of the call, 2 for bad input.`,
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			res, err := try(f)
			if err != nil {
				return badInput{err}
			}
			if f.json {
				return json.NewEncoder(c.OutOrStdout()).Encode(res)
			}
			_, err = fmt.Fprint(c.OutOrStdout(), decide.Text(res.Steps))
			return err
		},
	}
	flags := c.Flags()
	flags.StringVar(&f.plan, "plan", "", "plan document")
	flags.StringVar(&f.from, "from", "", "where the call comes from")
	flags.StringVar(&f.dial, "dial", "", "what is dialled; may be empty")
	flags.StringVar(&f.caller, "caller", "", "the caller's number, or a text such as anonymous")
	flags.StringVar(&f.at, "at", "", "moment of the call, RFC 3339; no rule of this version depends on the hour")
	flags.StringArrayVar(&f.down, "down", nil, "a trunk that is down")
	flags.StringArrayVar(&f.full, "full", nil, "a trunk that is full")
	flags.BoolVar(&f.json, "json", false, "print the result as JSON")
	for _, name := range []string{"plan", "from", "dial"} {
		_ = c.MarkFlagRequired(name) // fails only for an unknown flag
	}
	return c
}

func try(f tryFlags) (decide.Result, error) {
	snapshot, err := compileFile(f.plan)
	if err != nil {
		return decide.Result{}, err
	}
	if f.at != "" {
		if _, err := time.Parse(time.RFC3339, f.at); err != nil {
			return decide.Result{}, fmt.Errorf("--at %q is no moment such as 2026-01-02T15:04:05Z", f.at)
		}
	}
	call, err := snapshot.CallFrom(f.from, f.dial, f.caller)
	if err != nil {
		return decide.Result{}, err
	}
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
	file, err := os.Open(name)
	if err != nil {
		return nil, err
	}
	defer file.Close()
	p, err := plan.Read(file)
	if err != nil {
		return nil, fmt.Errorf("%s: %w", name, err)
	}
	snapshot, problems := decide.Compile(p)
	if len(problems) > 0 {
		all := []error{fmt.Errorf("%s has %d problems", name, len(problems))}
		for _, problem := range problems {
			all = append(all, problem)
		}
		return nil, errors.Join(all...)
	}
	return snapshot, nil
}
