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
	var pattern, against string
	var describe, asJSON bool
	c := &cobra.Command{
		Use:   "digits --pattern P [--against Q | --describe] [--json] [NUMBER...]",
		Short: "Match numbers, or another pattern, against a dial pattern",
		Long: `Match each number against a dial pattern (RFC 3435 section 2.1.5), digit by
digit: none, partial, complete, or complete-may-continue. "waits": only the
digit timer T completes the number.

With --against, compare pattern P with Q: equal, contains (P matches all of Q),
within, overlaps or disjoint. "example" is a shortest number that both match;
onlyPattern and onlyAgainst are shortest numbers that one of them matches. With
--describe, count the numbers of P by length and show samples, near misses and
the shortest way to write P.

Exit status: 0 for any state, 2 for an invalid pattern or number.`,
		RunE: func(c *cobra.Command, args []string) error {
			p, err := digits.Compile(pattern)
			if err != nil {
				return badInput{err}
			}
			switch {
			case against != "":
				q, err := digits.Compile(against)
				if err != nil {
					return badInput{err}
				}
				return printComparison(c, digits.Compare(p.Set(), q.Set()), asJSON)
			case describe:
				return printDescription(c, p.Set(), asJSON)
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
	c.Flags().StringVar(&against, "against", "", "another dial pattern, to compare the two")
	c.Flags().BoolVar(&describe, "describe", false, "count and show what the pattern matches")
	c.MarkFlagsMutuallyExclusive("against", "describe")
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

// comparison is how two patterns stand to each other.
type comparison struct {
	Relation    digits.Relation `json:"relation"`
	Example     *digits.Number  `json:"example"`
	OnlyPattern *digits.Number  `json:"onlyPattern"`
	OnlyAgainst *digits.Number  `json:"onlyAgainst"`
}

func printComparison(c *cobra.Command, d digits.Comparison, asJSON bool) error {
	if asJSON {
		return json.NewEncoder(c.OutOrStdout()).Encode(comparison{d.Relation, d.Both, d.OnlyP, d.OnlyQ})
	}
	fmt.Fprintln(c.OutOrStdout(), d.Relation)
	for _, line := range []struct {
		what string
		n    *digits.Number
	}{{"both", d.Both}, {"only the pattern", d.OnlyP}, {"only the other", d.OnlyQ}} {
		if line.n != nil {
			fmt.Fprintf(c.OutOrStdout(), "%s: %s\n", line.what, shownNumber(*line.n))
		}
	}
	return nil
}

func shownNumber(n digits.Number) string {
	if n.Empty() {
		return "(no digits)"
	}
	return n.String()
}

// description is what a pattern matches.
type description struct {
	Counts     []lengthCount   `json:"counts"`
	Samples    []digits.Number `json:"samples"`
	NearMisses []digits.Number `json:"nearMisses"`
	// Shortest is another way to write the pattern; empty if none is short.
	Shortest   string `json:"shortest"`
	Expression bool   `json:"expression,omitempty"`
}

type lengthCount struct {
	Length int    `json:"length"`
	Count  string `json:"count"` // may have more than 64 bits
}

// describeLimit is how many samples and near misses are shown.
const describeLimit = 10

func printDescription(c *cobra.Command, s digits.Set, asJSON bool) error {
	d := description{Counts: []lengthCount{}, Samples: s.Samples(describeLimit), NearMisses: s.NearMisses(describeLimit)}
	for _, l := range s.CountByLength() {
		d.Counts = append(d.Counts, lengthCount{l.Length, l.Count.String()})
	}
	if r, err := s.Readable(); err == nil {
		d.Shortest, d.Expression = r.Text, r.Expression
	}
	out := c.OutOrStdout()
	if asJSON {
		return json.NewEncoder(out).Encode(d)
	}
	fmt.Fprintf(out, "shortest\t%s\n", d.Shortest)
	for _, l := range d.Counts {
		fmt.Fprintf(out, "%s of %d symbols\n", l.Count, l.Length)
	}
	for _, n := range d.Samples {
		fmt.Fprintf(out, "matches\t%s\n", shownNumber(n))
	}
	for _, n := range d.NearMisses {
		fmt.Fprintf(out, "just misses\t%s\n", shownNumber(n))
	}
	return nil
}
