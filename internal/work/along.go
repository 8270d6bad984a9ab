package work

import (
	"archive/zip"
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"unicode/utf8"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/station/export"
	"yarvek/core/strict"
	"yarvek/core/target"
	"yarvek/internal/store"
)

// A kit that is taken along is a zip: kit.json says what the kit is, and files/DIGEST are the files it names, each
// once.
const (
	alongList  = "kit.json"
	alongFiles = "files/"
)

// AlongVersion is that of kits that are taken along; one of a later version is refused.
const AlongVersion = 1

// mostAlong bounds the list of a kit that is put in, in bytes.
const mostAlong = 256 << 20

// mostAsset bounds the name of an asset of such a kit, in bytes; intake takes names from files as they come.
const mostAsset = 4096

// along is what kit.json holds.
type along struct {
	Yarvek int         `json:"yarvekKit"` // its version
	Kit    store.Along `json:"kit"`
}

// TakeAlong gathers a kit, and gives what writes it as one file. Every file of it is checked against its digest while
// it is written; where one is damaged the writing breaks off, and the zip has no end.
func (d *Desk) TakeAlong(ctx context.Context, kit int64) (name string, write func(io.Writer) error, err error) {
	k, err := d.store.TakeAlong(ctx, kit)
	if err != nil {
		return "", nil, err
	}
	t, err := target.Kept(k.Target)
	if err != nil {
		return "", nil, err
	}
	k.Target = t.File()
	list, err := json.MarshalIndent(along{AlongVersion, k}, "", " ")
	if err != nil {
		return "", nil, err
	}
	return bundle.Safe(k.Name) + ".kit.zip", func(w io.Writer) error {
		z := zip.NewWriter(w)
		e, err := z.Create(alongList)
		if err == nil {
			_, err = e.Write(list)
		}
		if err != nil {
			return err
		}
		for _, f := range k.Files() {
			if err := cmp.Or(ctx.Err(), d.packed(z, f)); err != nil {
				return err
			}
		}
		return z.Close()
	}, nil
}

// packed writes a kept file into a zip.
func (d *Desk) packed(z *zip.Writer, f store.File) error {
	from, err := d.store.OpenBlob(f.SHA)
	if err != nil {
		return keptFault(f.Name, err)
	}
	defer from.Close()
	e, err := z.Create(alongFiles + f.SHA)
	if err == nil {
		_, err = io.Copy(e, from)
	}
	return err
}

// BringAlong makes a kit of one that was taken along, in the background; the job's outcome is a Kit. What is damaged,
// lacks a file or is of a newer program is refused in words, and changes nothing. It closes the upload.
func (d *Desk) BringAlong(ctx context.Context, u *Upload) (*Job, error) {
	if err := d.Room(ctx, 0, u); err != nil {
		u.Close()
		return nil, err
	}
	return d.Jobs.Queue(Order{Lane: Arriving, About: "kits", Title: "A kit is put in", Person: store.By(ctx),
		Bytes: arrivingTimes << 20,
		Run: func(ctx context.Context, job *Job) (any, error) {
			job.Report("Checking what the kit says", 0)
			k, err := d.readAlong(u)
			if err != nil {
				return nil, err
			}
			job.Report("Putting it in", 0.5)
			return d.store.PutAlong(ctx, k)
		},
		Left: func(bool) { u.Close() }}), nil
}

// readAlong reads and checks all that an upload says of a kit. What comes back holds only what this program knows.
func (d *Desk) readAlong(u *Upload) (out store.Along, err error) {
	if len(u.Refused) > 0 {
		return out, fault.Input("nothing was put in: %s %s", u.Refused[0].Name, u.Refused[0].Why).
			Advise("Take the kit along again where it comes from")
	}
	there, list := map[string]int64{}, ""
	for _, f := range u.files {
		if f.Name == alongList && f.Size <= mostAlong {
			list = f.SHA
		} else if sha, ok := strings.CutPrefix(f.Name, alongFiles); ok {
			if sha != f.SHA {
				return out, fault.Input("nothing was put in: %s is not as it was when the kit was taken along",
					fault.Shown(f.Name)).Advise("Take it along again where it comes from")
			}
			there[sha] = f.Size
		}
	}
	if list == "" {
		return out, fault.Input("nothing was put in: this is no kit that was taken along, which is a zip with %s in it",
			alongList).Advise("Meshes are dropped onto the page of a kit")
	}
	text, err := d.store.Blob(list)
	if err != nil {
		return out, err
	}
	if out, err = parseAlong(text); err != nil {
		return out, fault.Input("nothing was put in: %v", err)
	}
	for _, f := range out.Files() {
		if n, ok := there[f.SHA]; !ok || n != f.Size {
			return out, fault.Input("nothing was put in: %s is not in the kit’s file, or of another size", fault.Shown(f.Name)).
				Advise("Take the kit along again where it comes from")
		}
	}
	return out, nil
}

