package outfit

import (
	"math"
	"slices"

	"yarvek/core/picture/texture"
	"yarvek/core/scene"
)

// laid is a sheet with its places.
type Laid struct {
	Of     int   // of the decisions
	slot   int   // number of the slot that stands for all, as it came
	To     int   // of the slots that leave
	Slots  []int // numbers of those on it
	Layout texture.Layout
	Pad    int
	split  bool // another sheet of the same decision has the slots that are drawn otherwise
	// was and is are what the pictures it replaces take in graphics memory, and those it has; bytes. roles is how many
	// it has.
	Was, Is int64
	Roles   int
}

// placedUV is where the coordinates from 0 to 1 of a slot go: scaled, then moved; the origin is at the
// bottom left.
type placedUV struct{ Scale, Move [2]float64 }

// edge is how far coordinates may lie beyond 0 to 1 and still be within: half a texel of 4096.
const edge = 1.0 / 8192

// Sheetable tells why a slot can't lie on a sheet with others, "" when it can.
func (k *kitchen) sheetable(i int) string {
	st, m := k.plan.Stats[i+1], k.mats[i]
	if _, older := k.older[i]; older {
		return "has specular and gloss, of which its pictures are made first"
	}
	switch {
	case st.Faces == 0:
		return "has no faces"
	case st.Bare > 0:
		return "has faces without UVs"
	case st.UV[0][0] < -edge || st.UV[0][1] < -edge || st.UV[1][0] > 1+edge || st.UV[1][1] > 1+edge:
		return "tiles: its UVs go beyond 0 to 1"
	}
	for use, mp := range m.Maps {
		switch at := k.imageOf(mp); {
		case scene.Use(use) == scene.UseHeight && at >= 0:
			return "has a picture of heights, for which a sheet has no room"
		case scene.Use(use) == scene.UseOpacity && at >= 0 && (at != k.imageOf(m.Maps[scene.UseBaseColor]) ||
			mp.Channel != scene.Alpha):
			return "has its opacity in a picture of its own"
		}
		if mp.Has() && (mp.UVSet != 0 || mp.Place != nil) {
			return "has a picture that lies in a way of its own"
		}
		if at := k.imageOf(mp); at >= 0 && !k.ask.Stock[at].Opens() {
			return "has a picture that is missing or broken"
		}
	}
	return ""
}

// clash tells what of a slot can't be said of the others on a sheet too, "" when nothing is: one
// material says it for all of them.
func (k *kitchen) clash(on []int, i int) string {
	m := k.mats[i]
	glows := func(x scene.Material) bool { return x.Emissive != [3]float64{} }
	for _, j := range on {
		o := k.mats[j]
		both := func(u scene.Use) bool { return m.Maps[u].Has() && o.Maps[u].Has() }
		switch {
		case m.Unlit != o.Unlit:
			return "is lit otherwise than the rest of the sheet"
		case both(scene.UseNormal) && m.NormalScale != o.NormalScale:
			return "has normals of another strength than the rest of the sheet"
		case both(scene.UseOcclusion) && m.Occlusion != o.Occlusion:
			return "has occlusion of another strength than the rest of the sheet"
		case glows(m) && glows(o) && m.Glow != o.Glow:
			return "glows otherwise than the rest of the sheet"
		}
	}
	return ""
}

// cutting is how a material lets something through. Slots that differ in it never share a sheet: what is opaque
// would be drawn as what is cut out, or the other way round.
type cutting struct {
	mode scene.AlphaMode
	off  float64
}

func cuttingOf(m scene.Material) cutting {
	if m.AlphaMode == scene.Mask {
		return cutting{m.AlphaMode, m.AlphaCutoff}
	}
	return cutting{m.AlphaMode, 0}
}

