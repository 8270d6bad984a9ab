package main

import (
	"bufio"
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"yarvek/core/figure"
	"yarvek/internal/store"
	"yarvek/internal/web"
	"yarvek/internal/work"
)

// userCommand keeps the accounts of an installation that others can reach. It works while
// the server runs.
func userCommand() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "user", Short: "Keep the accounts of a shared installation"}
	dataFlag(c.PersistentFlags(), &data)
	with := func(do withAccounts) func(*cobra.Command, []string) error {
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
		&cobra.Command{Use: "passphrase NAME", Short: "Give somebody another passphrase and end their sessions",
			Args: cobra.ExactArgs(1),
			RunE: with(func(c *cobra.Command, st *store.Store, name string) error {
				return phrased(c, "has a new passphrase, and signs in again with it", name, st.SetPhrase)
			})},
		&cobra.Command{Use: "remove NAME", Short: "Take somebody's account away and end their sessions",
			Args: cobra.ExactArgs(1),
			RunE: with(func(c *cobra.Command, st *store.Store, name string) error {
				if err := st.RemovePerson(c.Context(), name); err != nil {
					return err
				}
				fmt.Fprintf(c.OutOrStdout(), "%s: removed, and signed out. What they made stays, with their name\n", name)
				return nil
			})},
		sessionsCommand(with), endCommand(with), logCommand(with),
		&cobra.Command{Use: "list", Short: "Tell who may sign in", Args: cobra.NoArgs,
			RunE: with(func(c *cobra.Command, st *store.Store, _ string) error {
				list, err := st.Everybody(c.Context())
				accounts(c.OutOrStdout(), list)
				return err
			})})
	return c
}

// withAccounts is what a command does with the accounts of a folder; name is "" where none was given.
type withAccounts func(c *cobra.Command, st *store.Store, name string) error

// opened gives a command the accounts of the folder it names.
type opened func(withAccounts) func(*cobra.Command, []string) error

// accounts lists people.
func accounts(out io.Writer, list []store.Person) {
	for _, p := range list {
		if p.Harm != nil {
			fmt.Fprintf(out, "%s: %v. Remove and add the account again\n", p.Name, p.Harm)
			continue
		}
		fmt.Fprintf(out, "%s, since %s\n", p.Name, p.Created.Local().Format("2 Jan 2006"))
	}
}

// minute is how a moment is written in lists.
const minute = "2 Jan 2006 15:04"

func sessionsCommand(with opened) *cobra.Command {
	return &cobra.Command{Use: "sessions [NAME]", Short: "Tell who is signed in, or somebody's sessions",
		Args: cobra.MaximumNArgs(1),
		RunE: with(func(c *cobra.Command, st *store.Store, name string) error {
			list, err := st.Sessions().List(c.Context(), name)
			for _, v := range list {
				fmt.Fprintf(c.OutOrStdout(), "%s  %s  since %s  until %s  from %s  %s\n", v.ID, v.Person,
					v.Created.Local().Format(minute), v.Expiry.Local().Format(minute), v.Address, v.Agent)
			}
			if err == nil && len(list) == 0 {
				fmt.Fprintln(c.OutOrStdout(), "Nobody is signed in.")
			}
			return err
		})}
}

func endCommand(with opened) *cobra.Command {
	var session string
	var everybody bool
	c := &cobra.Command{Use: "end [NAME]", Short: "End somebody's sessions, one session, or with --everybody all",
		Args: cobra.MaximumNArgs(1)}
	c.RunE = with(func(c *cobra.Command, st *store.Store, name string) error {
		if name == "" && session == "" && !everybody {
			return errors.New("say whose sessions end: a name, --session ID as yarvek user sessions tells it, or --everybody")
		}
		n, err := st.Sessions().End(c.Context(), name, session)
		if err == nil {
			fmt.Fprintf(c.OutOrStdout(), "%s ended\n", figure.Plural(int(n), "session", "sessions"))
		}
		return err
	})
	c.Flags().StringVar(&session, "session", "", "one session, as yarvek user sessions calls it")
	c.Flags().BoolVar(&everybody, "everybody", false, "all sessions of all")
	return c
}

func logCommand(with opened) *cobra.Command {
	var last int
	c := &cobra.Command{Use: "log", Short: "Tell who signed in, what was sent and what was removed", Args: cobra.NoArgs}
	c.RunE = with(func(c *cobra.Command, st *store.Store, _ string) error {
		lines, err := st.Journal(c.Context(), last)
		for _, l := range slices.Backward(lines) {
			if l.Harm != nil {
				fmt.Fprintln(c.OutOrStdout(), l.Harm)
				continue
			}
			who := cmp.Or(l.Person, "somebody")
			if l.Address != "" {
				who += " from " + l.Address
			}
			fmt.Fprintln(c.OutOrStdout(), strings.TrimRight(fmt.Sprintf("%s  %s  %s  %s",
				l.At.Local().Format("2006-01-02 15:04:05"), who, l.Did, l.What), " "))
		}
		return err
	})
	c.Flags().IntVar(&last, "last", 1000, "how many lines")
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