// parseAlong reads kit.json, and checks each part of it by the reader that part has elsewhere.
func parseAlong(text []byte) (out store.Along, err error) {
	var head struct {
		Yarvek *int `json:"yarvekKit"`
	}
	var f along
	err = strict.Unmarshal(text, &f)
	_ = json.Unmarshal(strict.Bare(text), &head)
	switch {
	case head.Yarvek != nil && *head.Yarvek > AlongVersion:
		return out, fmt.Errorf("it is of version %d, which is newer than this program reads: expected at most %d",
			*head.Yarvek, AlongVersion)
	case err != nil:
		return out, fmt.Errorf("%s: %w", alongList, err)
	case head.Yarvek == nil || *head.Yarvek < 1:
		return out, fmt.Errorf("%s does not say that it is a kit", alongList)
	}
	out = f.Kit
	if out.Name, err = CleanName(out.Name); err != nil {
		return out, err
	}
	t, err := target.Parse(out.Target)
	if err != nil {
		return out, fmt.Errorf("its target: %w", err)
	}
	out.Target = t.JSON()
	if out.Grid != 0 && (out.Grid < gridLeast || out.Grid > gridMost) {
		return out, fmt.Errorf("a grid of %s is out of reach", figure.Length(out.Grid))
	}
	if _, err := SlotMap(Kit{SlotMap: out.SlotMap}); err != nil {
		return out, err
	}
	if out.Budget != nil {
		b, err := parseBudget(out.Budget)
		if err != nil {
			return out, fmt.Errorf("its budget: %w", err)
		}
		if out.Budget, err = json.Marshal(b); err != nil {
			return out, err
		}
	}
	names := map[string]bool{}
	for i := range out.Presets {
		if err := checkPreset(&out.Presets[i], names); err != nil {
			return out, err
		}
	}
	if err := out.Check(); err != nil {
		return out, err
	}
	for i := range out.Assets {
		if err := checkAsset(&out.Assets[i]); err != nil {
			return out, err
		}
	}
	return out, nil
}

// checkPreset checks one of a kit, and that no other has its name.
func checkPreset(p *store.AlongPreset, names map[string]bool) (err error) {
	if p.Name, err = CleanName(p.Name); err != nil {
		return err
	}
	if names[store.Folded(p.Name)] {
		return fmt.Errorf("two of its presets are called “%s”", p.Name)
	}
	names[store.Folded(p.Name)] = true
	var by export.Decisions
	if err := strict.Unmarshal(p.Body, &by); err != nil {
		return fmt.Errorf("the preset “%s”: %w", p.Name, err)
	}
	if err := by.Validate(); err != nil {
		return fmt.Errorf("the preset “%s”: %w", p.Name, err)
	}
	p.Body, err = json.Marshal(by)
	return err
}

// checkAsset checks the names of an asset's files, and its decisions.
func checkAsset(x *store.AlongAsset) (err error) {
	if x.Name == "" || len(x.Name) > mostAsset || !utf8.ValidString(x.Name) {
		return fmt.Errorf("%q is no name of an asset", fault.Shown(x.Name))
	}
	for _, r := range x.Revisions {
		for _, f := range r.Files {
			if clean, err := bundle.Clean(f.Name); err != nil || clean != f.Name {
				return fmt.Errorf("“%s”: %q is no name of a file", x.Name, fault.Shown(f.Name))
			}
		}
	}
	for i := range x.Steps {
		p, err := prep.Parse(x.Steps[i].Prep)
		if err != nil {
			return fmt.Errorf("“%s”, decision %d: %w", x.Name, i+1, err)
		}
		x.Steps[i].Prep = p.JSON()
	}
	return nil
}

// DuplicateKit makes a kit from one, with its assets and their history; its files are kept once.
func (d *Desk) DuplicateKit(ctx context.Context, kit int64) (Kit, error) {
	k, err := d.store.TakeAlong(ctx, kit)
	if err != nil {
		return Kit{}, err
	}
	if k.Name, err = copyName(k.Name); err != nil {
		return Kit{}, err
	}
	return d.store.PutAlong(ctx, k)
}

// DuplicateAssets makes another of each of a kit's assets, with its history, and gives their numbers; all or none.
func (d *Desk) DuplicateAssets(ctx context.Context, kit int64, assets []int64) ([]int64, error) {
	return d.store.DuplicateAssets(ctx, kit, assets, copyName)
}

// RemoveAssets takes assets out of their kit, all or none; each can be put back.
func (d *Desk) RemoveAssets(ctx context.Context, kit int64, assets []int64) error {
	return d.store.RemoveAssets(ctx, kit, assets)
}

// copyName is what a copy is called.
func copyName(name string) (string, error) {
	const behind = " copy"
	if r := []rune(name); len(r) > longestName-len(behind) {
		name = string(r[:longestName-len(behind)])
	}
	return CleanName(name + behind)
}

// MoveAssets puts assets of a kit into another, with their history and what was sent of them.
func (d *Desk) MoveAssets(ctx context.Context, from, to int64, assets []int64) error {
	return d.store.MoveAssets(ctx, from, to, assets, d.Limits.Kit)
}