// sheetsOf lays the slots of sheets side by side, and joins them: those that are cut out in one way, and those
// that are not, on a sheet each.
func (p *Plan) sheetsOf(s *scene.Scene, d Wishes, ask Ask, into []int, k *kitchen) {
	taken := map[int]bool{}
	for n, sh := range d.Sheets {
		pad := sh.Padding
		if pad == 0 {
			pad = UsualPadding
		}
		var order []cutting
		sheets := map[cutting]*Laid{}
		for _, key := range sh.Slots {
			i := p.Keys.Of(key)
			if i < 0 {
				p.lose(i, key)
				continue
			}
			if i = into[i+1]; i < 0 || taken[i] {
				continue
			}
			c := cuttingOf(k.mats[i])
			l := sheets[c]
			if l == nil {
				l = &Laid{Of: n, Pad: pad, To: -1}
				sheets[c], order = l, append(order, c)
			}
			if slices.Contains(l.Slots, i) {
				continue
			}
			why := k.sheetable(i)
			if why == "" {
				why = k.clash(l.Slots, i)
			}
			if why != "" {
				p.Tiled = append(p.Tiled, key+" "+why)
				continue
			}
			// A slot that others were joined to has their coordinates too.
			ok := true
			for j := range into {
				if into[j] == i && j-1 != i && p.Stats[j].Faces > 0 && j > 0 && k.sheetable(j-1) != "" {
					p.Tiled = append(p.Tiled, p.Keys.Key(j-1)+" "+k.sheetable(j-1))
					ok = false
				}
			}
			if ok {
				l.Slots = append(l.Slots, i)
			}
		}
		for _, c := range order {
			l := sheets[c]
			if len(l.Slots) == 1 && len(order) > 1 {
				p.Tiled = append(p.Tiled, p.Keys.Key(l.Slots[0])+" is "+AlphaWords[c.mode]+" where the rest of the sheet is not")
			}
			l.split = len(order) > 1
			p.settle(l, sh, into, taken, k)
		}
	}
}

// settle finds room for a sheet, and makes its slots one.
func (p *Plan) settle(l *Laid, sh Sheet, into []int, taken map[int]bool, k *kitchen) {
	if len(l.Slots) < 2 || !k.lay(l, sh) {
		return
	}
	l.slot = l.Slots[0]
	for i, slot := range l.Slots {
		taken[slot] = true
		r := texture.Sheet{Padding: l.Pad}.Inner(l.Layout.Places[i])
		w, h := float64(l.Layout.W), float64(l.Layout.H)
		uv := placedUV{Scale: [2]float64{float64(r.W) / w, float64(r.H) / h},
			Move: [2]float64{float64(r.X) / w, 1 - float64(r.Y+r.H)/h}}
		for j := range into {
			if into[j] == slot && j > 0 {
				p.rects[j-1] = uv
			}
		}
		for j := range into {
			if into[j] == slot {
				into[j] = l.slot
			}
		}
	}
	p.Sheets = append(p.Sheets, *l)
}

// replaced is what the pictures take in graphics memory that a sheet stands for, and of how many roles its own are.
func (k *kitchen) replaced(l *Laid) (was int64, roles int) {
	seen := map[int]bool{}
	var has [4]bool // colour, normal, occlusion with roughness and metallic, glow
	role := map[scene.Use]int{scene.UseNormal: 1, scene.UseOcclusion: 2, scene.UseRoughness: 2, scene.UseMetallic: 2,
		scene.UseEmissive: 3}
	first := k.mats[l.Slots[0]]
	for _, slot := range l.Slots {
		m := k.mats[slot]
		has[0] = has[0] || m.BaseColor != first.BaseColor
		has[2] = has[2] || m.Roughness != first.Roughness || m.Metallic != first.Metallic
		has[3] = has[3] || m.Emissive != first.Emissive
		for use, mp := range m.Maps {
			at := k.imageOf(mp)
			if at < 0 {
				continue
			}
			has[role[scene.Use(use)]] = true
			if !seen[at] {
				seen[at] = true
				f := k.ask.Stock[at].Facts
				w, h := k.d.Pictures.Size(f.Width, f.Height, k.own(at), k.uses(at))
				_, blocks := texture.Bytes(w, h)
				was += blocks
			}
		}
	}
	for _, is := range has {
		if is {
			roles++
		}
	}
	return was, roles
}

