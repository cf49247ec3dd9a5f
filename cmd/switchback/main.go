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
	if err := root().ExecuteContext(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "switchback:", err)
		var bad badInput
		if errors.As(err, &bad) {
			os.Exit(2)
		}
		os.Exit(1)
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
	c.AddCommand(serveCommand(), configCommand(), demoCommand(), migrateCommand(), versionCommand(), digitsCommand(), tryCommand(), planCommand(), openAPICommand())
	return c
}
