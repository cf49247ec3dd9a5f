package main

import (
	"encoding/json"
	"fmt"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/core/digits"
)

// numberVerdict is one line of the command's JSON.
type numberVerdict struct {
	Number string       `json:"number"`
	State  digits.State `json:"state"`
	Waits  bool         `json:"waits"`
}

func digitsCommand() *cobra.Command {
	var pattern string
	var asJSON bool
	c := &cobra.Command{
		Use:   "digits --pattern P [--json] NUMBER...",
		Short: "Say how numbers stand to a dial pattern",
		Long: `Say how each number stands to a dial pattern (RFC 3435 section 2.1.5), as if
it were keyed digit by digit: none, partial, complete, or complete-may-continue.
"waits" says that nothing but the digit timer T completes it.

Exit status: 0 whatever the states are, 2 for a bad pattern or number.`,
		RunE: func(c *cobra.Command, args []string) error {
			p, err := digits.Compile(pattern)
			if err != nil {
				return badInput{err}
			}
			numbers := make([]digits.Number, len(args))
			for i, arg := range args { // all are read before anything is printed
				if numbers[i], err = digits.ParseNumber(arg); err != nil {
					return badInput{err}
				}
			}
			for _, n := range numbers {
				v := p.Dialled(n)
				if err := printVerdict(c, numberVerdict{n.String(), v.State, v.Waits}, asJSON); err != nil {
					return err
				}
			}
			return nil
		},
	}
	c.Flags().StringVar(&pattern, "pattern", "", "dial pattern")
	c.Flags().BoolVar(&asJSON, "json", false, "one JSON object a line")
	_ = c.MarkFlagRequired("pattern") // fails only for an unknown flag
	return c
}

func printVerdict(c *cobra.Command, v numberVerdict, asJSON bool) error {
	if asJSON {
		return json.NewEncoder(c.OutOrStdout()).Encode(v)
	}
	waits := ""
	if v.Waits {
		waits = ", the timer completes it"
	}
	_, err := fmt.Fprintf(c.OutOrStdout(), "%s\t%s%s\n", v.Number, v.State, waits)
	return err
}