// lay finds the places of a sheet: of each slot as large as its largest picture, or by how much surface it
// covers, in powers of two.
func (k *kitchen) lay(l *Laid, sh Sheet) bool {
	most := sh.Most
	if most == 0 {
		most = k.ask.Target.Textures.Largest
		if p := k.d.Pictures; p.Most > 0 && len(p.Roles) == 0 {
			most = min(most, p.Most)
		}
	}
	most = texture.PowerOfTwo(max(most, 16), texture.Down)
	sizes := make([][2]int, len(l.Slots))
	density := 0.0 // texels a metre: that of the densest
	length := make([]float64, len(l.Slots))
	for i, slot := range l.Slots {
		w, h := k.largest(slot)
		sizes[i] = [2]int{texture.PowerOfTwo(w, texture.Nearest), texture.PowerOfTwo(h, texture.Nearest)}
		st := k.plan.Stats[slot+1]
		span := (st.UV[1][0] - st.UV[0][0]) * (st.UV[1][1] - st.UV[0][1])
		if st.Area > 0 && span > 0 {
			// What a side of the picture would measure if it were laid on the surface.
			length[i] = math.Sqrt(st.Area / min(1, span))
			density = max(density, math.Sqrt(float64(w*h))/length[i])
		}
	}
	if !sh.AsIs && density > 0 {
		for i, slot := range l.Slots {
			w, h := k.largest(slot)
			side := density * length[i]
			r := math.Sqrt(float64(w) / float64(h))
			sizes[i] = [2]int{texture.PowerOfTwo(max(4*l.Pad, int(side*r)), texture.Nearest),
				texture.PowerOfTwo(max(4*l.Pad, int(side/r)), texture.Nearest)}
		}
	}
	for i := range sizes {
		for c := range 2 {
			sizes[i][c] = min(max(sizes[i][c], texture.PowerOfTwo(2*l.Pad+2, texture.Up)), most)
		}
	}
	l.Was, l.Roles = k.replaced(l)
	least := texture.PowerOfTwo(2*l.Pad+2, texture.Up)
	found := false
	for range 16 {
		layout, ok := texture.LayOut(sizes, most, !sh.AsIs)
		if ok {
			_, blocks := texture.Bytes(layout.W, layout.H)
			found, l.Layout, l.Is = true, layout, int64(l.Roles)*blocks
			// Unless its size is said, it takes no more than what it replaces, but for what sides of powers of two take.
			if sh.AsIs || sh.Most > 0 || l.Is <= 2*l.Was || l.Was == 0 {
				return true
			}
		}
		// Too much for the largest sheet, or for what it replaces: all become half as large.
		smaller := false
		for i := range sizes {
			for c := range 2 {
				n := max(sizes[i][c]/2, least)
				smaller = smaller || n < sizes[i][c]
				sizes[i][c] = n
			}
		}
		if !smaller {
			break
		}
	}
	return found
}

// largest is the size of a slot's largest picture, 64 a side of one that has none.
func (k *kitchen) largest(slot int) (w, h int) {
	for _, mp := range k.mats[slot].Maps {
		if at := k.imageOf(mp); at >= 0 {
			f := k.ask.Stock[at].Facts
			x, y := k.d.Pictures.Size(f.Width, f.Height, k.own(at), k.uses(at))
			if x*y > w*h {
				w, h = x, y
			}
		}
	}
	if w == 0 || h == 0 {
		return 64, 64
	}
	return w, h
}

// sheetMaker makes the material of a sheet, and plans its pictures.
type sheetMaker struct {
	*kitchen
	l    *Laid
	slot int // of those that leave
	m    scene.Material
}

