package main

import (
	"context"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"yarvek/core/target"
	"yarvek/internal/batch"
	"yarvek/internal/report"
)

// batching is what batch and watch are told.
type batching struct {
	target, preset, preps, out, cache, shard, junit, release string
	dry                                                      bool
}

func (b *batching) flags(c *cobra.Command) {
	c.Flags().StringVar(&b.target, "target", target.Shipped[0].ID, "a target file, or one of "+targetIDs())
	c.Flags().StringVar(&b.preset, "preset", "", "JSON file with how all are sent whose folder names no preset")
	c.Flags().StringVar(&b.preps, "prep-dir", "",
		"folder in which preps lie as the meshes do in DIR; without it beside them")
	c.Flags().StringVarP(&b.out, "out", "o", "", "folder to write to")
	c.Flags().StringVar(&b.cache, "cache", "", "folder of what was made before; several machines may share one")
	c.Flags().StringVar(&b.junit, "junit", "", "file to write the report to as JUnit, besides OUT/report.json")
	c.Flags().StringVar(&b.release, "release", "", "the reason for sending assets although something must be fixed")
	_ = c.MarkFlagRequired("out")
}

// run prepares and sends what lies below a folder, once.
func (b *batching) run(ctx context.Context, w, progress io.Writer, dir string) (report.Report, error) {
	t, err := targetOf(b.target)
	if err != nil {
		return report.Report{}, err
	}
	p, err := batch.New(ctx, dir, batch.Options{Preset: b.preset, PrepDir: b.preps, Out: b.out})
	if err != nil {
		return report.Report{}, err
	}
	name := "report.json"
	if b.shard != "" {
		s, err := batch.ParseShard(b.shard)
		if err != nil {
			return report.Report{}, err
		}
		p.Part(s)
		name = fmt.Sprintf("report-%d-of-%d.json", s.I+1, s.N)
	}
	live := newLive(progress)
	made := 0
	r, err := p.Run(ctx, batch.Running{Target: t, Out: b.out, Cache: b.cache, Release: b.release, Dry: b.dry,
		Progress: func(done, all int, a report.Asset, new bool) {
			if new {
				made++
				if b.dry {
					fmt.Fprintf(w, "would make %s\n", a.File)
				}
			}
			live.say("%d of %d, %s: %s", done, all, a.File, a.Status)
		}})
	live.clear()
	if err != nil || b.dry {
		if b.dry && err == nil {
			fmt.Fprintf(w, "%d of %d would be made, nothing was written\n", made, len(p.Tasks))
		}
		return r, err
	}
	for _, a := range r.Assets {
		if a.Status != report.Sent {
			report.Report{Assets: []report.Asset{a}}.Text(w)
		}
	}
	fmt.Fprintf(w, "%d assets: %d sent, %d held, %d different, %d unread; %d made now\n", len(r.Assets),
		r.Count(report.Sent), r.Count(report.Held), r.Count(report.Different), r.Count(report.Unread), made)
	if err := os.WriteFile(filepath.Join(b.out, name), r.JSON(), 0o644); err != nil {
		return r, err
	}
	return r, b.asJUnit(r)
}

func (b *batching) asJUnit(r report.Report) error {
	if b.junit == "" {
		return nil
	}
	f, err := os.Create(b.junit)
	if err != nil {
		return err
	}
	if err := r.JUnit(f); err != nil {
		_ = f.Close()
		return err
	}
	return f.Close()
}

func batchCommand() *cobra.Command {
	var b batching
	c := &cobra.Command{Use: "batch DIR -o OUT", Args: cobra.ExactArgs(1),
		Short: "Prepare and send all meshes below a folder; only what changed is made again",
		Long: "Each mesh is prepared by the NAME.prep.json beside it or below --prep-dir, by the class, preset and values\n" +
			"that the yarvek.json of its folder or one above it gives, and by --preset; LODs, collision and pictures that\n" +
			"are decided are made. OUT gets the files as the meshes lie in DIR, a packing list each, and report.json.\n" +
			"One that can't be read or is held is named, and the others are done. What was made of the same files,\n" +
			"decisions and target by the same rules is not made again.\n" +
			"Exits with 0 where all was sent, 1 where something must be fixed, 2 where a file can't be read, 3 where one\n" +
			"arrived otherwise.",
		Example: "  yarvek batch props -o build --preset quay.preset.json --junit report.xml\n" +
			"  yarvek batch props -o build --shard 3/16 --cache made\n" +
			"  yarvek batch merge -o build build/report-*-of-16.json",
		RunE: func(c *cobra.Command, args []string) error {
			r, err := b.run(c.Context(), c.OutOrStdout(), c.ErrOrStderr(), args[0])
			if err != nil || b.dry {
				return err
			}
			return ended(r)
		}}
	b.flags(c)
	c.Flags().StringVar(&b.shard, "shard", "", "make a part only, I/N: the same division on every machine")
	c.Flags().BoolVar(&b.dry, "dry-run", false, "say what would be made, and write nothing")
	c.AddCommand(mergeCommand())
	return c
}

