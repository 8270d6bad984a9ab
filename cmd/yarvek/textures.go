package main

import (
	"bytes"
	"cmp"
	"encoding/json"
	"errors"
	"fmt"
	"path"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"yarvek/core/deliver"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/picture"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/station/slots"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

// textured is what textures answers. Memory is in bytes.
type textured struct {
	Pictures  []pictured `json:"pictures"`
	Slots     int        `json:"slots"`
	DrawCalls change     `json:"drawCalls"`
	Disk      change     `json:"disk"`
	Blocks    change     `json:"blocks"` // in graphics memory, in blocks of sixteen bytes, with mips
	Plain     change     `json:"plain"`  // as they are, with mips
	Ms        int64      `json:"ms"`     // looking at the pictures, and making those that leave
}

type change struct {
	Before int64 `json:"before"`
	After  int64 `json:"after"`
}

// pictured is a picture that leaves.
type pictured struct {
	Name    string   `json:"name"`
	File    string   `json:"file,omitempty"`   // that was written, unless it is in the mesh's own
	Format  string   `json:"format,omitempty"` // as which it was written, a MIME type
	Of      []string `json:"of"`               // the files' own
	Uses    []string `json:"uses"`
	Done    string   `json:"done,omitempty"` // in words
	Width   int      `json:"width"`
	Height  int      `json:"height"`
	Bytes   int      `json:"bytes"`
	Green   string   `json:"green,omitempty"`   // which way it points as it leaves, of a normal map
	Failed  string   `json:"failed,omitempty"`  // why it leaves as it came
	Missing bool     `json:"missing,omitempty"` // there is no file

	mime string // as which it was made
}

func texturesCommand() *cobra.Command {
	var out, mesh string
	var a asked
	var by textureFlags
	c := &cobra.Command{Use: "textures FILE|ZIP -o OUT.(obj|glb|gltf|fbx)", Args: cobra.ExactArgs(1),
		Short: "Make the pictures of a mesh file what a receiver wants, and say what was done to each",
		Long: "Prints one JSON object: each picture that leaves, what it was made of and what was done to it, slots and " +
			"draw calls, and\n" +
			"bytes before and after. Green of normal maps is turned where it points the other way, and left where that can't " +
			"be told. With\n" +
			"--sheet slots whose UVs lie within 0 to 1 get one sheet for each role and become one slot; those that can't are " +
			"named on the\n" +
			"error stream. A short form of prepare: --set says the rest, as --set quality=80 or --set roles=normal.",
		RunE: func(c *cobra.Command, args []string) error {
			d, err := by.decided(a)
			if err != nil {
				return err
			}
			return texturesFile(c, args[0], mesh, out, d, by)
		}}
	c.Flags().StringVarP(&out, "out", "o", "",
		"file to write; its suffix chooses the format, and pictures stand beside it")
	c.Flags().IntVar(&by.most, "max", 0, "pixels a side; larger pictures are halved until they are no larger")
	c.Flags().BoolVar(&by.pot, "pot", false, "sides to the nearest power of two")
	c.Flags().StringVar(&by.green, "green", "", "which way green of normal maps is to point: up or down")
	c.Flags().StringVar(&by.pack, "pack", "",
		"ORM for occlusion, roughness and metallic in one picture, apart for each in its own")
	c.Flags().StringVar(&by.formats, "format", "",
		"png, jpeg, webp or tga for all pictures, or target for its formats by role")
	c.Flags().BoolVar(&by.sheet, "sheet", false, "one sheet for all slots that can be on one")
	c.Flags().StringArrayVar(&by.slots, "sheet-slot", nil,
		"put this slot on the sheet, instead of all; may be given again")
	a.flags(c, slots.Info.ID)
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	_ = c.MarkFlagRequired("out")
	return c
}

// textureFlags are those of textures that say in fewer words what --set says too, and the sheet.
type textureFlags struct {
	most                 int
	green, pack, formats string
	pot, sheet           bool
	slots                []string
}

// decided are the decisions that flags, a prep and values on top come to.
func (by textureFlags) decided(a asked) (slots.Decisions, error) {
	var sets []string
	for _, x := range []struct {
		yes         bool
		name, value string
	}{{by.most != 0, "most", strconv.Itoa(by.most)}, {by.pot, "power", "nearest"}, {by.green != "", "green", by.green},
		{by.pack != "", "pack", strings.ToLower(by.pack)}, {by.formats != "", "formats", by.formats}} {
		if x.yes {
			sets = append(sets, slots.Info.ID+"."+x.name+"="+x.value)
		}
	}
	p, err := asked{file: a.file, sets: append(sets, a.sets...)}.decided(slots.Info.ID)
	return p.Slots, err
}

func texturesFile(c *cobra.Command, file, mesh, out string, d slots.Decisions, by textureFlags) error {
	f, m, err := readFor(c.Context(), out, file, mesh)
	if err != nil {
		return err
	}
	defer m.close()
	s := m.scene
	if one, err := by.sheetOf(s); err != nil {
		return err
	} else if len(one.Slots) > 1 {
		d.Sheets = append(d.Sheets, one)
	}
	began := time.Now()
	s, r, err := slots.Do(c.Context(), s, nil, d, outfit.Ask{Target: ownFrame(s)}, class.Unsorted)
	if err != nil {
		return err
	}
	a := textured{Pictures: []pictured{}, Slots: len(s.UsedMaterials()), DrawCalls: change{int64(r.Were), int64(r.Calls)},
		Disk:   change{r.Had.Disk, r.Memory.Disk},
		Blocks: change{r.Had.Blocks, r.Memory.Blocks}, Plain: change{r.Had.Plain, r.Memory.Plain},
		Ms: time.Since(began).Milliseconds()}
	for _, x := range r.Pictures {
		p := pictured{Of: []string{}, Name: x.Image.Name, Done: x.Does(), Width: x.W, Height: x.H, Bytes: len(x.Image.Data),
			Failed:  x.Why,
			Missing: !x.Image.Found(), mime: x.Image.MIME}
		for _, w := range x.Was {
			p.Of = append(p.Of, w.Key)
		}
		for _, w := range x.Was {
			if p.Failed == "" && w.Facts.Broken != "" {
				p.Failed = w.Facts.Broken
			}
		}
		normal := false
		for _, u := range x.Uses {
			p.Uses = append(p.Uses, u.String())
			normal = normal || u == scene.UseNormal
		}
		if normal && x.Recipe.Sheet == nil {
			p.Green = x.Green.String()
		}
		a.Pictures = append(a.Pictures, p)
	}
	to := ownFrame(s)
	if d.Pictures.Formats == string(texture.WebP) { // whoever asks for it reads it
		to.Textures.Formats = map[string]string{"colour": d.Pictures.Formats}
	}
	sent, differs := sendAs(c, s, f, out, to)
	if differs != nil && !errors.Is(differs, errDifferent) {
		return differs
	}
	if err := a.written(c, sent); err != nil {
		return err
	}
	for i, x := range r.Pictures {
		at := slices.IndexFunc(sent.Files, func(f bundle.File) bool { return bytes.Equal(f.Data, x.Image.Data) })
		if at > 0 && x.Image.Found() {
			a.Pictures[i].File = sent.Files[at].Name
		}
	}
	for _, x := range r.Findings() {
		if x.Code == "slots/not-on-sheet" || x.Code == "slots/no-sheet" {
			fmt.Fprintf(c.ErrOrStderr(), "%s: %s\n", x.Title, x.Text)
		}
	}
	return cmp.Or(answer(c, a), differs)
}

// sheetOf is the sheet of the slots that were named, or of all that are used.
func (by textureFlags) sheetOf(s *scene.Scene) (one outfit.Sheet, err error) {
	if !by.sheet && len(by.slots) == 0 {
		return one, nil
	}
	keys := s.MaterialKeys()
	for _, i := range s.UsedMaterials() {
		if i >= 0 && (len(by.slots) == 0 || slices.Contains(by.slots, keys[i])) {
			one.Slots = append(one.Slots, keys[i])
		}
	}
	for _, name := range by.slots {
		if !slices.Contains(one.Slots, name) {
			return one, noSlot(s, name)
		}
	}
	return one, nil
}

// written says as what each picture was written, by reading the files back: a format may take fewer formats of
// pictures than there are.
func (a *textured) written(c *cobra.Command, sent *pack.Package) error {
	got, _, err := format.Read(c.Context(), bundle.New(sent.Files), sent.Files[0].Name, nil)
	if err != nil {
		return err
	}
	plain := func(name string) string { return strings.TrimSuffix(name, path.Ext(name)) }
	for i := range a.Pictures {
		p := &a.Pictures[i]
		at := slices.IndexFunc(got.Images, func(im scene.Image) bool {
			return im.Found() &&
				plain(im.Name) == plain(p.Name)
		})
		if at < 0 || p.Missing {
			continue
		}
		im := got.Images[at]
		p.Format = im.MIME
		if want := p.mime; want != "" && want != im.MIME {
			say := fmt.Sprintf("written as %s: %s can't be written in this format", strings.TrimPrefix(im.MIME, "image/"),
				strings.TrimPrefix(want, "image/"))
			p.Bytes, p.Name = len(im.Data), plain(p.Name)+picture.Suffix(im.MIME)
			p.Done = strings.TrimPrefix(p.Done+", "+say, ", ")
		}
	}
	return nil
}

// sendAs writes a scene in the axes and the unit of its file, and says what the format can't hold.
func sendAs(c *cobra.Command, s *scene.Scene, f format.Format, out string, to target.Target) (*pack.Package, error) {
	p, err := deliver.Make(c.Context(), deliver.Order{Delivery: scene.Delivery{Scene: s},
		Decisions: export.Decisions{Format: f.ID},
		Asset:     bareName(out),
		Target:    to})
	if err != nil {
		return nil, err
	}
	if err := writeAll(p.Package, out, quietly); err != nil {
		return nil, err
	}
	for _, ch := range p.Package.Changes {
		fmt.Fprintf(c.ErrOrStderr(), "changed: %s: %s\n", ch.What, ch.Why)
	}
	return p.Package, certified(c.ErrOrStderr(), p.Certificate)
}

// answer prints an answer as one line of JSON.
func answer(c *cobra.Command, what any) error {
	enc := json.NewEncoder(c.OutOrStdout())
	enc.SetEscapeHTML(false)
	return enc.Encode(what)
}
