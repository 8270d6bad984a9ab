package main

import (
	"fmt"
	"os"
	"strings"

	"github.com/spf13/cobra"

	"yarvek/core/target"
)

// targetOf is a shipped target by its ID, or the one of a file.
func targetOf(name string) (target.Target, error) {
	if t, ok := target.ByID(name); ok {
		return t, nil
	}
	b, err := os.ReadFile(name)
	if err != nil {
		if strings.ContainsAny(name, `./\`) {
			return target.Target{}, err
		}
		return target.Target{}, fmt.Errorf("%q is no target: expected a target file, or one of %s", name, targetIDs())
	}
	t, err := target.Parse(b)
	if err != nil {
		return t, fmt.Errorf("%s: %w", name, err)
	}
	return t, nil
}

func targetCommand() *cobra.Command {
	c := &cobra.Command{Use: "target", Short: "Targets: what a receiver expects"}
	c.AddCommand(
		&cobra.Command{Use: "list", Args: cobra.NoArgs, Short: "The targets that come with Yarvek",
			RunE: func(c *cobra.Command, _ []string) error {
				for _, t := range target.Shipped {
					fmt.Fprintf(c.OutOrStdout(), "%s  %s\n", t.ID, t.Name)
				}
				return nil
			}},
		&cobra.Command{Use: "show ID|FILE", Args: cobra.ExactArgs(1), Short: "Print a target as a file that can be changed",
			RunE: func(c *cobra.Command, args []string) error {
				t, err := targetOf(args[0])
				if err == nil {
					_, err = c.OutOrStdout().Write(t.File())
				}
				return err
			}},
		&cobra.Command{Use: "check FILE", Args: cobra.ExactArgs(1),
			Short: "Tell all that is wrong with a target file; exit code 1 then",
			RunE: func(c *cobra.Command, args []string) error {
				b, err := os.ReadFile(args[0])
				if err != nil {
					return err
				}
				t, err := target.Parse(b)
				if err != nil {
					for _, l := range strings.Split(err.Error(), "\n") {
						fmt.Fprintf(c.OutOrStdout(), "%s: %s\n", args[0], l)
					}
					return errSaid
				}
				fmt.Fprintf(c.OutOrStdout(), "%s: “%s”, revision %d, can be used\n", args[0], t.Name, t.Revision)
				return nil
			}})
	return c
}
