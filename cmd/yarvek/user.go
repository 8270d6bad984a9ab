package main

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"yarvek/internal/store"
	"yarvek/internal/web"
	"yarvek/internal/work"
)

// userCommand keeps the accounts of an installation that others can reach. It works while
// the server runs.
func userCommand() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "user", Short: "Keep the accounts of a shared installation"}
	c.PersistentFlags().StringVar(&data, "data", "yarvek-data", "folder that holds everything")
	with := func(do func(c *cobra.Command, st *store.Store, name string) error) func(*cobra.Command, []string) error {
		return func(c *cobra.Command, args []string) (err error) {
			dir, err := filepath.Abs(data)
			if err != nil {
				return err
			}
			st, err := store.People(dir)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, st.Close()) }()
			name := ""
			if len(args) > 0 {
				if name, err = work.CleanName(args[0]); err != nil {
					return err
				}
			}
			if err = do(c, st, name); errors.Is(err, store.ErrNotFound) {
				return fmt.Errorf("there is nobody called %s; yarvek user list tells who there is", name)
			}
			return err
		}
	}
	c.AddCommand(
		&cobra.Command{Use: "add NAME", Short: "Add somebody who may sign in", Args: cobra.ExactArgs(1),
			Long: "Adds somebody who may sign in. The passphrase is asked for, or read from standard input when that is no " +
				"terminal.",
			RunE: with(func(c *cobra.Command, st *store.Store, name string) error {
				return phrased(c, "added", name, st.AddPerson)
			})},
		&cobra.Command{Use: "passphrase NAME", Short: "Give somebody another passphrase and end all sessions",
			Args: cobra.ExactArgs(1),
			RunE: with(func(c *cobra.Command, st *store.Store, name string) error {
				return phrased(c, "has a new passphrase; all sign in again", name, st.SetPhrase)
			})},
		&cobra.Command{Use: "remove NAME", Short: "Take somebody's account away and end all sessions",
			Args: cobra.ExactArgs(1),
			RunE: with(func(c *cobra.Command, st *store.Store, name string) error {
				if err := st.RemovePerson(c.Context(), name); err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "%s: removed. What they made stays, with their name; all sign in again\n", name)
				return nil
			})},
		&cobra.Command{Use: "list", Short: "Tell who may sign in", Args: cobra.NoArgs,
			RunE: with(func(c *cobra.Command, st *store.Store, _ string) error {
				list, err := st.Everybody(c.Context())
				for _, p := range list {
					fmt.Fprintf(c.OutOrStdout(), "%s, since %s\n", p.Name, p.Created.Local().Format("2 Jan 2006"))
				}
				return err
			})})
	return c
}

// phrased asks for a passphrase and keeps it for somebody.
func phrased(c *cobra.Command, done, name string, keep func(ctx context.Context, name, phrase string) error) error {
	phrase, err := askPhrase(c)
	if err != nil {
		return err
	}
	kept, err := web.HashPhrase(phrase)
	if err != nil {
		return err
	}
	if err := keep(c.Context(), name, kept); err != nil {
		return err
	}
	fmt.Fprintf(c.OutOrStdout(), "%s: %s\n", name, done)
	return nil
}

// askPhrase reads a passphrase twice from a terminal, without showing it, or once as a
// line of standard input.
func askPhrase(c *cobra.Command) (string, error) {
	in := c.InOrStdin()
	f, ok := in.(*os.File)
	if !ok || !term.IsTerminal(int(f.Fd())) {
		line, err := bufio.NewReader(io.LimitReader(in, 4096)).ReadString('\n')
		if err != nil && !errors.Is(err, io.EOF) {
			return "", err
		}
		return strings.TrimRight(line, "\r\n"), nil
	}
	ask := func(say string) (string, error) {
		fmt.Fprint(c.ErrOrStderr(), say)
		b, err := term.ReadPassword(int(f.Fd()))
		fmt.Fprintln(c.ErrOrStderr())
		return string(b), err
	}
	one, err := ask("Passphrase: ")
	if err != nil {
		return "", err
	}
	two, err := ask("The same again: ")
	if err == nil && one != two {
		err = errors.New("the two were not the same; nothing was changed")
	}
	return one, err
}
