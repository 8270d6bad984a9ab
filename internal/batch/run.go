package batch

import (
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"

	"os"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"sync"

	"golang.org/x/sync/semaphore"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/target"
	"yarvek/internal/disk"
	"yarvek/internal/outbox"
	"yarvek/internal/report"
)

// Running is how a plan is carried out.
type Running struct {
	Target  target.Target
	Out     string // folder that is written to
	Cache   string // folder of what was made before, which may be shared; "" for one within Out
	Release string // why assets may leave though something of them must be fixed, "" for not
	Dry     bool   // nothing is written: what would be made again is told
	// Progress, which may be nil, is told of each asset when it is done, from several goroutines, one at a time.
	Progress func(done, all int, a report.Asset, made bool)
	// Memory is what assets under way may take together, in bytes, by what each is weighed at; 0 for the usual.
	Memory int64
}

// What an asset is weighed at: so many times its file, and at least so much.
const (
	timesFile   = 64
	leastWeight = 32 << 20
	usualMemory = 3 << 30
)

// stateDir is the folder within Out of what is known of the run before.
const stateDir = ".yarvek"

// kept is what is known of an asset since it was made: what it was made of, and what came of it.
type kept struct {
	Key    string       `json:"key"`    // of all it was made of
	Names  string       `json:"names"`  // digest of the names of what might have belonged to it
	Inputs []stamp      `json:"inputs"` // the files it was made of
	Asset  report.Asset `json:"asset"`
}

// stamp is a file as it was: a file of the same size and time of change is taken for the same, as programs that build
// do.
type stamp struct {
	Name string `json:"name"` // with slashes; below the folder, or of a prep
	Size int64  `json:"size"`
	Time int64  `json:"time"` // nanoseconds since 1970
	SHA  string `json:"sha"`  // "" of one that was not there
}

// Run carries a plan out: all processors, as many assets at once as memory has room for. One that fails is told in the
// report and stops no other. The error is ctx's, or one of the folder that is written to; what was made until then is
// kept.
func (p *Plan) Run(ctx context.Context, o Running) (report.Report, error) {
	r := &runner{Plan: p, Running: o, room: cmp.Or(o.Memory, usualMemory)}
	if o.Cache == "" {
		r.Cache = filepath.Join(o.Out, stateDir, "made")
	}
	if !o.Dry {
		if err := os.MkdirAll(filepath.Join(o.Out, stateDir, "known"), 0o755); err != nil {
			return report.Report{}, err
		}
	}
	out := report.Report{Target: o.Target.Name, Assets: make([]report.Asset, len(p.Tasks))}
	for _, t := range p.Unread {
		out.Assets = append(out.Assets, report.Asset{File: t.File, Status: report.Unread, Error: said(t.Err, "")})
	}
	weights := semaphore.NewWeighted(r.room)
	slots := semaphore.NewWeighted(int64(runtime.GOMAXPROCS(0)))
	var wg sync.WaitGroup
	var mu sync.Mutex
	var failed error
	done := 0
	ctx, stop := context.WithCancel(ctx)
	defer stop()
	for i, t := range p.Tasks {
		w := r.weight(t)
		if slots.Acquire(ctx, 1) != nil {
			break
		}
		if weights.Acquire(ctx, w) != nil {
			slots.Release(1)
			break
		}
		wg.Go(func() {
			defer slots.Release(1)
			defer weights.Release(w)
			a, made, err := r.one(ctx, t)
			mu.Lock()
			defer mu.Unlock()
			if err != nil {
				if failed == nil {
					failed = err
				}
				stop()
				return
			}
			out.Assets[i] = a
			done++
			if o.Progress != nil {
				o.Progress(done, len(p.Tasks), a, made)
			}
		})
	}
	wg.Wait()
	if failed != nil || ctx.Err() != nil {
		return report.Report{}, cmp.Or(failed, ctx.Err())
	}
	out.Sort()
	return out, nil
}

type runner struct {
	*Plan
	Running
	room int64
}

// weight is what a task is weighed at.
func (r *runner) weight(t Task) int64 {
	size := int64(0)
	if info, err := os.Stat(filepath.Join(r.Dir, filepath.FromSlash(t.File))); err == nil {
		size = info.Size()
	}
	return min(r.room, max(leastWeight, timesFile*size))
}

