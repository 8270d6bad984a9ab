package outfit

import (
	"fmt"
	"math"
	"path"
	"slices"

	"yarvek/core/picture/texture"
	"yarvek/core/scene"
)

// kitchen plans the pictures that leave.
type kitchen struct {
	s    *scene.Scene
	mats []scene.Material // as they came, with looks and assigned pictures; Texture is into texs
	texs []scene.Texture  // those of the scene, and those of assigned pictures; Image is of the stock
	d    Wishes
	ask  Ask
	plan *Plan
	at   map[string]int        // cooks by what they are
	tex  map[scene.Texture]int // textures that leave, plus one
	sort []texture.Sort        // of each of the stock
	role [][scene.Uses]bool
	gave map[[2]int]Assigned // of material and use
	// older are the specular pictures of materials of the older workflow, by number in the stock, and
	// diffuse those pictures' diffuse ones, -1 for none.
	older map[int]olderOf
}

func newKitchen(s *scene.Scene, mats []scene.Material, d Wishes, ask Ask, p *Plan) *kitchen {
	k := &kitchen{s: s, mats: mats, texs: slices.Clone(s.Textures), d: d, ask: ask, plan: p, at: map[string]int{},
		tex:  map[scene.Texture]int{},
		gave: map[[2]int]Assigned{}, older: map[int]olderOf{}}
	for _, a := range d.Assigned {
		k.assign(a)
	}
	without := map[scene.Use]bool{}
	for _, role := range d.Pictures.Without {
		if use, ok := UseOf(role); ok {
			without[use] = true
		}
	}
	for i := range k.mats {
		k.retake(i)
		k.convert(i)
		for use := range k.mats[i].Maps {
			if without[scene.Use(use)] {
				k.valued(i, scene.Use(use))
			}
		}
	}
	k.sorts()
	return k
}

// assign puts a picture of the stock into a material.
func (k *kitchen) assign(a Assigned) {
	i := k.plan.Keys.Of(a.Slot)
	if i < 0 || i >= len(k.mats) {
		k.plan.lose(i, a.Slot)
		return
	}
	uses := []scene.Use{a.Use}
	if a.Packed {
		uses = []scene.Use{scene.UseOcclusion, scene.UseRoughness, scene.UseMetallic}
	}
	if a.Picture == "" {
		k.valued(i, a.Use)
		return
	}
	at := slices.IndexFunc(k.ask.Stock, func(s Stock) bool { return s.Added && s.Facts.SHA == a.Picture })
	if at < 0 {
		k.plan.LostPictures = append(k.plan.LostPictures, a.Picture)
		return
	}
	k.texs = append(k.texs, scene.Texture{Name: k.ask.Stock[at].Name, Image: at, WrapU: scene.Repeat, WrapV: scene.Repeat})
	for n, use := range uses {
		m := scene.Map{Texture: len(k.texs)}
		if old := k.mats[i].Maps[use]; old.Has() {
			m.UVSet, m.Place = old.UVSet, old.Place
		}
		if a.Packed {
			m.Channel = scene.Red + scene.Channel(n)
		}
		k.mats[i].Maps[use] = m
		k.gave[[2]int{i, int(use)}] = a
		switch use { // a picture is told by its factor
		case scene.UseMetallic:
			k.mats[i].Metallic = 1
		case scene.UseRoughness:
			k.mats[i].Roughness = 1
		case scene.UseEmissive:
			if k.mats[i].Emissive == [3]float64{} {
				k.mats[i].Emissive = [3]float64{1, 1, 1}
			}
		}
	}
}

// retake puts a picture that came as heights and was said to hold normals where normals go.
func (k *kitchen) retake(i int) {
	maps := &k.mats[i].Maps
	at := k.imageOf(maps[scene.UseHeight])
	if at >= 0 && !maps[scene.UseNormal].Has() && k.own(at).As == AsNormal {
		maps[scene.UseNormal], maps[scene.UseHeight] = maps[scene.UseHeight], scene.Map{}
		maps[scene.UseNormal].Channel = scene.Whole
	}
}

