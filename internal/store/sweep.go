package store

import (
	"cmp"
	"context"
	"errors"
	"io/fs"
	"os"
	"path/filepath"
	"slices"
	"time"

	"yarvek/internal/disk"
)

// orphanAge is how old a blob that no row names must be before it is swept. An upload
// under way has its blobs before its rows.
const orphanAge = 24 * time.Hour

// trashAge is how long what was swept can be had back.
const trashAge = 30 * 24 * time.Hour

// dayName is how the trash names its folders.
const dayName = "2006-01-02"

// manyOrphans and manyPart bound a sweep: when more blobs than both allow would go, the
// database is more likely the wrong one than the blobs are of no use.
const (
	manyOrphans = 3
	manyPart    = 0.05 // of all blobs
)

// Swept is what a sweep did.
type Swept struct {
	Blobs   int   // there were
	Orphans int   // old ones that no row names
	Moved   int   // of them, to the trash
	Bytes   int64 // of the orphans
	Back    int   // from the trash, because a row names them
	Dropped int   // from the trash for good
	// Held says why nothing was moved, "" when nothing held it.
	Held string
}

// Orphan is a kept file that no row names and that is old enough to be swept.
type Orphan struct {
	SHA  string
	Size int64
	At   time.Time // when it was put there, or asked for last
}

// Orphans lists them, the largest first.
func (s *Store) Orphans(ctx context.Context, now time.Time) ([]Orphan, error) {
	list, _, err := s.orphans(ctx, now)
	return list, err
}

// orphans is Orphans with how many files there are.
func (s *Store) orphans(ctx context.Context, now time.Time) (list []Orphan, all int, err error) {
	named, err := s.named(ctx)
	if err != nil {
		return nil, 0, err
	}
	files, err := filepath.Glob(filepath.Join(s.dir, "blobs", "??", "*"))
	if err != nil {
		return nil, 0, err
	}
	for _, f := range files {
		sha := filepath.Base(f)
		info, err := os.Stat(f)
		if err == nil && isSHA(sha) && !named[sha] && info.ModTime().Before(now.Add(-orphanAge)) {
			list = append(list, Orphan{sha, info.Size(), info.ModTime()})
		}
	}
	slices.SortFunc(list, func(a, b Orphan) int {
		return cmp.Or(cmp.Compare(b.Size, a.Size), cmp.Compare(a.SHA, b.SHA))
	})
	return list, len(files), nil
}

// Sweep moves files that no row names and that are older than
// a day to the folder trash below the day's date, and drops what has lain there for 30
// days. A database that names no file at all, or that would have more than a few per
// cent of them go, moves nothing unless somebody who saw what would go is sure: it is new, or an older backup, and
// the files may be all there is.
func (s *Store) Sweep(ctx context.Context, now time.Time, sure bool) (Swept, error) {
	var out Swept
	named, err := s.named(ctx)
	if err != nil {
		return out, err
	}
	for sha := range named {
		if _, err := os.Stat(s.blobPath(sha)); os.IsNotExist(err) && s.untrash(sha) == nil {
			out.Back++
		}
	}
	orphans, all, err := s.orphans(ctx, now)
	if err != nil {
		return out, err
	}
	out.Blobs, out.Orphans = all, len(orphans)
	for _, o := range orphans {
		out.Bytes += o.Size
	}
	switch {
	case len(orphans) == 0 || sure:
	case len(named) == 0:
		out.Held = "the database names no file at all, so it is new or not the one that belongs here"
	case len(orphans) > manyOrphans && float64(len(orphans)) > manyPart*float64(all):
		out.Held = "more files than a few per cent would go, so the database may be an older one"
	}
	if out.Held != "" {
		return out, nil
	}
	day := filepath.Join(s.dir, "trash", now.Format(dayName))
	for _, o := range orphans {
		if ctx.Err() != nil {
			return out, ctx.Err()
		}
		if err := s.discard(o.SHA, day); err != nil {
			return out, err
		}
		out.Moved++
	}
	out.Dropped = s.emptyTrash(now)
	return out, nil
}

// discard moves a file to a day of the trash, unless it is on its way in by now, or somebody reads it on a system
// where that holds it: the next sweep comes.
func (s *Store) discard(sha, day string) error {
	s.bringing.Lock()
	defer s.bringing.Unlock()
	if s.held[sha] > 0 {
		return nil
	}
	if err := os.MkdirAll(day, 0o700); err != nil {
		return err
	}
	err := disk.Rename(s.blobPath(sha), filepath.Join(day, sha))
	if errors.Is(err, fs.ErrNotExist) || errors.Is(err, fs.ErrPermission) && s.whole(sha) {
		return nil
	}
	return err
}

// emptyTrash drops the days of the trash that are too long ago, and gives the number of
// files. What is in the trash and is no such day is left.
func (s *Store) emptyTrash(now time.Time) (n int) {
	days, err := os.ReadDir(filepath.Join(s.dir, "trash"))
	if err != nil {
		return 0
	}
	for _, d := range days {
		at, err := time.Parse(dayName, d.Name())
		if err != nil || now.Sub(at) < trashAge {
			continue
		}
		dir := filepath.Join(s.dir, "trash", d.Name())
		files, _ := os.ReadDir(dir)
		for _, f := range files {
			if os.Remove(filepath.Join(dir, f.Name())) == nil {
				n++
			}
		}
		_ = os.Remove(dir) // when nothing is left of it
	}
	return n
}

// untrash puts a blob back where it lay; the error says that it is not in the trash.
func (s *Store) untrash(sha string) error {
	found, err := filepath.Glob(filepath.Join(s.dir, "trash", "*", sha))
	if err != nil || len(found) == 0 {
		return os.ErrNotExist
	}
	path := s.blobPath(sha)
	if err := os.MkdirAll(filepath.Dir(path), 0o700); err != nil {
		return err
	}
	return disk.Rename(found[len(found)-1], path)
}

// naming are the SHA-256 of all rows that name a kept file.
const naming = `SELECT sha FROM revision_files UNION ALL SELECT sha FROM exports
	UNION ALL SELECT sha FROM added_pictures
	UNION ALL SELECT json_extract(f.value, '$.was') FROM placings p, json_each(p.files) f
		WHERE json_extract(f.value, '$.was') <> ''`

// named is the set of blobs that rows name.
func (s *Store) named(ctx context.Context) (map[string]bool, error) {
	rows, err := s.db.QueryContext(ctx, naming)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	named := map[string]bool{}
	for rows.Next() {
		var sha string
		if err := rows.Scan(&sha); err != nil {
			return nil, err
		}
		named[sha] = true
	}
	return named, rows.Err()
}
