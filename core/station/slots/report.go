package slots

import (
	"fmt"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/core/target/class"
)

// Report is what an asset is made of.
type Report struct {
	station.Account
	Slots    []Slot
	Pictures []Picture
	Orphans  []string // pictures no slot uses
	Sheets   []OnSheet
	Calls    int // draw calls of the finest mesh
	Were     int // as it came
	Memory   Memory
	Had      Memory
	Light    LightMade
	// Pending tells that pictures are decided and still to be made; what is said of their bytes is of before.
	Pending bool
	// What decisions choose from, by key.
	Keys []string
	Has  bool           // a picture is there at all
	LODs []*scene.Scene // the coarser ones, as they leave
}

// Memory is what pictures take, in bytes.
type Memory struct{ Disk, Plain, Blocks int64 }

// Slot is one that leaves.
type Slot struct {
	outfit.Leaving
	Letter   string
	Share    float64 // of the surface
	Material scene.Material
	Pictures []Used
}

// Used is a picture with its use.
type Used struct {
	Use     scene.Use
	Picture int // of the report's
	Channel scene.Channel
}

// Thumb is a picture of a slot with all it is used for there.
type Thumb struct {
	Picture int
	Uses    []scene.Use
}

// Thumbs are the pictures of a slot, each once.
func (s Slot) Thumbs() (list []Thumb) {
	for _, u := range s.Pictures {
		i := slices.IndexFunc(list, func(t Thumb) bool { return t.Picture == u.Picture })
		if i < 0 {
			list = append(list, Thumb{u.Picture, []scene.Use{u.Use}})
			continue
		}
		list[i].Uses = append(list[i].Uses, u.Use)
	}
	return list
}

// Picture is one that leaves, beside what it was.
type Picture struct {
	outfit.Cook
	Key    string // of the first that goes in
	Image  scene.Image
	Facts  texture.Facts // of the first that goes in
	Was    []outfit.Stock
	Plain  int64
	Blocks int64
	Came   []scene.Image // those that go in
	// Made is whether its bytes are those that leave; Why says why they can't be made.
	Made  bool
	Why   string
	Green texture.Green // which way it points as it leaves, of a normal map
}

// OnSheet is a sheet.
type OnSheet struct {
	Slot   string
	Of     []string
	Layout texture.Layout
	Pad    int
	// Takes is what its pictures take in graphics memory, in blocks and with mips, and Replaces what those did that
	// it stands for; bytes.
	Takes, Replaces int64
}

// Figure is how many slots there are, and how many are twins.
func (r *Report) Figure() string {
	n := 0
	for _, s := range r.Slots {
		if s.Stat.Faces > 0 {
			n++
		}
	}
	return figure.Plural(n, "slot", "slots")
}

// Letter is the letter of a slot by its number, from a on, small beside those of shapes.
func Letter(i int) string { return strings.ToLower(station.Letter(i)) }

// Made is all that came of a plan.
type Made struct {
	Scene  *scene.Scene // what leaves
	Images []bool       // whether each picture's bytes are those that leave
	Why    []string     // why each can't be made, "" when it can
	Light  LightMade
}

// Against is what the report is judged by.
type Against struct {
	outfit.Ask
	Class   class.Class
	Pending bool
	Images  []scene.Image // of the stock, in its order
	Bare    bool          // no UV set but the first carries light
	Nodes   []string      // keys of those that decisions can name
}

// Run says what leaves and what of it should be looked at. came is the scene as it came to the station,
// with faces moved.
func Run(d Decisions, p *outfit.Plan, made Made, by Against) *Report {
	r := &Report{Pending: by.Pending, Light: made.Light, Has: len(by.Stock) > 0, Keys: p.Keys.All()}
	r.slots(p, made)
	r.pictures(d, p, made, by)
	for _, st := range p.Stats {
		r.Were += st.Calls
	}
	for _, n := range made.Scene.Nodes {
		if n.Mesh >= 0 {
			r.Calls += len(made.Scene.Meshes[n.Mesh].UsedSlots())
		}
	}
	for _, l := range p.Sheets {
		s := OnSheet{Slot: p.Slots[l.To].Name, Layout: l.Layout, Pad: l.Pad}
		s.Takes, s.Replaces = l.Is, l.Was
		for _, i := range l.Slots {
			s.Of = append(s.Of, p.Keys.Key(i))
		}
		r.Sheets = append(r.Sheets, s)
	}
	j := judge{Report: r, d: d, p: p, by: by}
	j.all()
	r.WorstFirst()
	return r
}

func (r *Report) slots(p *outfit.Plan, made Made) {
	whole := 0.0
	for _, st := range p.Stats {
		whole += st.Area
	}
	n := 0
	r.Slots = make([]Slot, 0, len(p.Slots)+1)
	for i, l := range p.Slots {
		s := Slot{Leaving: l, Material: made.Scene.Materials[i]}
		if whole > 0 {
			s.Share = l.Stat.Area / whole
		}
		if l.Stat.Faces > 0 {
			s.Letter = Letter(n)
			n++
		}
		for use, mp := range s.Material.Maps {
			if mp.Has() {
				s.Pictures = append(s.Pictures, Used{scene.Use(use), p.Textures[mp.Texture-1].Image, mp.Channel})
			}
		}
		r.Slots = append(r.Slots, s)
	}
	if st := p.Stats[0]; st.Faces > 0 && p.To[0] < 0 {
		s := Slot{Leaving: outfit.Leaving{Key: scene.NoSlot, Name: scene.NoSlot, Stat: st, Was: []string{scene.NoSlot}},
			Letter: Letter(n)}
		if whole > 0 {
			s.Share = st.Area / whole
		}
		r.Slots = append(r.Slots, s)
	}
}

