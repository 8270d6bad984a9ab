package work

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/json"
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"yarvek/core/memo"
	"yarvek/internal/disk"
)

// derivedVersion is the version of everything that is derived outside the stations,
// drawings first of all; raise it when one of them comes out otherwise. What the
// stations make has a version of its own, which their keys carry.
const derivedVersion = 20

// How much is kept of derived data, in bytes.
const (
	derivedKept   = 1 << 30  // in the folder
	derivedAtHand = 64 << 20 // in memory, of what was asked for last
)

// Derived keeps derived data in a folder that may be emptied at any moment, up to a
// limit in bytes; what was used least recently goes first. A file that can't be written
// or read is no error: the data is made again. It is safe for use by several goroutines
// of one process.
type Derived struct {
	dir    string
	limit  int64
	log    *slog.Logger
	atHand *memo.Memo[[]byte]

	mu   sync.Mutex
	size int64 // of the folder, as far as known; -1 before it was looked at

	writing sync.Mutex     // held while a file gets its name
	puts    map[string]int // how often Put wrote a name: what Derive began before that is older
}

// NewDerived keeps about limit bytes in a folder, which is there. log is told what can't
// be kept; nil for nobody.
func NewDerived(dir string, limit int64, log *slog.Logger) *Derived {
	if log == nil {
		log = slog.New(slog.DiscardHandler)
	}
	return &Derived{dir: dir, limit: limit, log: log, size: -1, puts: map[string]int{},
		atHand: memo.New(derivedAtHand, func(b []byte) int64 { return 256 + int64(len(b)) })}
}

// Derive gives derived data of a kind by its key, made by fill when it is not kept.
// Equal keys must mean equal data. Asked for what is being made, it waits for that. An
// error is given on and nothing is kept.
func Derive[T any](ctx context.Context, d *Derived, kind, key string, fill func(context.Context) (T, error)) (T,
	error) {
	var out T
	name := derivedName(kind, key)
	b, err := d.atHand.Get(ctx, name, func(ctx context.Context) ([]byte, error) {
		var kept T // nobody else's: an asker may have left while this goes on
		if b, ok := d.load(name, &kept); ok {
			return b, nil
		}
		before := d.putsOf(name)
		v, err := fill(ctx)
		if err != nil {
			return nil, err
		}
		b, err := json.Marshal(v)
		if err != nil {
			return nil, err
		}
		d.save(name, b, before)
		return b, nil
	})
	if err != nil {
		return out, err
	}
	return out, json.Unmarshal(b, &out)
}

// Kept gives derived data that is kept; it derives nothing.
func Kept[T any](d *Derived, kind, key string) (out T, ok bool) {
	name := derivedName(kind, key)
	if b, ok := d.atHand.Peek(name); ok {
		return out, json.Unmarshal(b, &out) == nil
	}
	b, ok := d.load(name, &out)
	if ok {
		d.atHand.Put(name, b)
	}
	return out, ok
}

// Put keeps derived data of a kind by its key in the place of what is kept there: it became known more of.
func Put[T any](d *Derived, kind, key string, v T) error {
	b, err := json.Marshal(v)
	if err != nil {
		return err
	}
	name := derivedName(kind, key)
	d.atHand.Put(name, b)
	d.save(name, b, putNow)
	return nil
}

// derivedName is the file of derived data.
func derivedName(kind, key string) string {
	sum := sha256.Sum256(fmt.Appendf(nil, "derived %d\n%s\n%s", derivedVersion, kind, key))
	return fmt.Sprintf("%s-%x.json", kind, sum[:16])
}

// load reads a file; one that holds something else than into is as good as none.
func (d *Derived) load(name string, into any) ([]byte, bool) {
	path := filepath.Join(d.dir, name)
	b, err := os.ReadFile(path)
	if err != nil || json.Unmarshal(b, into) != nil {
		return nil, false
	}
	now := time.Now()
	_ = os.Chtimes(path, now, now) // it was used; if not, it only goes sooner
	return b, true
}

// loadBytes reads a file as it is.
func (d *Derived) loadBytes(name string) ([]byte, bool) {
	path := filepath.Join(d.dir, name)
	b, err := os.ReadFile(path)
	if err != nil {
		return nil, false
	}
	now := time.Now()
	_ = os.Chtimes(path, now, now) // it was used; if not, it only goes sooner
	return b, true
}

// save writes a file whole or not at all; that it could not is no error, for it can be
// derived again. What was begun before something was Put in its place, by
// the count of puts then, is older than that and is dropped.
func (d *Derived) save(name string, b []byte, before int) {
	f, err := os.CreateTemp(d.dir, "new-*")
	if err != nil {
		d.log.Warn("derived data can't be kept", "error", err)
		return
	}
	_, werr := f.Write(b)
	cerr := f.Close()
	if err := cmp.Or(werr, cerr); err != nil {
		_ = os.Remove(f.Name())
		d.log.Warn("derived data can't be kept", "error", err)
		return
	}
	if !d.name(f.Name(), name, before) {
		return
	}
	d.mu.Lock()
	defer d.mu.Unlock()
	if d.size >= 0 {
		d.size += int64(len(b))
	}
	if d.size < 0 || d.size > d.limit {
		d.trim()
	}
}

// putNow is the count for what is put itself.
const putNow = -1

func (d *Derived) putsOf(name string) int {
	d.writing.Lock()
	defer d.writing.Unlock()
	return d.puts[name]
}

// name gives a written file its name, and tells whether it did; see save.
func (d *Derived) name(from, name string, before int) bool {
	d.writing.Lock()
	defer d.writing.Unlock()
	switch before {
	case putNow:
		d.puts[name]++
	case d.puts[name]:
	default:
		_ = os.Remove(from)
		return false
	}
	if err := disk.Rename(from, filepath.Join(d.dir, name)); err != nil {
		_ = os.Remove(from)
		d.log.Warn("derived data can't be kept", "error", err)
		return false
	}
	return true
}

// trim looks at the folder and, when it holds more than the limit, deletes what was used
// least recently down to nine tenths of it. The lock is held.
func (d *Derived) trim() {
	type file struct {
		path string
		size int64
		used time.Time
	}
	entries, err := os.ReadDir(d.dir)
	if err != nil {
		return
	}
	var files []file
	d.size = 0
	for _, e := range entries {
		info, err := e.Info()
		if err != nil || !info.Mode().IsRegular() || strings.HasPrefix(e.Name(), "new-") {
			continue
		}
		files = append(files, file{filepath.Join(d.dir, e.Name()), info.Size(), info.ModTime()})
		d.size += info.Size()
	}
	if d.size <= d.limit {
		return
	}
	slices.SortFunc(files, func(a, b file) int { return cmp.Or(a.used.Compare(b.used), cmp.Compare(a.path, b.path)) })
	for _, f := range files {
		if d.size <= d.limit*9/10 {
			return
		}
		if os.Remove(f.path) == nil {
			d.size -= f.size
		}
	}
}