// valued takes a picture out of a material, whose value then is what the picture came to on the whole: its
// mean, in light where it is a colour, times the factor. A glow whose picture is not there has none.
func (k *kitchen) valued(i int, use scene.Use) {
	m := &k.mats[i]
	mp := m.Maps[use]
	if !mp.Has() {
		return
	}
	m.Maps[use] = scene.Map{}
	at := k.imageOf(mp)
	if at < 0 || !k.ask.Stock[at].Opens() {
		if use == scene.UseEmissive {
			m.Emissive = [3]float64{}
		}
		return
	}
	f := k.ask.Stock[at].Facts
	part := func() float64 {
		switch c := channelOf(mp.Channel); {
		case c >= 0 && c < len(f.Parts):
			return f.Parts[c]
		case use == scene.UseOpacity && f.Parts[3] < 1:
			return f.Parts[3]
		}
		return 0.2126*f.Parts[0] + 0.7152*f.Parts[1] + 0.0722*f.Parts[2]
	}
	switch use {
	case scene.UseBaseColor:
		for c := range 3 {
			m.BaseColor[c] *= f.Light[c]
		}
	case scene.UseEmissive:
		for c := range 3 {
			m.Emissive[c] *= f.Light[c]
		}
	case scene.UseMetallic:
		m.Metallic *= part()
	case scene.UseRoughness:
		v := part()
		if k.own(at).Invert {
			v = 1 - v
		}
		m.Roughness *= v
	case scene.UseOpacity:
		m.BaseColor[3] *= part()
	}
}

// sorts tells of each of the stock what its pixels mean, by all that use it: colours before directions
// before numbers.
func (k *kitchen) sorts() {
	k.sort = make([]texture.Sort, len(k.ask.Stock))
	k.role = make([][scene.Uses]bool, len(k.ask.Stock))
	clear := make([]bool, len(k.ask.Stock))
	for i := range k.mats {
		if k.plan.Stats[i+1].Faces == 0 {
			continue
		}
		for use, m := range k.mats[i].Maps {
			if at := k.imageOf(m); at >= 0 {
				k.role[at][use] = true
				if scene.Use(use) == scene.UseOpacity && m.Channel == scene.Alpha ||
					scene.Use(use) == scene.UseBaseColor && k.mats[i].AlphaMode != scene.Opaque {
					clear[at] = true
				}
			}
		}
	}
	for i, r := range k.role {
		switch {
		case r[scene.UseBaseColor] || r[scene.UseEmissive]:
			if k.sort[i] = texture.Tints; clear[i] {
				k.sort[i] = texture.Colours
			}
		case r[scene.UseNormal]:
			k.sort[i] = texture.Directions
		default:
			k.sort[i] = texture.Numbers
		}
	}
}

// imageOf is the number in the stock of a map's picture, -1 of none.
func (k *kitchen) imageOf(m scene.Map) int {
	if !m.Has() || m.Texture > len(k.texs) {
		return -1
	}
	at := k.texs[m.Texture-1].Image
	if at < 0 || at >= len(k.ask.Stock) {
		return -1
	}
	return at
}

// own is what is decided for one picture.
func (k *kitchen) own(at int) Own {
	return k.d.OwnOf(k.ask.Stock[at].Key)
}

// GreenOf is which way the green of a picture points: as it is said, or as it was found.
func GreenOf(f texture.Facts, o Own) texture.Green {
	switch o.Green {
	case "up":
		return texture.GreenUp
	case "down":
		return texture.GreenDown
	}
	return f.Green
}

// formatFor is what a picture for a role is written as, by decision.
func (k *kitchen) formatFor(role string, o Own) texture.Format {
	switch {
	case o.Format != "":
		return formatOf(o.Format)
	case k.d.Pictures.Formats == "target":
		return formatOf(k.ask.Target.Textures.Formats[role])
	}
	return formatOf(k.d.Pictures.Formats)
}