// knownPath is where it is noted what is known of a task.
func (r *runner) knownPath(t Task) string {
	sum := sha256.Sum256([]byte(t.File))
	return filepath.Join(r.Out, stateDir, "known", hex.EncodeToString(sum[:12])+".json")
}

// one makes an asset, or takes what was made of the same before. made tells which.
func (r *runner) one(ctx context.Context, t Task) (a report.Asset, made bool, err error) {
	d, raw, err := r.prepOf(t)
	if err != nil {
		return report.Asset{File: t.File, Preset: t.Preset, Status: report.Unread, Error: said(err, t.File)}, true, nil
	}
	settings := r.settings(t, d, raw)
	names := digest([]byte(strings.Join(r.near(path.Dir(t.File)), "\n")))
	known, there := r.known(t)
	if there && known.Names == names && r.unchanged(known) && known.Key == r.key(settings, known.Inputs) &&
		r.stands(known.Asset) {
		return known.Asset, false, nil
	}
	if r.Dry {
		return report.Asset{File: t.File, Preset: t.Preset, Status: report.Sound}, true, nil
	}
	in := r.input(t)
	inputs := r.inputs(ctx, in)
	key := r.key(settings, inputs)
	// It may have been made of the same: by a run before, or by another machine.
	if a, err := r.fetch(t, key); err == nil {
		return a, false, r.note(t, kept{key, names, inputs, a})
	}
	in.Prep, in.Target, in.Release, in.Shelf = d, r.Target, r.Release, shelf{filepath.Join(r.Cache, "parts")}
	a, p, err := Assess(ctx, in)
	if err != nil {
		return a, true, err
	}
	a.Preset = t.Preset
	var files []bundle.File
	if p != nil {
		files = p.Package.Files
		for _, f := range files {
			a.Files = append(a.Files, report.File{Name: path.Join(path.Dir(t.File), p.Folder, f.Name),
				SHA: digest(f.Data), Size: int64(len(f.Data))})
		}
	}
	if err := r.keep(key, a, files); err != nil {
		return a, true, err
	}
	if err := r.write(t, a, files); err != nil {
		return a, true, err
	}
	return a, true, r.note(t, kept{key, names, inputs, a})
}

// settings are all that counts for an asset besides its files.
func (r *runner) settings(t Task, d prep.Prep, raw []byte) string {
	return fmt.Sprintf("reader %d, rules %d\n%s\n%s\n%s\n%s\n%q\n%q", format.Version, prep.Rules, t.File, d.JSON(), raw,
		r.Target.JSON(), t.Preset, r.Release)
}

// key names what an asset is made of.
func (r *runner) key(settings string, inputs []stamp) string {
	h := sha256.New()
	fmt.Fprintf(h, "%s\n", settings)
	for _, s := range inputs {
		fmt.Fprintf(h, "%q %s\n", s.Name, s.SHA)
	}
	return hex.EncodeToString(h.Sum(nil)[:20])
}

// inputs are the files of an asset: its mesh, and those that belong to it.
func (r *runner) inputs(ctx context.Context, in Input) []stamp {
	names := append([]string{in.Mesh}, format.Companions(ctx, in.Set, in.Mesh)...)
	slices.Sort(names)
	var list []stamp
	for _, name := range slices.Compact(names) {
		s, at := stamp{Name: name}, filepath.Join(r.Dir, filepath.FromSlash(name))
		if info, err := os.Stat(at); err == nil {
			if data, err := os.ReadFile(at); err == nil {
				s.Size, s.Time, s.SHA = info.Size(), info.ModTime().UnixNano(), digest(data)
			}
		}
		list = append(list, s)
	}
	return list
}

// unchanged tells whether the files of an asset are as they were, by size and time.
func (r *runner) unchanged(k kept) bool {
	for _, s := range k.Inputs {
		info, err := os.Stat(filepath.Join(r.Dir, filepath.FromSlash(s.Name)))
		if (err == nil) != (s.SHA != "") || err == nil && (info.Size() != s.Size || info.ModTime().UnixNano() != s.Time) {
			return false
		}
	}
	return len(k.Inputs) > 0
}

