package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/pflag"

	"yarvek/internal/store"
	"yarvek/internal/work"
)

// rolling is the backups that a server makes by itself.
type rolling struct {
	every span
	keep  int
	to    string
}

// span is a time as it is written on the command line: 12h, 1d, 2w.
type span time.Duration

// Set reads one.
func (s *span) Set(text string) error {
	for suffix, days := range map[string]int{"d": 1, "w": 7} {
		if n, err := strconv.Atoi(strings.TrimSuffix(text, suffix)); err == nil && strings.HasSuffix(text, suffix) {
			*s = span(time.Duration(n*days) * 24 * time.Hour)
			return s.fits(text)
		}
	}
	d, err := time.ParseDuration(text)
	*s = span(d)
	if err != nil {
		return fmt.Errorf("%q is no time: expected one such as 12h, 1d or 2w", text)
	}
	return s.fits(text)
}

// fits refuses what would make backups all the time.
func (s *span) fits(text string) error {
	if time.Duration(*s) < time.Minute {
		return fmt.Errorf("%q is too short: expected a minute at least", text)
	}
	return nil
}

// String writes it.
func (s *span) String() string {
	if *s == 0 {
		return ""
	}
	return time.Duration(*s).String()
}

// Type names what is expected.
func (s *span) Type() string { return "time" }

func (r *rolling) flags(f *pflag.FlagSet) {
	f.Var(&r.every, "backup-every", "how often a backup is made, such as 1d; with --backup-to")
	f.IntVar(&r.keep, "backup-keep", 14, "how many of them are kept")
	f.StringVar(&r.to, "backup-to", "", "folder they are written to, on another disk at best")
}

// check says what is wrong with the flags.
func (r *rolling) check() error {
	switch {
	case (r.every == 0) != (r.to == ""):
		return errors.New("--backup-every and --backup-to go together")
	case r.keep < 1:
		return errors.New("--backup-keep: expected one at least")
	case r.to == "":
		return nil
	}
	return os.MkdirAll(r.to, 0o700)
}

// Their names sort by the moment they were made.
const (
	rollingPrefix = "yarvek-"
	rollingStamp  = "20060102T150405Z"
	rollingSuffix = ".zip"
)

// made lists the backups of the folder, the newest first.
func (r *rolling) made() (names []string) {
	list, _ := os.ReadDir(r.to) // a folder that can't be read has none; writing there tells why
	for _, e := range list {
		if _, err := madeAt(e.Name()); err == nil {
			names = append(names, e.Name())
		}
	}
	slices.Sort(names)
	slices.Reverse(names)
	return names
}

// madeAt is when a backup was made, by its name; the error says that it is none of ours.
func madeAt(name string) (time.Time, error) {
	s, ours := strings.CutPrefix(name, rollingPrefix)
	s, zip := strings.CutSuffix(s, rollingSuffix)
	if !ours || !zip {
		return time.Time{}, errors.New("it is no backup of the server's own")
	}
	return time.Parse(rollingStamp, s)
}

// run makes a backup whenever one is due, until ctx ends. Each takes its turn among the jobs, is read back, and only
// then older ones go.
func (r *rolling) run(ctx context.Context, desk *work.Desk, data string, log *slog.Logger) {
	if r.to == "" {
		return
	}
	for {
		due := time.Now()
		if made := r.made(); len(made) > 0 {
			at, _ := madeAt(made[0]) // it was listed by that
			due = at.Add(time.Duration(r.every))
		}
		select {
		case <-ctx.Done():
			return
		case <-time.After(time.Until(due)):
		}
		job := desk.Jobs.Queue(work.Order{About: "backup", Title: "Backup", Bytes: 256 << 20,
			Run: func(ctx context.Context, _ *work.Job) (any, error) { return nil, r.one(ctx, data, log) }})
		<-job.Done()
		if err := job.State().Err; err != nil {
			log.Error("the backup was not made", "to", r.to, "error", err)
			due = time.Now().Add(min(time.Duration(r.every), time.Hour))
			select {
			case <-ctx.Done():
				return
			case <-time.After(time.Until(due)):
			}
		}
	}
}

// one makes a backup and lets older ones go.
func (r *rolling) one(ctx context.Context, data string, log *slog.Logger) error {
	to := filepath.Join(r.to, rollingPrefix+time.Now().UTC().Format(rollingStamp)+rollingSuffix)
	harmed, err := store.BackupTo(ctx, data, to)
	if err != nil {
		return err
	}
	back, err := store.CheckBackup(ctx, to)
	if err != nil {
		return errors.Join(fmt.Errorf("it was written and can't be read back: %w", err), os.Remove(to))
	}
	if len(harmed) > 0 || !back.Sound() {
		// Older ones may hold what this one does not.
		log.Error("the backup is not whole, so older ones are kept", "file", to, "harmed", len(harmed), "trouble",
			back.Trouble, "rows", len(back.Rows))
		return nil
	}
	log.Info("a backup was made", "file", to)
	var errs []error
	for _, name := range r.made()[min(r.keep, len(r.made())):] {
		errs = append(errs, os.Remove(filepath.Join(r.to, name)))
	}
	return errors.Join(errs...)
}