// finish makes the materials that leave refer to the pictures that leave.
func (k *kitchen) finish() {
	p := k.plan
	for i := range p.Slots {
		m := &p.Materials[i]
		name := m.Name
		if at := p.Slots[i].Sheet; at > 0 {
			*m = k.sheetMaterial(&p.Sheets[at-1], i)
			m.Name = name
			continue
		}
		from := p.Keys.Of(p.Slots[i].Key)
		*m = k.mats[from]
		m.Name = name
		if k.d.Bare {
			*m = scene.NewMaterial(name)
			m.TwoSided = k.mats[from].TwoSided
			continue
		}
		k.dress(m, from, i)
	}
}

// dress gives a material that leaves its pictures.
func (k *kitchen) dress(m *scene.Material, from, slot int) {
	packs := k.packs(from)
	for use := range m.Maps {
		mp := k.mats[from].Maps[use]
		at := k.imageOf(mp)
		if at < 0 {
			m.Maps[use] = scene.Map{}
			continue
		}
		u := scene.Use(use)
		o := k.own(at)
		a, given := k.gave[[2]int{from, use}]
		st := k.ask.Stock[at]
		c := Cook{Name: st.Name, In: []int{at}, W: st.Facts.Width, H: st.Facts.Height}
		switch {
		case !st.Opens(): // what can't be opened leaves as it is
		case k.isOlder(from, u):
			c = k.convertedAs(from, u)
		case packs && (u == scene.UseOcclusion || u == scene.UseRoughness || u == scene.UseMetallic):
			c = k.packed(from)
			mp.Channel = map[scene.Use]scene.Channel{scene.UseOcclusion: scene.Red, scene.UseRoughness: scene.Green,
				scene.UseMetallic: scene.Blue}[u]
		case k.d.Pictures.Pack == "apart" && mp.Channel != scene.Whole && u != scene.UseOpacity, given && a.Invert,
			o.Invert &&
				u == scene.UseRoughness:
			c = k.alone(at, mp.Channel, o, u, given && a.Invert || o.Invert && u == scene.UseRoughness)
			mp.Channel = scene.Whole
		default:
			c = k.plain(at, o, k.uses(at))
		}
		if o.Name != "" && len(c.In) == 1 && c.Recipe.Pack == nil && c.Recipe.Older == nil {
			c.Name, c.Called = o.Name+path.Ext(st.Name), true
		}
		mp.Texture = k.textured(mp, c, u, slot)
		m.Maps[use] = mp
	}
	if o := k.heightOf(from); o.Deep != 0 && m.Maps[scene.UseHeight].Has() && !m.Maps[scene.UseNormal].Has() {
		at := k.imageOf(k.mats[from].Maps[scene.UseHeight])
		mp := k.mats[from].Maps[scene.UseHeight]
		w, h := k.d.Pictures.Size(k.ask.Stock[at].Facts.Width, k.ask.Stock[at].Facts.Height, o, []scene.Use{scene.UseNormal})
		c := Cook{Name: Stem(k.ask.Stock[at].Name) + " normal", In: []int{at}, W: w, H: h,
			Recipe: texture.Recipe{Sort: texture.Directions,
				Height: o.Deep, Green: k.d.Pictures.Green == "down", Format: k.formatFor("normal", Own{})}}
		k.resize(&c, k.ask.Stock[at].Facts.Width, k.ask.Stock[at].Facts.Height)
		mp.Channel = scene.Whole
		mp.Texture = k.textured(mp, c, scene.UseNormal, slot)
		m.Maps[scene.UseNormal], m.Maps[scene.UseHeight] = mp, scene.Map{}
		m.NormalScale = 1
	}
}

// heightOf is what is decided for a material's height map.
func (k *kitchen) heightOf(from int) Own {
	if at := k.imageOf(k.mats[from].Maps[scene.UseHeight]); at >= 0 {
		return k.own(at)
	}
	return Own{}
}

// uses lists what a picture of the stock is used for.
func (k *kitchen) uses(at int) []scene.Use {
	var list []scene.Use
	for u, on := range k.role[at] {
		if on {
			list = append(list, scene.Use(u))
		}
	}
	return list
}

