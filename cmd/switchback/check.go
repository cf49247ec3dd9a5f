package main

import (
	"fmt"
	"io"
	"time"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/core/decide"
	"switchback.example/switchback/internal/core/findings"
)

// planCheckCommand runs the checks of a plan file, and tells what is worth a look in its
// tables.
func planCheckCommand() *cobra.Command {
	return &cobra.Command{
		Use: "check FILE", Short: "Run the checks of a plan and tell mistakes in its tables; exit status 1 if there is one", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			s, err := compileFile(args[0])
			if err != nil {
				return badInput{err}
			}
			failed := runChecks(c.OutOrStdout(), s, time.Now())
			grave, err := tellFindings(c.OutOrStdout(), s)
			switch {
			case err != nil:
				return err
			case failed > 0 || grave > 0:
				return fmt.Errorf("%s: %d checks failed, %d mistakes", args[0], failed, grave)
			}
			return nil
		},
	}
}

func runChecks(w io.Writer, s *decide.Snapshot, now time.Time) (failed int) {
	checks := s.Plan().Checks
	for _, check := range checks {
		done := s.Check(check, now)
		if done.Passed {
			continue
		}
		failed++
		fmt.Fprintf(w, "check %s failed\n", check.Name)
		for _, d := range done.Differences {
			fmt.Fprintf(w, "    %s\n", d)
		}
	}
	fmt.Fprintf(w, "%d of %d checks passed\n", len(checks)-failed, len(checks))
	return failed
}

func tellFindings(w io.Writer, s *decide.Snapshot) (grave int, err error) {
	for _, t := range s.Plan().Tables {
		for _, f := range findings.InTable(s, t.ID, "") {
			if f.Grave {
				grave++
				fmt.Fprintf(w, "table %s, rule %s: %s\n", t.ID, f.Rule, f.Text)
			}
		}
	}
	hidden, err := findings.Hides(s)
	for _, h := range hidden {
		grave++
		fmt.Fprintln(w, h.Text)
	}
	return grave, err
}
