// Package batch prepares and sends all meshes below a folder, on a build machine or by hand, as the pages do: prep,
// class and preset come from files beside them. What did not change since a run before is not made again; what is made
// may be shared between machines that know nothing of one another.
package batch

import (
	"cmp"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"hash/fnv"
	"io/fs"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strconv"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/station/export"
	"yarvek/core/strict"
)

// SettingsName is the file of a folder that says how what lies in it and below it is sent.
const SettingsName = "yarvek.json"

// prepSuffix is that of a prep beside its mesh: hut.fbx has hut.prep.json.
const prepSuffix = ".prep.json"

// How much of a folder is looked at.
const (
	maxFiles = 1 << 20
	maxDeep  = 32
)

// Settings are those of a folder; what it does not say, the one above it does.
type Settings struct {
	Yarvek int    `json:"yarvekFolder"`     // version, 1
	Class  string `json:"class,omitempty"`  // ID of the target's class
	Preset string `json:"preset,omitempty"` // a preset file, by its path from this folder
	// Decide are values that are decided for all, such as "size.reads=cm", before the prep of each.
	Decide []string `json:"decide,omitempty"`
}

// Task is one mesh that is to be sent.
type Task struct {
	File   string // below the folder, with slashes
	Name   string // of the asset
	Class  string
	Preset string // name of the preset, "" for none
	Decide []string
	Prep   string // path of its prep, "" for none

	send  export.Decisions
	wrong error // why it can't be sent: what lies beside it can't be read
}

// Plan is what is to be done below a folder.
type Plan struct {
	Dir     string
	Tasks   []Task              // by file
	beside  map[string][]string // by folder, the files in it that are no meshes, with slashes below Dir
	Unread  []Trouble           // folders that can't be read
	PrepDir string
}

// Trouble is something that can't be read.
type Trouble struct {
	File string
	Err  error
}

// Options are what a plan is made by.
type Options struct {
	Preset  string // a preset file for all whose folder names none, "" for none
	PrepDir string // where preps lie as the meshes do below the folder, "" for beside them
	Out     string // a folder that is not looked into, since it is written to; "" for none
}

// New plans what is to be done below a folder. Files that others there are put together of are no tasks. An error is
// one of the folder itself or of the options, or ctx's; what is wrong below it is told task by task.
func New(ctx context.Context, dir string, o Options) (*Plan, error) {
	p := &Plan{Dir: dir, beside: map[string][]string{}, PrepDir: o.PrepDir}
	if info, err := os.Stat(dir); err != nil {
		return nil, err
	} else if !info.IsDir() {
		return nil, fault.Input("%s is no folder", dir)
	}
	first := folder{}
	if o.Preset != "" {
		if first.name, first.send, first.wrong = readPreset(o.Preset); first.wrong != nil {
			return nil, first.wrong
		}
	}
	out, _ := filepath.Abs(o.Out)
	folders, n := map[string]folder{}, 0
	err := filepath.WalkDir(dir, func(at string, d fs.DirEntry, err error) error {
		rel, relErr := filepath.Rel(dir, at)
		if relErr != nil {
			return relErr
		}
		name := filepath.ToSlash(rel)
		if err != nil {
			p.Unread = append(p.Unread, Trouble{name, err})
			return nil
		}
		if n++; n > maxFiles {
			return fault.New(fault.Limit, "%s holds more than %d files: name a folder within it", dir, maxFiles)
		}
		if d.IsDir() {
			abs, _ := filepath.Abs(at)
			if name != "." && (strings.HasPrefix(d.Name(), ".") || strings.Count(name, "/") > maxDeep) ||
				o.Out != "" && abs == out {
				return filepath.SkipDir
			}
			above, ok := folders[path.Dir(name)]
			if !ok || name == "." {
				above = first
			}
			folders[name] = above.at(at, name)
			return nil
		}
		if !d.Type().IsRegular() || strings.HasPrefix(d.Name(), ".") {
			return nil
		}
		p.add(name, folders[path.Dir(name)])
		return nil
	})
	slices.SortFunc(p.Tasks, func(a, b Task) int { return strings.Compare(a.File, b.File) })
	p.join(ctx)
	taken := map[string]bool{} // hut.fbx and hut.obj are two assets
	for i := range p.Tasks {
		t := &p.Tasks[i]
		t.Name = strings.TrimSuffix(path.Base(t.File), path.Ext(t.File))
		k := strings.ToLower(path.Join(path.Dir(t.File), t.Name))
		if taken[k] {
			t.Name += " " + strings.TrimPrefix(path.Ext(t.File), ".")
		}
		taken[k] = true
	}
	return p, cmp.Or(err, ctx.Err())
}