// stands tells whether what was written of an asset is there, by its sizes.
func (r *runner) stands(a report.Asset) bool {
	for _, f := range a.Files {
		info, err := os.Stat(filepath.Join(r.Out, filepath.FromSlash(f.Name)))
		if err != nil || info.Size() != f.Size {
			return false
		}
	}
	return true
}

func (r *runner) known(t Task) (k kept, ok bool) {
	b, err := os.ReadFile(r.knownPath(t))
	return k, err == nil && json.Unmarshal(b, &k) == nil && k.Asset.File == t.File
}

func (r *runner) note(t Task, k kept) error {
	if r.Dry {
		return nil
	}
	b, err := json.Marshal(k)
	if err != nil {
		return err
	}
	return put(r.knownPath(t), b)
}

// write puts the files of an asset where they belong, whole or not at all, with its report beside them.
func (r *runner) write(t Task, a report.Asset, files []bundle.File) error {
	if len(files) == 0 {
		return nil
	}
	var list []outbox.File
	for i, f := range files {
		list = append(list, outbox.File{Name: a.Files[i].Name, Data: f.Data})
	}
	b, err := json.MarshalIndent(a, "", "  ")
	if err != nil {
		return err
	}
	beside := strings.TrimSuffix(a.Files[0].Name, path.Ext(a.Files[0].Name)) + ".packing.json"
	list = append(list, outbox.File{Name: beside, Data: append(b, '\n')})
	sum := sha256.Sum256([]byte(t.File))
	return outbox.Write(r.Out, list, hex.EncodeToString(sum[:6]))
}

// keep puts what was made into the cache.
func (r *runner) keep(key string, a report.Asset, files []bundle.File) error {
	dir := filepath.Join(r.Cache, key[:2], key)
	for i, f := range files {
		if err := put(filepath.Join(dir, fmt.Sprint(i)), f.Data); err != nil {
			return err
		}
	}
	b, err := json.Marshal(a)
	if err != nil {
		return err
	}
	return put(filepath.Join(dir, "asset.json"), b) // last: with it all is there
}

// errElse is that what lies in the cache is something else.
var errElse = errors.New("what was made before is not as it was kept")

// fetch takes what was made before out of the cache, and writes it.
func (r *runner) fetch(t Task, key string) (a report.Asset, err error) {
	dir := filepath.Join(r.Cache, key[:2], key)
	b, err := os.ReadFile(filepath.Join(dir, "asset.json"))
	if err != nil {
		return a, err
	}
	if err := json.Unmarshal(b, &a); err != nil {
		return a, err
	}
	var files []bundle.File
	for i, f := range a.Files {
		data, err := os.ReadFile(filepath.Join(dir, fmt.Sprint(i)))
		if err != nil {
			return a, err
		}
		if digest(data) != f.SHA {
			return a, errElse
		}
		files = append(files, bundle.File{Name: f.Name, Data: data})
	}
	return a, r.write(t, a, files)
}

// put writes a file whole or not at all.
func put(file string, data []byte) error {
	dir := filepath.Dir(file)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	f, err := os.CreateTemp(dir, ".part-*")
	if err != nil {
		return err
	}
	_, err = f.Write(data)
	if err = errors.Join(err, f.Chmod(0o644), f.Close()); err == nil {
		err = disk.Rename(f.Name(), file)
	}
	if err != nil {
		_ = os.Remove(f.Name())
	}
	return err
}

func digest(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// shelf keeps what takes long to make as files.
type shelf struct{ dir string }

func (s shelf) path(key string) string {
	k := digest([]byte(key))
	return filepath.Join(s.dir, k[:2], k)
}

// Load gives what is kept under a key; one whose bytes are not as they were kept is none.
func (s shelf) Load(key string) ([]byte, bool) {
	b, err := os.ReadFile(s.path(key))
	if err != nil || len(b) < sha256.Size {
		return nil, false
	}
	sum := sha256.Sum256(b[sha256.Size:])
	return b[sha256.Size:], string(sum[:]) == string(b[:sha256.Size])
}

// Save keeps it; what can't be kept is made again.
func (s shelf) Save(key string, b []byte) {
	sum := sha256.Sum256(b)
	_ = put(s.path(key), append(sum[:], b...))
}

var _ prep.Shelf = shelf{}