// sheetMaterial is the material of a sheet. Values that differ, or that belong to a picture, are in the
// pictures; a role that no slot has a picture for, and whose values agree, has none.
func (k *kitchen) sheetMaterial(l *Laid, slot int) scene.Material {
	if k.d.Bare {
		return scene.NewMaterial(k.mats[l.slot].Name)
	}
	s := &sheetMaker{kitchen: k, l: l, slot: slot, m: k.mats[l.slot]}
	s.m.Maps = [scene.Uses]scene.Map{}
	s.agree()
	if s.wants(func(a, b scene.Material) bool { return a.BaseColor == b.BaseColor }, scene.UseBaseColor) {
		s.colours()
	}
	if s.wants(nil, scene.UseNormal) {
		s.lay(scene.UseNormal, "normal", texture.Directions, s.normals)
	}
	if s.wants(func(a, b scene.Material) bool { return a.Roughness == b.Roughness && a.Metallic == b.Metallic },
		scene.UseOcclusion,
		scene.UseRoughness, scene.UseMetallic) {
		k.ormSheet(&s.m, l, slot)
	}
	if s.wants(func(a, b scene.Material) bool { return a.Emissive == b.Emissive }, scene.UseEmissive) {
		s.lay(scene.UseEmissive, "glow", texture.Tints, s.glow)
		s.m.Emissive = [3]float64{1, 1, 1}
	}
	return s.m
}

// wants tells whether a slot has a picture for one of some uses, or values differ.
func (s *sheetMaker) wants(same func(a, b scene.Material) bool, uses ...scene.Use) bool {
	return slices.ContainsFunc(s.l.Slots, func(i int) bool {
		o := s.mats[i]
		return same != nil && !same(s.mats[s.l.slot], o) ||
			slices.ContainsFunc(uses, func(u scene.Use) bool { return o.Maps[u].Has() })
	})
}

// agree takes over what is said once for all slots; clash has seen to it that they agree.
func (s *sheetMaker) agree() {
	for _, i := range s.l.Slots {
		o := s.mats[i]
		s.m.TwoSided = s.m.TwoSided || o.TwoSided
		if o.AlphaMode != scene.Opaque {
			s.m.AlphaMode, s.m.AlphaCutoff = o.AlphaMode, o.AlphaCutoff
		}
		if o.Maps[scene.UseNormal].Has() {
			s.m.NormalScale = o.NormalScale
		}
		if o.Maps[scene.UseOcclusion].Has() {
			s.m.Occlusion = o.Occlusion
		}
		if o.Emissive != [3]float64{} {
			s.m.Glow = o.Glow
		}
	}
}

// lay plans the picture of a use: piece gives what lies on the place of a slot, with the number in the
// stock of its picture, -1 for none.
func (s *sheetMaker) lay(use scene.Use, role string, sort texture.Sort, piece func(i int) (texture.Piece, int)) {
	l := s.l
	sheet := &texture.Sheet{W: l.Layout.W, H: l.Layout.H, Padding: l.Pad, Behind: [4]uint8{128, 128, 128, 255},
		Spread: use == scene.UseBaseColor && s.m.AlphaMode != scene.Opaque}
	if sort == texture.Directions {
		sheet.Behind = upright
	}
	clear := use == scene.UseBaseColor && s.m.AlphaMode != scene.Opaque
	c := Cook{Name: s.m.Name + " sheet " + role, W: l.Layout.W, H: l.Layout.H,
		Recipe: texture.Recipe{Sort: sort, Sheet: sheet,
			Format: s.sheetFormat(role, clear), Quality: s.d.Pictures.Quality}}
	for n, i := range l.Slots {
		x, at := piece(i)
		x.Rect, x.Of = l.Layout.Places[n], -1
		if at >= 0 {
			if x.Of = slices.Index(c.In, at); x.Of < 0 {
				x.Of = len(c.In)
				c.In = append(c.In, at)
			}
		}
		sheet.Pieces = append(sheet.Pieces, x)
	}
	mp := scene.Map{}
	mp.Texture = s.textured(mp, c, use, s.slot)
	s.m.Maps[use] = mp
	s.plan.Cooks[s.plan.Textures[mp.Texture-1].Image].Role = role
}

// upright is the direction that leans nowhere.
var upright = [4]uint8{128, 128, 255, 255}

// colours lays colours, and opacity where a slot lets something through.
func (s *sheetMaker) colours() {
	s.lay(scene.UseBaseColor, "colour", texture.Tints, func(i int) (texture.Piece, int) {
		o := s.mats[i]
		x := texture.Piece{Value: ColourOf(o.BaseColor), Sort: texture.Tints, Full: o.AlphaMode == scene.Opaque}
		if x.Full {
			x.Value[3] = 255
		}
		at := s.imageOf(o.Maps[scene.UseBaseColor])
		if at >= 0 {
			x.Sort, x.By = s.sort[at], o.BaseColor
		}
		return x, at
	})
	s.m.BaseColor = [4]float64{1, 1, 1, 1}
	if s.m.AlphaMode != scene.Opaque && s.wants(nil, scene.UseOpacity) {
		s.m.Maps[scene.UseOpacity] = scene.Map{Texture: s.m.Maps[scene.UseBaseColor].Texture, Channel: scene.Alpha}
	}
}

