// Command switchback runs switches and answers questions about numbers and
// plans. Each command has a file of its own, which maps flags to options and
// nothing else.
package main

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"
)

// badInput is an error in what the user gave; the exit status is 2.
type badInput struct{ error }

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if status := run(ctx, root()); status != 0 {
		os.Exit(status)
	}
}

// run executes a command and returns its exit status: 2 for what the user gave wrong, be
// it a flag or what it says, 1 for what went wrong otherwise.
func run(ctx context.Context, c *cobra.Command) int {
	began := false
	noteBegin(c, &began)
	err := c.ExecuteContext(ctx)
	if err == nil {
		return 0
	}
	fmt.Fprintln(c.ErrOrStderr(), "switchback:", err)
	var bad badInput
	if !began || errors.As(err, &bad) {
		return 2
	}
	return 1
}

// noteBegin notes that a command began: what is refused before is bad input.
func noteBegin(c *cobra.Command, began *bool) {
	if work := c.RunE; work != nil {
		c.RunE = func(c *cobra.Command, args []string) error {
			*began = true
			return work(c, args)
		}
	}
	for _, sub := range c.Commands() {
		noteBegin(sub, began)
	}
}

func root() *cobra.Command {
	c := &cobra.Command{
		Use:           "switchback",
		Short:         "A call router that explains every call",
		SilenceUsage:  true,
		SilenceErrors: true,
	}
	c.SetFlagErrorFunc(func(_ *cobra.Command, err error) error { return badInput{err} })
	c.AddCommand(serveCommand(), configCommand(), demoCommand(), migrateCommand(), userCommand(), versionCommand(), digitsCommand(), tryCommand(), planCommand(), openAPICommand())
	return c
}