func mergeCommand() *cobra.Command {
	var out, junit string
	c := &cobra.Command{Use: "merge REPORT… -o OUT", Args: cobra.MinimumNArgs(1),
		Short: "Put the reports of parts together, as one run would have given them",
		RunE: func(c *cobra.Command, args []string) error {
			var parts []report.Report
			for _, file := range args {
				b, err := os.ReadFile(file)
				if err != nil {
					return err
				}
				r, err := report.Parse(b)
				if err != nil {
					return fmt.Errorf("%s: %w", file, err)
				}
				parts = append(parts, r)
			}
			r, err := report.Merge(parts...)
			if err != nil {
				return err
			}
			if err := os.WriteFile(filepath.Join(out, "report.json"), r.JSON(), 0o644); err != nil {
				return err
			}
			if err := (&batching{junit: junit}).asJUnit(r); err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "%d assets of %d parts\n", len(r.Assets), len(parts))
			return ended(r)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "folder to write report.json to")
	c.Flags().StringVar(&junit, "junit", "", "file to write the report to as JUnit")
	_ = c.MarkFlagRequired("out")
	return c
}

// settled is how long nothing may have changed before a watched folder is sent.
const settled = time.Second

func watchCommand() *cobra.Command {
	var b batching
	var every time.Duration
	c := &cobra.Command{Use: "watch DIR -o OUT", Args: cobra.ExactArgs(1),
		Short: "As batch, whenever a file below the folder has settled, until it is ended",
		Long: "Looks at the folder every --every; once nothing changed for a second, what did change is prepared and\n" +
			"sent. A folder is looked at rather than listened to, so that shared and mounted ones are seen too.",
		RunE: func(c *cobra.Command, args []string) error {
			last, sent := "", ""
			for {
				now, err := looksLike(args[0], b.out)
				if err != nil {
					return err
				}
				if now == last && now != sent {
					if _, err := b.run(c.Context(), c.OutOrStdout(), io.Discard, args[0]); err != nil {
						if c.Context().Err() != nil {
							return nil
						}
						fmt.Fprintln(c.ErrOrStderr(), "yarvek:", err)
					}
					sent = now
				}
				last = now
				select {
				case <-c.Context().Done():
					return nil
				case <-time.After(max(every, settled)):
				}
			}
		}}
	b.flags(c)
	c.Flags().DurationVar(&every, "every", 2*time.Second, "how often it looks; at least a second")
	return c
}

// looksLike names a folder as it is: files with their sizes and times.
func looksLike(dir, out string) (string, error) {
	outAbs, err := filepath.Abs(out)
	if err != nil {
		return "", err
	}
	var s strings.Builder
	err = filepath.Walk(dir, func(p string, info os.FileInfo, err error) error {
		if err != nil {
			if p == dir {
				return err
			}
			return nil // it may have gone meanwhile
		}
		if abs, _ := filepath.Abs(p); info.IsDir() && abs == outAbs {
			return filepath.SkipDir
		}
		if info.Mode().IsRegular() {
			fmt.Fprintf(&s, "%q %d %d\n", p, info.Size(), info.ModTime().UnixNano())
		}
		return nil
	})
	return s.String(), err
}

// live is a line of a terminal that is written over; of anything else it is nothing.
type live struct {
	w    io.Writer
	on   bool
	last time.Time
}

func newLive(w io.Writer) *live {
	f, ok := w.(*os.File)
	return &live{w: w, on: ok && term.IsTerminal(int(f.Fd()))}
}

func (l *live) say(format string, args ...any) {
	if l.on && time.Since(l.last) > 100*time.Millisecond {
		l.last = time.Now()
		fmt.Fprintf(l.w, "\r\x1b[K"+format, args...)
	}
}

func (l *live) clear() {
	if l.on {
		fmt.Fprint(l.w, "\r\x1b[K")
	}
}
