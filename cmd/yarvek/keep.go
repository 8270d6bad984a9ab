package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"yarvek/core/figure"
	"yarvek/internal/store"
)

func verifyCommand() *cobra.Command {
	var data, accept string
	c := &cobra.Command{Use: "verify", Short: "Check every kept file, the database and its rows; changes nothing",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if accept != "" {
				return acceptRow(c.Context(), c.OutOrStdout(), data, accept)
			}
			v, err := store.Verify(c.Context(), data)
			if err != nil {
				return err
			}
			return say(c.OutOrStdout(), data, v)
		}}
	dataFlag(c.Flags(), &data)
	c.Flags().StringVar(&accept, "accept", "", "take a damaged row as it reads now, such as kits:3; no server may run")
	return c
}

// acceptRow takes a row as it reads now.
func acceptRow(ctx context.Context, out io.Writer, data, which string) error {
	table, row, _ := strings.Cut(which, ":")
	n, err := strconv.ParseInt(row, 10, 64)
	if err != nil {
		return fmt.Errorf("%q is no row: expected one as yarvek verify writes it, such as kits:3", which)
	}
	st, err := store.Open(data)
	if errors.Is(err, store.ErrInUse) {
		return fmt.Errorf("%s is in use: end the server first, so that nothing changes meanwhile", data)
	}
	if err != nil {
		return err
	}
	if err := errors.Join(st.Accept(ctx, table, n), st.Close()); err != nil {
		return err
	}
	fmt.Fprintf(out, "%s is taken as it reads now\n", which)
	return nil
}

// say reports what was found of a data folder; harm gives errSaid.
func say(out io.Writer, data string, v *store.Verdict) error {
	fmt.Fprintf(out, "%s: %s, %s\n", data, figure.Plural(v.Files, "kept file", "kept files"), figure.Bytes(v.Bytes))
	for _, d := range v.Database {
		fmt.Fprintf(out, "database: %s\n", d)
	}
	for _, r := range v.Rows {
		fmt.Fprintf(out, "row %s:%d is not as it was kept: %s\n", r.Table, r.Row, r.Of)
	}
	harms(out, v.Harmed)
	if v.Unnamed > 0 {
		fmt.Fprintf(out, "%s that nothing refers to, %s: a running server moves them to the trash after a day; "+
			"yarvek sweep lists them\n", figure.Plural(v.Unnamed, "file", "files"), figure.Bytes(v.UnnamedBytes))
	}
	if v.Trash > 0 {
		fmt.Fprintf(out, "%s in the trash, %s: they come back by themselves when something refers to them, and go after 30 "+
			"days\n", figure.Plural(v.Trash, "file", "files"), figure.Bytes(v.TrashBytes))
	}
	if v.Sound() {
		fmt.Fprintln(out, "Everything is as it was kept.")
		return nil
	}
	if len(v.Database) > 0 {
		fmt.Fprintln(out, "The database is damaged. Make a copy of the whole folder first; then put a backup back with "+
			"yarvek restore.")
	}
	if len(v.Rows) > 0 {
		fmt.Fprintln(out,
			"The named rows are not used. Put a backup back; or undo on the asset's page a decision that is in "+
				"force and damaged; or, where what reads there now is right, take it with yarvek verify --accept TABLE:ROW.")
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
	var data, to, check string
	c := &cobra.Command{Use: "backup -o FILE | --check FILE",
		Short: "Write everything to one file, while a server runs or not; or check one", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			switch {
			case (check == "") == (to == ""):
				return errors.New("say where the backup goes with -o FILE, or which one is looked at with --check FILE")
			case check != "":
				r, err := store.CheckBackup(c.Context(), check)
				if err != nil {
					return err
				}
				return sayReturned(c.OutOrStdout(), check, r)
			}
			harmed, err := store.BackupTo(c.Context(), data, to)
			if err != nil {
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
	dataFlag(c.Flags(), &data)
	c.Flags().StringVarP(&to, "out", "o", "", "file to write, such as kits.zip")
	c.Flags().StringVar(&check, "check", "", "backup to look at; nothing is written")
	return c
}

// sayReturned tells what is not sound of a backup, and which accounts it brings.
func sayReturned(out io.Writer, file string, r *store.Returned) error {
	if !r.Made.IsZero() {
		fmt.Fprintf(out, "%s is of %s\n", file, r.Made.Local().Format(minute))
	}
	for _, t := range r.Trouble {
		fmt.Fprintln(out, "not sound:", t)
	}
	for _, b := range r.Rows {
		fmt.Fprintf(out, "row %s:%d is not as it was kept: %s\n", b.Table, b.Row, b.Of)
	}
	if r.Left > 0 {
		fmt.Fprintf(out, "%s left out when it was made, since they were harmed then\n",
			figure.Plural(r.Left, "file was", "files were"))
	}
	if len(r.Accounts) > 0 {
		fmt.Fprintln(out, "It brings these accounts, with the passphrases they had; nobody is signed in:")
		accounts(out, r.Accounts)
	}
	if len(r.Trouble)+len(r.Rows) > 0 {
		return errSaid
	}
	fmt.Fprintln(out, "The backup is whole.")
	return nil
}

func restoreCommand() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "restore FILE", Short: "Put a backup into an empty folder and check it",
		Long: "Puts back everything of a backup that is sound, and says by name what is not. The folder is there whole " +
			"afterwards, or not at all.",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			r, err := store.Restore(c.Context(), args[0], data)
			if err != nil {
				return err
			}
			said := sayReturned(c.OutOrStdout(), args[0], r)
			if err := say(c.OutOrStdout(), data, r.Verdict); err != nil {
				return err
			}
			return said
		}}
	dataFlag(c.Flags(), &data)
	return c
}

func sweepCommand() *cobra.Command {
	var data string
	var move bool
	c := &cobra.Command{Use: "sweep", Short: "List kept files that nothing refers to, and with --move take them away",
		Long: "Lists kept files that no asset and no export names and that are older than a day. With --move they go to " +
			"the trash, where they can be had back for 30 days. A server may run.",
		Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) (err error) {
			st, err := store.People(data)
			if err != nil {
				return err
			}
			defer func() { err = errors.Join(err, st.Close()) }()
			list, err := st.Orphans(c.Context(), time.Now())
			if err != nil {
				return err
			}
			var bytes int64
			for _, o := range list {
				bytes += o.Size
				fmt.Fprintf(c.OutOrStdout(), "%s  %s  %s\n", o.SHA, o.At.Local().Format(minute), figure.Bytes(o.Size))
			}
			fmt.Fprintf(c.OutOrStdout(), "%s that nothing refers to, %s\n", figure.Plural(len(list), "file", "files"),
				figure.Bytes(bytes))
			if !move {
				return nil
			}
			did, err := st.Sweep(c.Context(), time.Now(), true)
			if err == nil {
				fmt.Fprintf(c.OutOrStdout(), "%s moved to the trash\n", figure.Plural(did.Moved, "file", "files"))
			}
			return err
		}}
	dataFlag(c.Flags(), &data)
	c.Flags().BoolVar(&move, "move", false, "move them to the trash")
	return c
}