func (s *sheetMaker) normals(i int) (texture.Piece, int) {
	at := s.imageOf(s.mats[i].Maps[scene.UseNormal])
	return texture.Piece{Value: upright, Sort: texture.Directions, Green: at >= 0 && s.turns(at)}, at
}

func (s *sheetMaker) glow(i int) (texture.Piece, int) {
	e := s.mats[i].Emissive
	by := [4]float64{e[0], e[1], e[2], 1}
	return texture.Piece{Value: ColourOf(by), Sort: texture.Tints, By: by}, s.imageOf(s.mats[i].Maps[scene.UseEmissive])
}

// sheetFormat is what a sheet is written as; a clear one is no JPEG.
func (k *kitchen) sheetFormat(role string, clear bool) texture.Format {
	f := texture.Facts{Channels: 3, Full: 1}
	if clear {
		f = texture.Facts{Channels: 4}
	}
	return k.holds(k.formatFor(role, Own{}), f)
}

// ormSheet lays occlusion, roughness and metallic side by side. Each piece is put together first, when
// its channels come of several pictures or not in order: then the sheet has a piece for each channel.
func (k *kitchen) ormSheet(m *scene.Material, l *Laid, slot int) {
	p := k.plan
	sheet := &texture.Sheet{W: l.Layout.W, H: l.Layout.H, Padding: l.Pad, Behind: [4]uint8{255, 255, 0, 255}}
	c := Cook{Name: m.Name + " sheet orm", W: l.Layout.W, H: l.Layout.H, Recipe: texture.Recipe{Sort: texture.Numbers,
		Sheet:  sheet,
		Format: k.sheetFormat("orm", false), Quality: k.d.Pictures.Quality}}
	for n, i := range l.Slots {
		mat := k.mats[i]
		x := texture.Piece{Rect: l.Layout.Places[n], Of: -1, Sort: texture.Numbers,
			Value: [4]uint8{255, uint8(255*mat.Roughness + 0.5), uint8(255*mat.Metallic + 0.5), 255}}
		from := &[3]texture.Channel{}
		any := false
		for ch, u := range []scene.Use{scene.UseOcclusion, scene.UseRoughness, scene.UseMetallic} {
			from[ch] = texture.Channel{Of: -1, Value: x.Value[ch]}
			at := k.imageOf(mat.Maps[u])
			if at < 0 {
				continue
			}
			any = true
			in := slices.Index(c.In, at)
			if in < 0 {
				in = len(c.In)
				c.In = append(c.In, at)
			}
			a := k.gave[[2]int{i, int(u)}]
			from[ch] = texture.Channel{Of: in, From: channelOf(mat.Maps[u].Channel), Invert: u == scene.UseRoughness &&
				(a.Invert || k.own(at).Invert)}
		}
		if any {
			x.Channels = from
			x.By = [4]float64{1, mat.Roughness, mat.Metallic, 1}
		}
		sheet.Pieces = append(sheet.Pieces, x)
	}
	shaded := slices.ContainsFunc(l.Slots, func(i int) bool { return k.mats[i].Maps[scene.UseOcclusion].Has() })
	for n, u := range []scene.Use{scene.UseOcclusion, scene.UseRoughness, scene.UseMetallic} {
		if u == scene.UseOcclusion && !shaded {
			continue
		}
		mp := scene.Map{Channel: scene.Red + scene.Channel(n)}
		mp.Texture = k.textured(mp, c, u, slot)
		m.Maps[u] = mp
	}
	p.Cooks[p.Textures[m.Maps[scene.UseRoughness].Texture-1].Image].Role = "orm"
	m.Roughness, m.Metallic = 1, 1
}
