package main

import (
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/api"
	"switchback.example/switchback/internal/core/document"
	"switchback.example/switchback/internal/core/plan"
)

func planCommand() *cobra.Command {
	c := &cobra.Command{
		Use:   "plan",
		Short: "Check, compare, export and import plan documents",
		Long: `Check, compare, export and import plan documents. Commands with --server sign in
with SWITCHBACK_USER and SWITCHBACK_PASSWORD.`,
	}
	c.AddCommand(planValidateCommand(), planCheckCommand(), planDiffCommand(), planExportCommand(), planImportCommand(), planSchemaCommand())
	return c
}

func readPlan(name string) (plan.Plan, error) {
	file, err := os.Open(name)
	if err != nil {
		return plan.Plan{}, err
	}
	defer file.Close()
	p, err := document.Read(file)
	if err != nil {
		return p, fmt.Errorf("%s: %w", name, err)
	}
	return p, nil
}

// planProblems is every problem of a plan as one error.
func planProblems(name string, problems []plan.Problem) error {
	all := []error{fmt.Errorf("%s has %d problems", name, len(problems))}
	for _, p := range problems {
		all = append(all, p)
	}
	return errors.Join(all...)
}

func planSchemaCommand() *cobra.Command {
	return &cobra.Command{
		Use: "schema", Short: "Write the JSON Schema of plan documents", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			text, err := api.PlanSchema()
			if err != nil {
				return err
			}
			_, err = c.OutOrStdout().Write(text)
			return err
		},
	}
}

func planValidateCommand() *cobra.Command {
	return &cobra.Command{
		Use: "validate FILE", Short: "Validate a plan document; exit status 1 for errors in the plan, 2 for an unreadable file", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			p, err := readPlan(args[0])
			if err != nil {
				return badInput{err}
			}
			if problems := p.Validate(); len(problems) > 0 {
				return planProblems(args[0], problems)
			}
			rules := 0
			for _, t := range p.Tables {
				rules += len(t.Rules)
			}
			_, err = fmt.Fprintf(c.OutOrStdout(), "%s is valid: %d switches, %d trunks, %d tables with %d rules\n", args[0], len(p.Switches), len(p.Trunks), len(p.Tables), rules)
			return err
		},
	}
}

func planDiffCommand() *cobra.Command {
	var asJSON bool
	c := &cobra.Command{
		Use: "diff BEFORE AFTER", Short: "Compare two plan documents", Args: cobra.ExactArgs(2),
		RunE: func(c *cobra.Command, args []string) error {
			var plans [2]plan.Plan
			for i, name := range args {
				p, err := readPlan(name)
				if err != nil {
					return badInput{err}
				}
				plans[i] = p
			}
			changes, _, err := plan.Diff(plans[0], plans[1])
			if err != nil {
				return err
			}
			if asJSON {
				return json.NewEncoder(c.OutOrStdout()).Encode(changes)
			}
			for _, change := range changes {
				fmt.Fprintf(c.OutOrStdout(), "%s %s %s\n", change.What, change.Kind, change.ID)
				for _, f := range change.Fields {
					fmt.Fprintf(c.OutOrStdout(), "    %s: %q -> %q\n", f.Field, f.Before, f.After)
				}
			}
			return nil
		},
	}
	c.Flags().BoolVar(&asJSON, "json", false, "print the changes as JSON")
	return c
}

func planExportCommand() *cobra.Command {
	var url string
	var draft bool
	var revision int64
	c := &cobra.Command{
		Use: "export --server URL [--draft | --revision N]", Short: "Export the live plan, the draft or a revision of a running Switchback", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			s, err := signIn(c.Context(), url)
			if err != nil {
				return err
			}
			s.http.Timeout = planPatience
			path := "/api/live/plan"
			switch {
			case revision > 0:
				path = fmt.Sprintf("/api/revisions/%d/plan", revision)
			case draft:
				path = "/api/draft/plan"
			}
			var p plan.Plan
			if err := s.ask(c.Context(), http.MethodGet, path, nil, &p); err != nil {
				return err
			}
			return document.Write(c.OutOrStdout(), p)
		},
	}
	serverFlag(c, &url)
	c.Flags().BoolVar(&draft, "draft", false, "export the draft instead of the live plan")
	c.Flags().Int64Var(&revision, "revision", 0, "an earlier live plan")
	c.MarkFlagsMutuallyExclusive("draft", "revision")
	return c
}

func planImportCommand() *cobra.Command {
	var url string
	var check bool
	c := &cobra.Command{
		Use: "import --server URL [--check] FILE", Short: "Import a plan document as the draft of a running Switchback", Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			p, err := readPlan(args[0])
			if err != nil {
				return badInput{err}
			}
			if problems := p.Validate(); len(problems) > 0 {
				return badInput{planProblems(args[0], problems)}
			}
			s, err := signIn(c.Context(), url)
			if err != nil {
				return err
			}
			s.http.Timeout = planPatience
			path := "/api/draft"
			if check {
				path += "?check=true"
			}
			var report api.Imported
			if err := s.ask(c.Context(), http.MethodPut, path, p, &report); err != nil {
				return err
			}
			return printReport(c.OutOrStdout(), args[0], report)
		},
	}
	serverFlag(c, &url)
	c.Flags().BoolVar(&check, "check", false, "only report what would change")
	return c
}

// printReport says what an import changed, or would.
func printReport(w io.Writer, name string, r api.Imported) error {
	head := fmt.Sprintf("the draft is now %s; the live plan still carries calls", name)
	if !r.Applied {
		head = fmt.Sprintf("%s was only checked; the draft is as it was", name)
	}
	var held []string
	for _, kind := range plan.Kinds() {
		if n := r.Objects[kind]; n > 0 {
			held = append(held, fmt.Sprintf("%d %s", n, kind))
		}
	}
	if _, err := fmt.Fprintf(w, "%s\nit holds: %s\n%d differences from the draft before\n", head, strings.Join(held, ", "), r.Differences); err != nil {
		return err
	}
	for _, c := range r.Changes {
		if _, err := fmt.Fprintf(w, "  %s %s %s\n", c.What, c.Kind, c.ID); err != nil {
			return err
		}
	}
	if more := r.Differences - len(r.Changes); more > 0 {
		_, err := fmt.Fprintf(w, "  and %d more\n", more)
		return err
	}
	return nil
}

// planPatience bounds a request that carries a whole plan: a million numbers
// take most of a minute.
const planPatience = 10 * time.Minute

func serverFlag(c *cobra.Command, url *string) {
	c.Flags().StringVar(url, "server", "", "a running Switchback, such as http://127.0.0.1:8480")
	_ = c.MarkFlagRequired("server") // fails only for an unknown flag
}
