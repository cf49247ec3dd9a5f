package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"switchback.example/switchback/internal/settings"
	"switchback.example/switchback/internal/store"
)

func userCommand() *cobra.Command {
	c := &cobra.Command{Use: "user", Short: "Manage users"}
	c.AddCommand(
		withPassword("add NAME", "Create a person who may sign in", "can sign in", (*store.Store).AddUser),
		withPassword("password NAME", "Give a person another password", "signs in with the new password from now on", (*store.Store).ChangePassword),
	)
	return c
}

// withPassword is a command that does something for a person with a password, and says what
// it did.
func withPassword(use, short, done string, do func(s *store.Store, ctx context.Context, name, password string) error) *cobra.Command {
	c := &cobra.Command{
		Use: use, Short: short + "; the password is read from standard input", Args: cobra.ExactArgs(1),
		Long: short + `. The password is the first line of standard input,
or the variable SWITCHBACK_NEW_PASSWORD; it is never given as an argument, which others
could see. It has at least 12 characters.`,
		RunE: func(c *cobra.Command, args []string) error {
			values, err := settings.Load(c.Flags())
			if err != nil {
				return badInput{err}
			}
			password, err := newPassword(c.InOrStdin())
			if err != nil {
				return badInput{err}
			}
			s, err := store.Open(c.Context(), values.Get("dsn"))
			if err != nil {
				return err
			}
			defer s.Close()
			switch err := do(s, c.Context(), args[0], password); {
			case store.IsChosenBadly(err) || errors.Is(err, store.ErrTaken):
				return badInput{err}
			case errors.Is(err, store.ErrNotFound):
				return badInput{fmt.Errorf("unknown user %s", args[0])}
			case err != nil:
				return fmt.Errorf("%w; 'switchback migrate' makes the tables of a new database", err)
			}
			fmt.Fprintf(c.OutOrStdout(), "%s %s\n", args[0], done)
			return nil
		},
	}
	settings.AddFlags(c.Flags())
	return c
}

// newPassword reads a password from the environment or the first line of an input.
func newPassword(in io.Reader) (string, error) {
	if p := os.Getenv(settings.Prefix + "NEW_PASSWORD"); p != "" {
		return p, nil
	}
	line, err := bufio.NewReader(io.LimitReader(in, 4096)).ReadString('\n')
	if err != nil && !errors.Is(err, io.EOF) {
		return "", err
	}
	return strings.TrimRight(line, "\r\n"), nil
}
