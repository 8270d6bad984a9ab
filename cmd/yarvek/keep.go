package main

import (
	"errors"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"

	"github.com/spf13/cobra"

	"yarvek/core/figure"
	"yarvek/internal/disk"
	"yarvek/internal/store"
)

func verifyCommand() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "verify", Short: "Check every kept file and the database; changes nothing",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			v, err := store.Verify(c.Context(), data)
			if err != nil {
				return err
			}
			return say(c.OutOrStdout(), data, v)
		}}
	c.Flags().StringVar(&data, "data", "yarvek-data", "folder that holds everything")
	return c
}

// say reports what was found of a data folder; harm gives errSaid.
func say(out io.Writer, data string, v *store.Verdict) error {
	fmt.Fprintf(out, "%s: %s, %s\n", data, figure.Plural(v.Files, "kept file", "kept files"), figure.Bytes(v.Bytes))
	for _, d := range v.Database {
		fmt.Fprintf(out, "database: %s\n", d)
	}
	harms(out, v.Harmed)
	if v.Unnamed > 0 {
		fmt.Fprintf(out, "%s that nothing refers to: a running server moves them to the trash after a day\n",
			figure.Plural(v.Unnamed, "file", "files"))
	}
	if v.Trash > 0 {
		fmt.Fprintf(out, "%s in the trash: they come back by themselves when something refers to them, and go after 30 "+
			"days\n",
			figure.Plural(v.Trash, "file", "files"))
	}
	if v.Sound() {
		fmt.Fprintln(out, "Everything is as it was kept.")
		return nil
	}
	if len(v.Database) > 0 {
		fmt.Fprintln(out, "The database is damaged. Make a copy of the whole folder first; then put a backup back with "+
			"yarvek restore.")
	}
	if len(v.Harmed) > 0 {
		fmt.Fprintln(out, "Send the named files again on the asset's page, which makes them whole, or put a backup back. "+
			"Exports can be written anew.")
	}
	return errSaid
}

// harms lists harmed files with what needs them.
func harms(out io.Writer, list []store.Harm) {
	for _, h := range list {
		what := "damaged"
		if h.Gone {
			what = "missing"
		}
		fmt.Fprintf(out, "%s: %s (%s)\n", what, strings.Join(h.Of, "; "), h.SHA)
	}
}

func backupCommand() *cobra.Command {
	var data, to string
	c := &cobra.Command{Use: "backup -o FILE", Short: "Write everything to one file, while a server runs or not",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) (err error) {
			// Written beside its place first: a backup that broke off never looks like one.
			f, err := os.CreateTemp(filepath.Dir(to), ".yarvek-backup-*")
			if err != nil {
				return err
			}
			defer func() { _ = os.Remove(f.Name()) }()
			harmed, err := store.Backup(c.Context(), data, f)
			if err == nil {
				err = f.Sync()
			}
			if err = errors.Join(err, f.Close()); err != nil {
				return err
			}
			if err := disk.Replace(f.Name(), to); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "wrote %s\n", to)
			harms(c.OutOrStdout(), harmed)
			if len(harmed) > 0 {
				fmt.Fprintln(c.OutOrStdout(),
					"The named files are not in the backup. Keep older backups until they are whole again.")
				return errSaid
			}
			return nil
		}}
	c.Flags().StringVar(&data, "data", "yarvek-data", "folder that holds everything")
	c.Flags().StringVarP(&to, "out", "o", "", "file to write, such as kits.zip")
	_ = c.MarkFlagRequired("out")
	return c
}

func restoreCommand() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "restore FILE", Short: "Put a backup into an empty folder and check it",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			v, err := store.Restore(c.Context(), args[0], data)
			if err != nil {
				return err
			}
			return say(c.OutOrStdout(), data, v)
		}}
	c.Flags().StringVar(&data, "data", "yarvek-data", "folder to make, or an empty one")
	return c
}