// join takes the tasks out that are parts of others; they lie beside these then.
func (p *Plan) join(ctx context.Context) {
	var files []bundle.File
	var names []string
	for _, t := range p.Tasks {
		if format.Layered(t.File) {
			files, names = append(files, bundle.File{Name: t.File, Load: p.load(t.File)}), append(names, t.File)
		}
	}
	parts := map[string]bool{}
	if len(files) > 1 {
		parts = format.Parts(ctx, bundle.New(files), names)
	}
	p.Tasks = slices.DeleteFunc(p.Tasks, func(t Task) bool {
		if parts[t.File] {
			p.beside[path.Dir(t.File)] = append(p.beside[path.Dir(t.File)], t.File)
		}
		return parts[t.File]
	})
}

// load opens a file below the folder.
func (p *Plan) load(name string) func() ([]byte, error) {
	return func() ([]byte, error) { return os.ReadFile(filepath.Join(p.Dir, filepath.FromSlash(name))) }
}

// add takes a file into the plan: a mesh as a task, any other as what may belong to one.
func (p *Plan) add(name string, in folder) {
	if !format.IsMesh(name) {
		p.beside[path.Dir(name)] = append(p.beside[path.Dir(name)], name)
		return
	}
	t := Task{File: name, Class: in.class, Preset: in.name, Decide: in.decide, send: in.send, wrong: in.wrong}
	for _, root := range []string{p.PrepDir, p.Dir} {
		at := filepath.Join(root, filepath.FromSlash(strings.TrimSuffix(name, path.Ext(name))+prepSuffix))
		if root == "" {
			continue
		}
		if _, err := os.Stat(at); err == nil {
			t.Prep = at
			break
		} else if !errors.Is(err, fs.ErrNotExist) && t.wrong == nil {
			t.wrong = err
		}
	}
	p.Tasks = append(p.Tasks, t)
}

// folder is what counts in one.
type folder struct {
	class, name string
	send        export.Decisions
	decide      []string
	wrong       error
}

// at is what counts in a folder below, which the plan knows by a name.
func (f folder) at(dir, name string) folder {
	b, err := os.ReadFile(filepath.Join(dir, SettingsName))
	if errors.Is(err, fs.ErrNotExist) {
		return f
	}
	var s Settings
	if err == nil {
		err = strict.Unmarshal(b, &s)
	}
	var head struct {
		Yarvek *int `json:"yarvekFolder"`
	}
	_ = json.Unmarshal(strict.Bare(b), &head)
	switch {
	case head.Yarvek != nil && *head.Yarvek > 1:
		err = fmt.Errorf("version %d is newer than this program reads: expected at most 1", *head.Yarvek)
	case err == nil && s.Yarvek != 1:
		err = errors.New("it has no yarvekFolder of 1: this says nothing of a folder")
	}
	if err != nil {
		f.wrong = fault.Input("%s: %v", path.Join(name, SettingsName), err)
		return f
	}
	f.class = cmp.Or(s.Class, f.class)
	f.decide = append(slices.Clone(f.decide), s.Decide...)
	if s.Preset != "" {
		f.name, f.send, f.wrong = readPreset(filepath.Join(dir, filepath.FromSlash(s.Preset)))
	}
	return f
}

// readPreset reads a preset file.
func readPreset(file string) (name string, by export.Decisions, err error) {
	b, err := os.ReadFile(file)
	if err != nil {
		return "", by, err
	}
	if name, by, err = export.ParsePreset(b); err != nil {
		return "", by, fmt.Errorf("%s: %w", filepath.Base(file), err)
	}
	return name, by, nil
}

// Shard is a part of a plan: the I-th of N, from 0 on.
type Shard struct{ I, N int }

// ParseShard reads "3/16", the third of sixteen.
func ParseShard(s string) (Shard, error) {
	a, b, ok := strings.Cut(s, "/")
	i, err1 := strconv.Atoi(a)
	n, err2 := strconv.Atoi(b)
	if !ok || err1 != nil || err2 != nil || n < 1 || i < 1 || i > n || n > 1<<20 {
		return Shard{}, fault.Input("%q is no part: expected I/N, such as 3/16 for the third of sixteen", s)
	}
	return Shard{i - 1, n}, nil
}

// Part leaves the tasks of a shard. The division is by the names of files alone, so that machines which see the same
// folder divide it alike.
func (p *Plan) Part(s Shard) {
	if s.N <= 1 {
		return
	}
	p.Tasks = slices.DeleteFunc(p.Tasks, func(t Task) bool {
		h := fnv.New64a()
		_, _ = h.Write([]byte(t.File)) // never fails
		return int(h.Sum64()%uint64(s.N)) != s.I
	})
	if s.I > 0 { // folders that can't be read are told once
		p.Unread = nil
	}
}
