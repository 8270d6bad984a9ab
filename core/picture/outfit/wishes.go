package outfit

import (
	"fmt"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
)

// Wishes change slots, then pictures. Everything is done in the order of the fields.
type Wishes struct {
	Drop     bool       `json:"drop,omitempty"`     // materials no face uses stay behind
	Moves    []Move     `json:"moves,omitempty"`    // faces that get another slot
	Joins    []Join     `json:"joins,omitempty"`    // slots that become others
	Order    []string   `json:"order,omitempty"`    // which come first; the others follow as they are
	Names    []Name     `json:"names,omitempty"`    // names of single slots
	Rename   []Rename   `json:"rename,omitempty"`   // names by pattern, in order, before those of single slots
	Clean    bool       `json:"clean,omitempty"`    // names as the target's rule has them
	Unmapped bool       `json:"unmapped,omitempty"` // the kit's map of names is not used
	Bare     bool       `json:"bare,omitempty"`     // names without values and pictures
	Looks    []Look     `json:"looks,omitempty"`
	Assigned []Assigned `json:"assigned,omitempty"`
	Pictures Pictures   `json:"pictures,omitzero"`
	Own      []Own      `json:"own,omitempty"` // what differs for single pictures
	Sheets   []Sheet    `json:"sheets,omitempty"`
	Light    Light      `json:"light,omitzero"`
}

// Reach is how far a choice of faces goes from the one that was picked.
type Reach string

// The reaches.
const (
	OneFace Reach = "face"
	Flat    Reach = "flat"  // its neighbours in its plane, and theirs
	Part    Reach = "part"  // what hangs together with it
	Chart   Reach = "chart" // what hangs together with it on the first UV set
)

// NamedReach is a reach and what it is called.
type NamedReach struct {
	ID   Reach
	Name string
}

// Reaches lists them in words.
var Reaches = []NamedReach{{Part, "the part"}, {Flat, "flat faces beside it"}, {Chart, "the UV chart"},
	{OneFace, "the one face"}}

// Move gives faces another slot: those of From, on Node or below it, or round places that were picked. What
// is not said is not asked for.
type Move struct {
	To    string      `json:"to"` // the key of a slot, or the name of a new one
	From  string      `json:"from,omitempty"`
	Node  string      `json:"node,omitempty"`
	At    []geom.Vec3 `json:"at,omitempty"` // as Source leaves the scene
	Reach Reach       `json:"reach,omitempty"`
}

// Join has a slot become another one, or faces without a slot one.
type Join struct {
	Slot string `json:"slot"`
	Into string `json:"into"`
}

// Name is what a slot is called.
type Name struct {
	Slot string `json:"slot"`
	To   string `json:"to"`
}

// Rename gives every slot whose name matches a new one; see package naming.
type Rename struct {
	Match string `json:"match"`
	To    string `json:"to"`
}

// Validate tells what is wrong with it.
func (r Rename) Validate() error {
	if _, err := naming.Parse(r.Match); err != nil {
		return err
	}
	return naming.Check(r.To)
}

// Look changes how a slot's material is drawn.
type Look struct {
	Slot  string          `json:"slot"`
	Alpha scene.AlphaMode `json:"alpha,omitempty"` // "" as it is
	Sides int             `json:"sides,omitempty"` // 1 or 2, 0 as it is
}

// Assigned puts a picture that was added into a material, or takes one out.
type Assigned struct {
	Slot    string    `json:"slot"`
	Use     scene.Use `json:"use"`
	Picture string    `json:"picture,omitempty"` // SHA-256 of its bytes; "" takes out what is there
	Invert  bool      `json:"invert,omitempty"`  // gloss for roughness
	Packed  bool      `json:"packed,omitempty"`  // occlusion, roughness and metallic in red, green and blue
}

// Pictures is what is done to all of them.
type Pictures struct {
	Most    int    `json:"most,omitempty"`  // pixels a side, 0 for any number
	Power   string `json:"power,omitempty"` // sides to a power of two: down, up or nearest
	Green   string `json:"green,omitempty"` // of normal maps: up or down
	Pack    string `json:"pack,omitempty"`  // orm or apart
	Eight   bool   `json:"eight,omitempty"`
	Strip   bool   `json:"strip,omitempty"`
	Quality int    `json:"quality,omitempty"` // of JPEG
	Names   bool   `json:"names,omitempty"`   // by the target's pattern
	// Formats has those of the target, or one for all.
	Formats string `json:"formats,omitempty"` // target, png, jpeg, webp or tga
	// Roles are those that Most is for, all when there are none; the pictures of Without leave values.
	Roles   []string `json:"roles,omitempty"`
	Without []string `json:"without,omitempty"`
}