// plain is a picture by itself.
func (k *kitchen) plain(at int, o Own, uses []scene.Use) Cook {
	st, p := k.ask.Stock[at], k.d.Pictures
	c := Cook{Name: st.Name, In: []int{at}, Recipe: texture.Recipe{Sort: k.sort[at], Strip: p.Strip, Eight: p.Eight &&
		st.Facts.Depth == 16,
		Quality: p.Quality}}
	c.W, c.H = k.d.Pictures.Size(st.Facts.Width, st.Facts.Height, o, uses)
	k.resize(&c, st.Facts.Width, st.Facts.Height)
	role := "colour"
	if len(uses) > 0 {
		role = Roles[uses[0]]
	}
	if n := k.packedUses(uses); n > 1 {
		role = "orm"
	}
	if f := k.formatFor(role, o); f.MIME() != st.Facts.MIME {
		c.Recipe.Format = f
	}
	c.Recipe.Green = slices.Contains(uses, scene.UseNormal) && k.turns(at)
	c.Recipe.Format = k.holds(c.Recipe.Format, st.Facts)
	return c
}

// turns tells whether green of a normal map of the stock is turned: where it points the other way than
// is decided, and never where that can't be told.
func (k *kitchen) turns(at int) bool {
	g, want := GreenOf(k.ask.Stock[at].Facts, k.own(at)), k.d.Pictures.Green
	return g == texture.GreenUp && want == "down" || g == texture.GreenDown && want == "up"
}

// packedUses is how many of occlusion, roughness and metallic there are.
func (k *kitchen) packedUses(uses []scene.Use) (n int) {
	for _, u := range uses {
		if u == scene.UseOcclusion || u == scene.UseRoughness || u == scene.UseMetallic {
			n++
		}
	}
	return n
}

// holds is a format that holds a picture: a JPEG holds no alpha.
func (k *kitchen) holds(f texture.Format, facts texture.Facts) texture.Format {
	if f == texture.JPEG && facts.Channels != 3 && facts.Channels != 1 && facts.Full < 1 {
		return texture.Same
	}
	return f
}

// resize notes the size in a recipe, where it differs.
func (k *kitchen) resize(c *Cook, w, h int) {
	if c.W != w || c.H != h {
		c.Recipe.Width, c.Recipe.Depth = c.W, c.H
	}
}

// channelOf is a channel by its number for recipes.
func channelOf(c scene.Channel) int {
	if c == scene.Whole {
		return texture.Luminance
	}
	return int(c - scene.Red)
}

// alone is one channel of a picture as a picture of its own.
func (k *kitchen) alone(at int, ch scene.Channel, o Own, use scene.Use, invert bool) Cook {
	st := k.ask.Stock[at]
	one := texture.Channel{Of: 0, From: channelOf(ch), Invert: invert}
	c := Cook{Name: Stem(st.Name) + " " + Roles[use], In: []int{at}, Recipe: texture.Recipe{Sort: texture.Numbers,
		Pack: &[4]texture.Channel{one, one, one, {Of: -1, Value: 255}}}}
	c.W, c.H = k.d.Pictures.Size(st.Facts.Width, st.Facts.Height, o, []scene.Use{use})
	c.Recipe.Width, c.Recipe.Depth = c.W, c.H
	c.Recipe.Format, c.Recipe.Quality = k.holds(k.formatFor(Roles[use], o), texture.Facts{Channels: 1}),
		k.d.Pictures.Quality
	return c
}

// packs tells whether occlusion, roughness and metallic of a material go into one picture, and are not
// there already.
func (k *kitchen) packs(from int) bool {
	if _, older := k.older[from]; older || k.d.Pictures.Pack != "orm" {
		return false
	}
	m := k.mats[from]
	seen := map[int]bool{}
	n, right := 0, true
	for i, u := range []scene.Use{scene.UseOcclusion, scene.UseRoughness, scene.UseMetallic} {
		if at := k.imageOf(m.Maps[u]); at >= 0 && k.ask.Stock[at].Opens() {
			n++
			seen[at] = true
			a := k.gave[[2]int{from, int(u)}]
			right = right && m.Maps[u].Channel == scene.Red+scene.Channel(i) && !a.Invert && !k.own(at).Invert
		}
	}
	if n < 2 {
		return false
	}
	// They lie the same way on the mesh, or they can't be one.
	first := scene.Map{}
	for _, u := range []scene.Use{scene.UseOcclusion, scene.UseRoughness, scene.UseMetallic} {
		if mp := m.Maps[u]; mp.Has() {
			if first.Has() && (mp.UVSet != first.UVSet || !mp.Place.Same(first.Place)) {
				return false
			}
			first = mp
		}
	}
	return len(seen) > 1 || !right
}

