package main

import (
	"os"

	"github.com/spf13/cobra"
	"github.com/spf13/cobra/doc"
)

// manCommand writes the manual pages, one a command.
func manCommand() *cobra.Command {
	return &cobra.Command{
		Use:   "man DIR",
		Short: "Write a manual page of each command into a folder",
		Long: `Write a manual page of each command into a folder, which is made where it is not there:
yarvek.1, yarvek-batch.1 and so on, for "man -l" or a folder that man looks in.`,
		Example: "  yarvek man pages",
		Args:    cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if err := os.MkdirAll(args[0], 0o755); err != nil {
				return err
			}
			root := c.Root()
			root.DisableAutoGenTag = true // the same pages of the same program
			return doc.GenManTree(root, &doc.GenManHeader{Title: "YARVEK", Section: "1", Source: "Yarvek"}, args[0])
		},
	}
}