// Own is what one picture is, or gets besides.
type Own struct {
	Picture string  `json:"picture"`         // its key
	Green   string  `json:"green,omitempty"` // which way it points now, where that can't be told: up or down
	Width   int     `json:"width,omitempty"`
	Height  int     `json:"height,omitempty"`
	Invert  bool    `json:"invert,omitempty"` // gloss becomes roughness
	Deep    float64 `json:"deep,omitempty"`   // a height becomes a normal map, so many texels deep
	Format  string  `json:"format,omitempty"`
	// As takes a picture that came as heights for what it is: normal.
	As string `json:"as,omitempty"`
	// Name is what it is called as it leaves by itself, without a suffix; "" for its own.
	Name string `json:"name,omitempty"`
}

// AsNormal is what [Own.As] may say.
const AsNormal = "normal"

// Sheet lays the pictures of slots side by side on one, and makes them one slot.
type Sheet struct {
	Slots   []string `json:"slots"`
	Name    string   `json:"name,omitempty"`    // of the slot; "" for the first one's
	Most    int      `json:"most,omitempty"`    // texels a side; 0 for the target's
	Padding int      `json:"padding,omitempty"` // texels; 0 for the usual
	AsIs    bool     `json:"asIs,omitempty"`    // pictures keep their sizes; else by how much surface they cover
}

// UsualPadding is the padding of a sheet nobody says, in texels.
const UsualPadding = 8

// Light is a UV set for light, without overlap.
type Light struct {
	Size    int      `json:"size,omitempty"` // texels a side; 0 for none
	Padding int      `json:"padding,omitempty"`
	Name    string   `json:"name,omitempty"`
	Slots   []string `json:"slots,omitempty"` // those that get room on it; all when there are none
	Again   bool     `json:"again,omitempty"` // even where a fit one is there
}

// The usual light set.
const (
	UsualLightSize    = 1024
	UsualLightPadding = 4
	UsualLightName    = "light"
)

// Bounds of what can be decided.
const (
	MostSide    = 16384
	MostPadding = 64
	maxOnSheet  = 64
	MostName    = 200
)

// Roles are the words for what a picture does, by use: the target's own.
var Roles = [scene.Uses]string{scene.UseBaseColor: "colour", scene.UseMetallic: "metal", scene.UseRoughness: "rough",
	scene.UseNormal: "normal", scene.UseOcclusion: "shade", scene.UseEmissive: "glow", scene.UseOpacity: "opacity",
	scene.UseHeight: "height", scene.UseSpecular: "specular"}

// roleWords lists roles as people call them.
func roleWords(roles []string) string {
	words := make([]string, len(roles))
	for i, r := range roles {
		if words[i] = r; slices.Contains(Roles[:], r) {
			words[i] = scene.Use(slices.Index(Roles[:], r)).String()
		}
	}
	return strings.Join(words, ", ")
}

// UseOf finds a use by its role.
func UseOf(role string) (scene.Use, bool) {
	i := slices.Index(Roles[:], role)
	return scene.Use(max(i, 0)), i >= 0
}

func oneOf(s string, list ...string) bool { return s == "" || slices.Contains(list, s) }

// Validate checks a move of faces.
func (m Move) Validate() error {
	switch {
	case m.To == "" || len(m.To) > MostName:
		return fmt.Errorf("faces need a slot to go to, with a name of up to %d letters", MostName)
	case m.From == "" && m.Node == "" && len(m.At) == 0:
		return fmt.Errorf("no faces were chosen for “%s”", m.To)
	case len(m.At) > 0 && !slices.ContainsFunc(Reaches, func(r NamedReach) bool { return r.ID == m.Reach }):
		return fmt.Errorf("%q is no choice of faces: expected face, flat, part or chart", m.Reach)
	case slices.ContainsFunc(m.At, func(p geom.Vec3) bool { return !p.IsFinite() }):
		return fmt.Errorf("a place for “%s” is none", m.To)
	}
	return nil
}

// Validate checks a join.
func (j Join) Validate() error {
	if j.Slot == j.Into || j.Into == "" || j.Slot == "" {
		return fmt.Errorf("slot “%s” can't become “%s”", j.Slot, j.Into)
	}
	return nil
}

// Validate checks a name.
func (n Name) Validate() error {
	if strings.TrimSpace(n.To) == "" || len(n.To) > MostName {
		return fmt.Errorf("slot “%s” needs a name of 1 to %d letters", n.Slot, MostName)
	}
	return nil
}

