package work

import (
	"context"
	"encoding/json"
	"fmt"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/naming"
	"yarvek/core/picture"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/internal/store"
)

// Bounds of a kit's map of slot names.
const (
	mapLines  = 500
	mapLetter = 200
)

// SlotMap is what slots of a kit's assets are called in the receiving project.
func SlotMap(k Kit) ([]outfit.MapLine, error) {
	var list []outfit.MapLine
	if len(k.SlotMap) == 0 {
		return nil, nil
	}
	if err := json.Unmarshal(k.SlotMap, &list); err != nil {
		return nil, fmt.Errorf("the slot names of kit %d: %w", k.ID, err)
	}
	return list, nil
}

// mapArrow stands between a pattern and what it becomes.
const mapArrow = "=>"

// ParseSlotMap reads a map as people write it: a line for each material the project has, and lines such
// as "oak* => wood painted" for names that become one of them.
func ParseSlotMap(text string) ([]outfit.MapLine, error) {
	var list []outfit.MapLine
	for n, line := range strings.Split(text, "\n") {
		line = strings.TrimSpace(strings.ReplaceAll(line, "→", mapArrow))
		if line == "" {
			continue
		}
		from, to, both := strings.Cut(line, mapArrow)
		if !both {
			from, to = "", line
		}
		l := outfit.MapLine{From: strings.TrimSpace(from), To: strings.TrimSpace(to)}
		switch {
		case l.To == "" || both && l.From == "":
			return nil, fault.Input("line %d: “%s” says one name only. Write a name of the project, or a pattern, %s and a "+
				"name", n+1, line,
				mapArrow)
		case len(l.To) > mapLetter || len(l.From) > mapLetter:
			return nil, fault.Input("line %d is longer than %d letters a name", n+1, mapLetter)
		}
		if both {
			if err := (outfit.Rename{Match: l.From, To: l.To}).Validate(); err != nil {
				return nil, fault.Input("line %d: %v", n+1, err)
			}
		}
		if err := naming.Plain(l.From + l.To); err != nil {
			return nil, fault.Input("line %d: %v", n+1, err)
		}
		if list = append(list, l); len(list) > mapLines {
			return nil, fault.Input("more than %d lines are too many for a map of names", mapLines)
		}
	}
	return list, nil
}

// SlotMapText writes a map the way [ParseSlotMap] reads it.
func SlotMapText(list []outfit.MapLine) string {
	var b strings.Builder
	for _, l := range list {
		if l.From != "" {
			b.WriteString(l.From + " " + mapArrow + " ")
		}
		b.WriteString(l.To + "\n")
	}
	return b.String()
}

// SetSlotMap gives a kit its map of slot names.
func (d *Desk) SetSlotMap(ctx context.Context, kit int64, list []outfit.MapLine) error {
	b, err := json.Marshal(list)
	if err != nil {
		return err
	}
	if list == nil {
		b = []byte("[]")
	}
	return d.store.SetSlotMap(ctx, kit, b)
}

// added are the pictures that decisions of a prep ask for.
func (d *Desk) added(ctx context.Context, st store.State, p prep.Prep) ([]scene.Image, error) {
	var list []scene.Image
	for _, f := range st.Added {
		wanted := false
		for _, a := range p.Slots.Assigned {
			wanted = wanted || a.Picture == f.SHA
		}
		if !wanted {
			continue
		}
		b, err := d.blobs.Get(ctx, f.SHA, func(context.Context) ([]byte, error) { return d.keptBytes(f) })
		if err != nil {
			return nil, err
		}
		im := scene.Image{Name: f.Name, Path: f.SHA, Embedded: true, Data: b}
		picture.Describe(&im)
		list = append(list, im)
	}
	return list, nil
}

// roomFor is Room for what is sent to an asset.
func (d *Desk) roomFor(ctx context.Context, asset int64, u *Upload) error {
	a, err := d.store.Asset(ctx, asset)
	if err != nil {
		return err
	}
	return d.Room(ctx, a.KitID, u)
}

// Dropped is a picture that was dropped on a slot, with what it seems to be for.
type Dropped struct {
	Name string
	SHA  string
	texture.Guess
	Why string // it can't be used
}

// AddPictures keeps pictures of an upload with an asset, and tells what each seems to be for. Nothing is
// decided by it. A file that is no picture is told, and not kept.
func (d *Desk) AddPictures(ctx context.Context, asset int64, u *Upload) ([]Dropped, error) {
	if err := d.roomFor(ctx, asset, u); err != nil {
		return nil, err
	}
	var list []Dropped
	var kept []store.File
	for _, f := range u.files {
		b, err := d.keptBytes(f)
		if err != nil {
			return nil, err
		}
		x := Dropped{Name: f.Name, SHA: f.SHA}
		facts := texture.Measure(ctx, b)
		switch mime, w, h := picture.Probe(b); {
		case mime == "" || w < 1 || h < 1:
			x.Why = "is no picture that can be read"
		case facts.Broken != "":
			x.Why = "can’t be opened: " + facts.Broken
		default:
			x.Guess = texture.GuessOf(stem(f.Name), facts)
			kept = append(kept, f)
		}
		list = append(list, x)
	}
	for _, r := range u.Refused {
		list = append(list, Dropped{Name: r.Name, Why: r.Why})
	}
	if len(list) == 0 {
		return nil, fault.Input("no picture was sent")
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	return list, d.store.AddPictures(ctx, asset, kept)
}

// stem is a file's name without its folders and its suffix.
func stem(name string) string {
	name = name[strings.LastIndexByte(name, '/')+1:]
	if i := strings.LastIndexByte(name, '.'); i > 0 {
		return name[:i]
	}
	return name
}