// packed is one picture of occlusion, roughness and metallic. A channel that has no picture is full, and
// its value stays the material's factor.
func (k *kitchen) packed(from int) Cook {
	m := k.mats[from]
	c := Cook{Name: k.plan.Keys.Key(from) + " orm", Recipe: texture.Recipe{Sort: texture.Numbers,
		Pack: &[4]texture.Channel{
			{Of: -1, Value: 255}, {Of: -1, Value: 255}, {Of: -1, Value: 255}, {Of: -1, Value: 255}}}}
	for i, u := range []scene.Use{scene.UseOcclusion, scene.UseRoughness, scene.UseMetallic} {
		at := k.imageOf(m.Maps[u])
		if at < 0 || !k.ask.Stock[at].Opens() {
			continue
		}
		n := slices.Index(c.In, at)
		if n < 0 {
			n = len(c.In)
			c.In = append(c.In, at)
		}
		a := k.gave[[2]int{from, int(u)}]
		c.Recipe.Pack[i] = texture.Channel{Of: n, From: channelOf(m.Maps[u].Channel), Invert: u == scene.UseRoughness &&
			(a.Invert || k.own(at).Invert)}
		w, h := k.d.Pictures.Size(k.ask.Stock[at].Facts.Width, k.ask.Stock[at].Facts.Height, k.own(at), []scene.Use{u})
		c.W, c.H = max(c.W, w), max(c.H, h)
	}
	c.Recipe.Width, c.Recipe.Depth = c.W, c.H
	c.Recipe.Format, c.Recipe.Quality = k.holds(k.formatFor("orm", Own{}), texture.Facts{Channels: 3}),
		k.d.Pictures.Quality
	return c
}

// textured is the number of a texture that leaves, plus one: of a picture that is made once for all that
// use it alike.
func (k *kitchen) textured(mp scene.Map, c Cook, use scene.Use, slot int) int {
	p := k.plan
	key := fmt.Sprintf("%v %s", c.In, c.Recipe.Key())
	at, ok := k.at[key]
	if !ok {
		at = len(p.Cooks)
		k.at[key] = at
		c.Role = Roles[use]
		p.Cooks = append(p.Cooks, c)
	}
	if !slices.Contains(p.Cooks[at].Uses, use) {
		p.Cooks[at].Uses = append(p.Cooks[at].Uses, use)
		if k.packedUses(p.Cooks[at].Uses) > 1 {
			p.Cooks[at].Role = "orm"
		}
	}
	// Slots come one after the other.
	if name, of := p.Slots[slot].Name, p.Cooks[at].Slots; len(of) == 0 || of[len(of)-1] != name {
		p.Cooks[at].Slots = append(of, name)
	}
	t := scene.Texture{WrapU: scene.Repeat, WrapV: scene.Repeat}
	if mp.Texture > 0 && mp.Texture <= len(k.texs) {
		t = k.texs[mp.Texture-1]
	}
	t.Image = at
	if c.Called || c.Recipe.Pack != nil || c.Recipe.Older != nil { // however those were called that went into it
		t.Name = c.Name
	}
	if i, ok := k.tex[t]; ok {
		return i
	}
	p.Textures = append(p.Textures, t)
	k.tex[t] = len(p.Textures)
	return len(p.Textures)
}

// stem is a name without its suffix.
func Stem(name string) string { return name[:len(name)-len(path.Ext(name))] }

// ColourOf is a linear colour as bytes in sRGB.
func ColourOf(c [4]float64) [4]uint8 {
	var out [4]uint8
	for i, v := range c {
		v = min(1, max(0, v))
		if i < 3 {
			v = scene.Shown(v)
		}
		out[i] = uint8(math.Round(255 * v))
	}
	return out
}