// Validate checks a look.
func (l Look) Validate() error {
	if !oneOf(string(l.Alpha), string(scene.Opaque), string(scene.Mask), string(scene.Blend)) || l.Sides < 0 ||
		l.Sides > 2 {
		return fmt.Errorf("slot “%s” can't be drawn like that: expected OPAQUE, MASK or BLEND, and one or two sides", l.Slot)
	}
	return nil
}

// Validate checks an assignment.
func (a Assigned) Validate() error {
	if a.Use < 0 || a.Use >= scene.UseSpecular {
		return fmt.Errorf("slot “%s” has no use %d for a picture", a.Slot, a.Use)
	}
	return nil
}

// Validate checks what is decided for one picture.
func (o Own) Validate() error {
	side := func(n int) bool { return n >= 0 && n <= MostSide }
	if !oneOf(o.Green, "up", "down") || !side(o.Width) || !side(o.Height) || !(o.Deep >= -1000 && o.Deep <= 1000) ||
		!oneOf(o.Format, formats...) || !oneOf(o.As, AsNormal) {
		return fmt.Errorf("what is decided for the picture “%s” can't be meant", o.Picture)
	}
	if len(o.Name) > MostName || o.Name != strings.TrimSpace(o.Name) || strings.ContainsAny(o.Name, "/\\") {
		return fmt.Errorf("the picture “%s” needs a name of up to %d letters and no folder", o.Picture, MostName)
	}
	return nil
}

// Validate checks a sheet.
func (s Sheet) Validate() error {
	if len(s.Slots) < 2 || len(s.Slots) > maxOnSheet || s.Most < 0 || s.Most > MostSide || s.Padding < 0 ||
		s.Padding > MostPadding {
		return fmt.Errorf("a sheet has 2 to %d slots, up to %d texels a side and up to %d of padding", maxOnSheet, MostSide,
			MostPadding)
	}
	return nil
}

// Validate checks a light set.
func (l Light) Validate() error {
	if l.Size != 0 && (l.Size < 16 || l.Size > MostSide || l.Padding < 0 || l.Padding > MostPadding ||
		len(l.Name) > MostName) {
		return fmt.Errorf("a light set has 16 to %d texels a side and up to %d of padding", MostSide, MostPadding)
	}
	return nil
}

// Validate checks what is done to all pictures.
func (p Pictures) Validate() error {
	switch {
	case p.Most != 0 && (p.Most < 1 || p.Most > MostSide):
		return fmt.Errorf("pictures of %d pixels a side can't be meant: expected 1 to %d", p.Most, MostSide)
	case !oneOf(p.Power, "down", "up", "nearest"):
		return fmt.Errorf("%q is no way to a power of two: expected down, up or nearest", p.Power)
	case !oneOf(p.Green, "up", "down"):
		return fmt.Errorf("green can't point %q: expected up or down", p.Green)
	case !oneOf(p.Pack, "orm", "apart"):
		return fmt.Errorf("%q is no packing: expected orm or apart", p.Pack)
	case p.Quality < 0 || p.Quality > 100:
		return fmt.Errorf("a quality of %d can't be meant: expected 1 to 100", p.Quality)
	case p.Formats != "target" && !oneOf(p.Formats, formats...):
		return fmt.Errorf("%q is no format: expected target, png, jpeg, webp or tga", p.Formats)
	}
	for _, r := range append(slices.Clone(p.Roles), p.Without...) {
		if _, ok := UseOf(r); !ok {
			return fmt.Errorf("%q is no role of a picture: expected %s", r, strings.Join(Roles[:], ", "))
		}
	}
	return nil
}

// AlphaWords say how a material lets something through.
var AlphaWords = map[scene.AlphaMode]string{scene.Opaque: "opaque", scene.Mask: "cut out", scene.Blend: "translucent"}

// Line says it.
func (m Move) Line() string {
	from := ""
	if m.From != "" {
		from = " of " + m.From
	}
	if m.Node != "" {
		from += " on " + m.Node
	}
	if len(m.At) > 0 {
		i := slices.IndexFunc(Reaches, func(r NamedReach) bool { return r.ID == m.Reach })
		from += " round " + figure.Plural(len(m.At), "place", "places")
		if i >= 0 {
			from += ", " + Reaches[i].Name
		}
	}
	return fmt.Sprintf("Give faces%s the slot %s", from, m.To)
}