func (r *Report) pictures(d Decisions, p *outfit.Plan, made Made, by Against) {
	used := map[int]bool{}
	for i, c := range p.Cooks {
		x := Picture{Cook: c, Image: made.Scene.Images[i], Made: made.Images[i], Why: made.Why[i]}
		for _, at := range c.In {
			x.Was, x.Came = append(x.Was, by.Stock[at]), append(x.Came, by.Images[at])
			if !used[at] {
				used[at] = true
				f := by.Stock[at].Facts
				plain, blocks := texture.Bytes(f.Width, f.Height)
				r.Had = r.Had.plus(Memory{int64(f.Size), plain, blocks})
			}
		}
		if len(x.Was) > 0 {
			x.Key, x.Facts = x.Was[0].Key, x.Was[0].Facts
		}
		if c.Recipe.Sheet == nil && slices.Contains(c.Uses, scene.UseNormal) && len(x.Was) > 0 {
			x.Green = greenOf(c, x.Key, x.Facts, d)
		}
		x.Plain, x.Blocks = texture.Bytes(c.W, c.H)
		r.Memory = r.Memory.plus(Memory{int64(len(x.Image.Data)), x.Plain, x.Blocks})
		r.Pictures = append(r.Pictures, x)
	}
	for i, s := range by.Stock {
		if !used[i] {
			r.Orphans = append(r.Orphans, s.Key)
		}
	}
}

// greenOf is which way the green of a picture points as it leaves.
func greenOf(c outfit.Cook, key string, f texture.Facts, d Decisions) texture.Green {
	g := outfit.GreenOf(f, outfit.Wishes(d).OwnOf(key))
	switch {
	case c.Recipe.Height != 0 && c.Recipe.Green:
		return texture.GreenDown
	case c.Recipe.Height != 0:
		return texture.GreenUp
	case c.Recipe.Green:
		return otherWay(g)
	}
	return g
}

// otherWay is green turned; what can't be told still can't.
func otherWay(g texture.Green) texture.Green {
	return [...]texture.Green{texture.Unsaid: texture.Unsaid, texture.GreenUp: texture.GreenDown,
		texture.GreenDown: texture.GreenUp}[g]
}

func (a Memory) plus(b Memory) Memory {
	return Memory{a.Disk + b.Disk, a.Plain + b.Plain, a.Blocks + b.Blocks}
}

// Reads are what a picture is read for, in words, with the channel where it is not all of it.
func (r *Report) Reads(picture int) []string {
	words := map[scene.Channel]string{scene.Red: " in red", scene.Green: " in green", scene.Blue: " in blue",
		scene.Alpha: " in alpha"}
	var list []string
	for _, s := range r.Slots {
		for _, u := range s.Pictures {
			if w := u.Use.String() + words[u.Channel]; u.Picture == picture && !slices.Contains(list, w) {
				list = append(list, w)
			}
		}
	}
	return list
}

// Clear tells a picture that lets something through, as far as what goes in tells.
func (x Picture) Clear() bool {
	if s := x.Recipe.Sheet; s != nil {
		return slices.ContainsFunc(s.Pieces, func(p texture.Piece) bool {
			return !p.Full && (p.Sort == texture.Colours || p.Of < 0 && p.Value[3] < 255)
		})
	}
	if x.Recipe.Older != nil {
		return !x.Recipe.Older.Shine && len(x.Was) > 1 && x.Was[1].Facts.Full < 1
	}
	return x.Recipe.Pack == nil && x.Recipe.Height == 0 && x.Facts.Channels != 3 && x.Facts.Channels != 1 &&
		x.Facts.Full < 1
}

// Does says in a few words what is done to a picture.
func (x Picture) Does() string {
	var list []string
	say := func(on bool, format string, args ...any) {
		if on {
			list = append(list, fmt.Sprintf(format, args...))
		}
	}
	r := x.Recipe
	say(r.Sheet != nil, "laid on a sheet")
	say(r.Pack != nil && len(x.In) > 1, "put together of %d", len(x.In))
	say(r.Pack != nil && len(x.In) == 1, "one channel")
	say(r.Height != 0, "made of heights")
	say(r.Older != nil && r.Older.Shine, "made of specular and gloss")
	say(r.Older != nil && !r.Older.Shine, "made of specular and diffuse")
	say(r.Sheet == nil && len(x.Was) == 1 && (x.W != x.Facts.Width || x.H != x.Facts.Height), "%d × %d before",
		x.Facts.Width,
		x.Facts.Height)
	say(r.Green, "green turned")
	say(r.Format != texture.Same && r.Format.MIME() != x.Facts.MIME, "as %s", string(r.Format))
	say(r.Eight, "8 bits")
	say(r.Strip && r.Sheet == nil && r.Pack == nil, "nothing but pixels")
	return strings.Join(list, ", ")
}