// Lines says them.
func (p Pictures) Lines() []string {
	var l []string
	say := func(on bool, format string, args ...any) {
		if on {
			l = append(l, fmt.Sprintf(format, args...))
		}
	}
	of := ""
	if len(p.Roles) > 0 {
		of = " of " + roleWords(p.Roles)
	}
	say(p.Most > 0, "Pictures%s of at most %d pixels a side", of, p.Most)
	say(p.Power != "", "Sides of pictures to a power of two, %s", p.Power)
	say(p.Green != "", "Green of normal maps %s", p.Green)
	say(p.Pack == "orm", "Occlusion, roughness and metallic in one picture")
	say(p.Pack == "apart", "Occlusion, roughness and metallic each in its own picture")
	say(p.Eight, "Pictures of 8 bits a channel")
	say(p.Strip, "Pictures without what is not pixels")
	say(p.Formats == "target", "Pictures in the target’s formats")
	say(p.Formats != "" && p.Formats != "target", "Pictures as %s", strings.ToUpper(p.Formats))
	say(p.Quality > 0, "JPEG of quality %d", p.Quality)
	say(p.Names, "Pictures named by the target’s pattern")
	say(len(p.Without) > 0, "No pictures for %s, their values alone", roleWords(p.Without))
	return l
}

// Lines says it.
func (o Own) Lines() []string {
	var l []string
	if o.Green != "" {
		l = append(l, fmt.Sprintf("Green of %s points %s", o.Picture, o.Green))
	}
	if o.Width > 0 || o.Height > 0 {
		l = append(l, fmt.Sprintf("Make %s %d × %d", o.Picture, o.Width, o.Height))
	}
	if o.Invert {
		l = append(l, fmt.Sprintf("Take %s for gloss", o.Picture))
	}
	if o.Deep != 0 {
		l = append(l, fmt.Sprintf("Make a normal map of %s, %s texels deep", o.Picture, figure.Significant(o.Deep, 3)))
	}
	if o.As == AsNormal {
		l = append(l, fmt.Sprintf("Take %s for a normal map", o.Picture))
	}
	if o.Name != "" {
		l = append(l, fmt.Sprintf("Call %s %s", o.Picture, o.Name))
	}
	if o.Format != "" {
		l = append(l, fmt.Sprintf("Write %s as %s", o.Picture, strings.ToUpper(o.Format)))
	}
	return l
}

// Line says it.
func (s Sheet) Line() string {
	l := "Lay " + strings.Join(s.Slots, ", ") + " on one sheet"
	if s.Name != "" {
		l += " called " + s.Name
	}
	if s.Most > 0 {
		l += fmt.Sprintf(", at most %d texels", s.Most)
	}
	if s.Padding > 0 {
		l += fmt.Sprintf(", %d of padding", s.Padding)
	}
	if s.AsIs {
		l += ", pictures as large as they are"
	}
	return l
}

// Line says it.
func (l Light) Line() string {
	s := fmt.Sprintf("Make a light set of %d texels", l.Size)
	if l.Padding > 0 {
		s += fmt.Sprintf(", %d of padding", l.Padding)
	}
	if l.Name != "" {
		s += ", called " + l.Name
	}
	if len(l.Slots) > 0 {
		s += ", for " + strings.Join(l.Slots, ", ")
	}
	if l.Again {
		s += ", whatever is there"
	}
	return s
}

// formats are those that pictures are written in.
var formats = []string{string(texture.PNG), string(texture.JPEG), string(texture.WebP), string(texture.TGA)}

// formatOf is a format by its word; "" is that of the picture.
func formatOf(s string) texture.Format { return texture.Format(s) }

// OwnOf is what is decided for one picture.
func (d Wishes) OwnOf(key string) Own {
	for _, o := range d.Own {
		if o.Picture == key {
			return o
		}
	}
	return Own{}
}

// Size is what becomes of a picture's sides.
func (p Pictures) Size(w, h int, o Own, uses []scene.Use) (int, int) {
	power := func(n int) int {
		switch p.Power {
		case "down":
			return texture.PowerOfTwo(n, texture.Down)
		case "up":
			return texture.PowerOfTwo(n, texture.Up)
		case "nearest":
			return texture.PowerOfTwo(n, texture.Nearest)
		}
		return n
	}
	nw, nh := w, h
	if o.Width > 0 {
		nw = o.Width
	}
	if o.Height > 0 {
		nh = o.Height
	}
	if o.Width == 0 && o.Height == 0 {
		nw, nh = power(w), power(h)
	}
	meant := len(p.Roles) == 0 ||
		slices.ContainsFunc(uses, func(u scene.Use) bool { return slices.Contains(p.Roles, Roles[u]) })
	if p.Most > 0 && meant {
		nw, nh = texture.Limited(nw, nh, p.Most)
	}
	return nw, nh
}
