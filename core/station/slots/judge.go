package slots

import (
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/naming"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// judge says what should be looked at.
type judge struct {
	*Report
	d    Decisions
	p    *outfit.Plan
	by   Against
	list []*Slot // those that have faces and a material
	most [2]int  // of the list, those that most of the surface has: the first and the second; -1 for none
	said map[string]int
}

// mostSaid is how many findings of one kind are said one by one.
const mostSaid = 12

// kinds are the findings of which there may be one for each slot or picture, by how their codes begin, with
// words for what the rest of them are.
var kinds = map[string]string{"twins": "sets of twins", "near": "pairs of near twins",
	"blank":  "slots without values and pictures",
	"sliver": "slots that cover next to nothing", "full": "slots drawn as if they were clear",
	"mask":         "slots that hold a mask",
	"unused-alpha": "slots with alpha nobody sees", "clash": "names that become one",
	"near-name": "slots nearly in the project",
	"unsaid":    "normal maps whose green can’t be told", "picture": "pictures that can’t be had"}

// more tells whether another finding of a kind is said by itself, and counts those that are not.
func (j judge) more(kind string) bool {
	j.said[kind]++
	return j.said[kind] <= mostSaid
}

// rest tells how many findings of a kind were not said.
func (j judge) rest() {
	for _, k := range slices.Sorted(maps.Keys(j.said)) {
		if n := j.said[k] - mostSaid; n > 0 {
			j.say(finding.Note, "more-"+k, fmt.Sprintf("%s more %s", figure.Count(n), kinds[k]),
				fmt.Sprintf("The first %d are listed; others come when these are settled.", mostSaid))
		}
	}
}

func (j judge) all() {
	j.said, j.most = map[string]int{}, [2]int{-1, -1}
	for i := range j.Slots {
		s := &j.Slots[i]
		if s.Stat.Faces == 0 || s.Key == scene.NoSlot {
			continue
		}
		j.list = append(j.list, s)
		n := len(j.list) - 1
		switch {
		case j.most[0] < 0 || s.Stat.Area > j.list[j.most[0]].Stat.Area:
			j.most = [2]int{n, j.most[0]}
		case j.most[1] < 0 || s.Stat.Area > j.list[j.most[1]].Stat.Area:
			j.most[1] = n
		}
	}
	j.lost()
	j.none()
	j.blank()
	j.twins()
	j.slivers()
	j.count()
	j.unused()
	j.alpha()
	j.names()
	j.pictures()
	j.sheets()
	j.light()
	j.rest()
}

func (j judge) say(sev finding.Severity, code, title, text string, remedies ...finding.Remedy) {
	j.Say(finding.Finding{Code: "slots/" + code, Severity: sev, Title: title, Text: text, Remedies: remedies})
}

// at gives the finding said last the place of a slot.
func (j judge) at(s *Slot) {
	if s.Stat.Faces > 0 {
		p := s.Stat.At
		j.Last().Place.Point = &p
	}
}

// with is a remedy that changes the decisions.
func (j judge) with(label, effect string, change func(*Decisions)) finding.Remedy {
	to := j.d
	change(&to)
	return finding.Remedy{Label: label, Effect: effect, Decision: to}
}

// harsh is one that is never offered as the main one.
func harsh(r finding.Remedy) finding.Remedy {
	r.Harsh = true
	return r
}

// joining makes slots one with another.
func (j judge) joining(label, into string, slots ...string) finding.Remedy {
	return j.with(label, "Their faces get the one slot, and their draw calls become one on each mesh.",
		func(d *Decisions) {
			d.Joins = slices.Clone(d.Joins)
			for _, s := range slots {
				d.Joins = append(d.Joins, outfit.Join{Slot: s, Into: into})
			}
		})
}

// lost are decisions for what is not there.
func (j judge) lost() {
	j.Refer(Info, j.d, j.by.Nodes)
	lost := slices.Clone(j.p.Lost)
	for _, sha := range j.p.LostPictures {
		lost = append(lost, "picture "+sha[:min(8, len(sha))])
	}
	if len(lost) == 0 {
		return
	}
	j.say(finding.Look, "lost-slot", figure.Plural(len(lost), "slot decided for is",
		"slots decided for are")+" not in this revision",
		station.Some(lost)+". What was decided for others still holds.",
		j.with("Drop these decisions", "Nothing changes but that they are no longer kept.",
			func(d *Decisions) { *d = d.without(j.p.Lost, j.p.LostPictures) }))
}

// without are the decisions but those for slots and pictures that are gone.
func (d Decisions) without(slotKeys, pictures []string) Decisions {
	gone := func(k string) bool { return slices.Contains(slotKeys, k) }
	d.Moves = slices.DeleteFunc(slices.Clone(d.Moves), func(m outfit.Move) bool {
		return gone(m.To) || m.From != "" &&
			gone(m.From)
	})
	d.Joins = slices.DeleteFunc(slices.Clone(d.Joins), func(x outfit.Join) bool { return gone(x.Slot) || gone(x.Into) })
	d.Order = slices.DeleteFunc(slices.Clone(d.Order), gone)
	d.Names = slices.DeleteFunc(slices.Clone(d.Names), func(n outfit.Name) bool { return gone(n.Slot) })
	d.Looks = slices.DeleteFunc(slices.Clone(d.Looks), func(l outfit.Look) bool { return gone(l.Slot) })
	d.Assigned = slices.DeleteFunc(slices.Clone(d.Assigned), func(a outfit.Assigned) bool {
		return gone(a.Slot) || slices.Contains(pictures, a.Picture)
	})
	var sheets []outfit.Sheet
	for _, s := range d.Sheets {
		if s.Slots = slices.DeleteFunc(slices.Clone(s.Slots), gone); len(s.Slots) > 1 {
			sheets = append(sheets, s)
		}
	}
	d.Sheets = sheets
	return d
}

// largest is the slot that most of the surface has, but for one.
func (j judge) largest(but string) string {
	for _, i := range j.most {
		if i >= 0 && j.list[i].Key != but {
			return j.list[i].Key
		}
	}
	return ""
}

// none are faces without a slot.
func (j judge) none() {
	i := slices.IndexFunc(j.Slots, func(s Slot) bool { return s.Key == scene.NoSlot })
	if i < 0 {
		return
	}
	st := j.Slots[i].Stat
	var rem []finding.Remedy
	if to := j.largest(scene.NoSlot); to != "" {
		rem = append(rem, j.joining("Give them "+to, to, scene.NoSlot))
	}
	j.say(finding.Look, "no-slot", figure.Plural(st.Faces, "face has", "faces have")+" no slot",
		"They are "+figure.Percent(j.Slots[i].Share)+" of the surface. A receiver gives them a material of its own choice.",
		rem...)
	j.at(&j.Slots[i])
}

// plainLook tells a material that says nothing.
func plainLook(m scene.Material) bool {
	if slices.ContainsFunc(m.Maps[:], scene.Map.Has) || m.Emissive != [3]float64{} || m.AlphaMode != scene.Opaque ||
		m.Metallic != 0 {
		return false
	}
	c := m.BaseColor
	return c[0] == c[1] && c[1] == c[2] && c[3] == 1 && c[0] >= 0.5
}

// blank are default materials nobody wanted.
func (j judge) blank() {
	for _, s := range j.list {
		if len(s.Was) > 1 || s.Sheet > 0 || j.d.Bare || !plainLook(s.Material) ||
			!(naming.Idle(s.Had) || strings.Contains(strings.ToLower(s.Had), "material")) ||
			!j.more("blank") {
			continue
		}
		var rem []finding.Remedy
		if to := j.largest(s.Key); to != "" {
			rem = append(rem, j.joining("Give its faces "+to, to, s.Key))
		}
		j.say(finding.Look, "blank-"+s.Key, "“"+s.Had+"” says nothing",
			fmt.Sprintf("It is grey or white, has no picture, and a name that says nothing; "+
				"%s have it, %s of the surface. It makes %s of its own.", figure.Plural(s.Stat.Faces, "face", "faces"),
				figure.Percent(s.Share),
				figure.Plural(s.Stat.Calls, "draw call", "draw calls")), rem...)
		j.at(s)
	}
}

// facetted is something two materials can differ in.
type facetted struct {
	what, is string
	picture  bool
}

// facets are all that two materials can differ in, by the words for it.
func (j judge) facets(i int) []facetted {
	m := &j.Slots[i].Material
	out := []facetted{
		{what: "colour", is: fmt.Sprint(m.BaseColor)}, {what: "metallic", is: fmt.Sprint(m.Metallic)},
		{what: "roughness", is: fmt.Sprint(m.Roughness)},
		{what: "what glows", is: fmt.Sprint(m.Emissive, m.Glow)},
		{what: "opacity", is: fmt.Sprint(m.AlphaMode, m.AlphaCutoff)},
		{what: "how many sides", is: fmt.Sprint(m.TwoSided)}, {what: "how strong normals are", is: fmt.Sprint(m.NormalScale)},
		{what: "how strong occlusion is", is: fmt.Sprint(m.Occlusion)}, {what: "lighting", is: fmt.Sprint(m.Unlit)}}
	for use, mp := range m.Maps {
		out = append(out, facetted{scene.Use(use).String() + " picture", j.painted(mp), true})
	}
	return out
}

// painted is what a map looks like: its pictures' bytes, what becomes of them, and how they lie.
func (j judge) painted(mp scene.Map) string {
	if !mp.Has() {
		return "none"
	}
	t := j.p.Textures[mp.Texture-1]
	c := j.p.Cooks[t.Image]
	var of []string
	for _, at := range c.In {
		if st := j.by.Stock[at]; st.Found {
			of = append(of, st.Facts.SHA)
		} else {
			of = append(of, "missing "+st.Name)
		}
	}
	place := scene.Placement{Scale: [2]float64{1, 1}}
	if mp.Place != nil {
		place = *mp.Place
	}
	return fmt.Sprint(of, c.Recipe.Key(), t.WrapU, t.WrapV, mp.UVSet, mp.Channel, place)
}

// looks are all that two materials can differ in, to be compared: they are equal where all their facets are.
type looks struct {
	scene.Material // without its name, its pictures and the factors of the older workflow
	pictures       [scene.Uses]string
}

func (j judge) looks(i int) looks {
	l := looks{Material: j.Slots[i].Material}
	for use, mp := range l.Maps {
		if mp.Has() {
			l.pictures[use] = j.painted(mp)
		}
	}
	l.Name, l.Older, l.Maps = "", scene.Older{}, [scene.Uses]scene.Map{}
	return l
}

// near tells whether values of two materials can hardly be told apart: each within a twentieth.
func near(a, b scene.Material) bool {
	within := func(x, y float64) bool { return math.Abs(x-y) <= 0.05 }
	for k := range 4 {
		if !within(a.BaseColor[k], b.BaseColor[k]) || k < 3 && !within(a.Emissive[k], b.Emissive[k]) {
			return false
		}
	}
	return within(a.Metallic, b.Metallic) && within(a.Roughness, b.Roughness)
}

// mostNear is in how many things near twins differ at most, and mostPairs how many slots are compared
// each with each for that.
const (
	mostNear  = 2
	mostPairs = 300
)

// mostJoined is how many slots one remedy makes one.
const mostJoined = 5000

// twins are slots that are equal, or nearly.
func (j judge) twins() {
	if j.d.Bare {
		return
	}
	var firsts []int               // of each kind, in the order of slots
	var kinds []looks              // of the firsts
	same := map[looks][]int{}      // of each kind
	facets := map[int][]facetted{} // of the first of each kind, of as many as are compared each with each
	for i := range j.Slots {
		if s := &j.Slots[i]; s.Stat.Faces == 0 || s.Key == scene.NoSlot {
			continue
		}
		key := j.looks(i)
		if _, ok := same[key]; !ok {
			if firsts, kinds = append(firsts, i), append(kinds, key); len(firsts) <= mostPairs {
				facets[i] = j.facets(i)
			}
		}
		same[key] = append(same[key], i)
	}
	for n, a := range firsts {
		list := same[kinds[n]]
		if len(list) < 2 || !j.more("twins") {
			continue
		}
		var names []string
		for _, i := range list {
			names = append(names, j.Slots[i].Key)
		}
		is := " are twins"
		if len(names) > 2 {
			is = " are one and the same"
		}
		j.say(finding.Look, "twins-"+j.Slots[a].Key, and(names)+is,
			"Every value and picture is equal; only the names differ. Each makes draw calls of its own.",
			j.joining("Make them one", names[0], names[1:min(len(names), mostJoined)]...))
		j.at(&j.Slots[a])
	}
	if len(firsts) > mostPairs {
		return
	}
	for n, a := range firsts {
		for _, b := range firsts[n+1:] {
			var differs []string
			painted := false // otherwise
			for k, f := range facets[b] {
				if f.is != facets[a][k].is {
					differs, painted = append(differs, f.what), painted || f.picture
				}
			}
			x, y := &j.Slots[a], &j.Slots[b]
			if len(differs) > mostNear || !near(x.Material, y.Material) || painted ||
				!j.more("near") {
				continue
			}
			j.say(finding.Note, "near-"+x.Key+"-"+y.Key, fmt.Sprintf("%s and %s are nearly twins", x.Name, y.Name),
				"They differ in "+strings.Join(differs, " and ")+" alone.", harsh(j.joining("Make them "+x.Name, x.Key, y.Key)))
		}
	}
}

// sliver is the share of the surface below which a slot is hardly worth its draw call.
const sliver = 0.002

func (j judge) slivers() {
	if len(j.list) < 2 {
		return
	}
	for _, s := range j.list {
		if s.Share >= sliver || s.Stat.Area <= 0 || !j.more("sliver") {
			continue
		}
		var rem []finding.Remedy
		if to := j.largest(s.Key); to != "" {
			rem = append(rem, harsh(j.joining("Give them "+to, to, s.Key)))
		}
		j.say(finding.Note, "sliver-"+s.Key, fmt.Sprintf("“%s” covers %s of the surface", s.Name, figure.Percent(s.Share)),
			fmt.Sprintf("It costs %s for %s.", figure.Plural(s.Stat.Calls, "draw call", "draw calls"),
				figure.Plural(s.Stat.Faces, "face", "faces")),
			rem...)
	}
}

// count holds slots and pictures against the class.
func (j judge) count() {
	b := j.by.Class.Budget
	if n := len(j.list); b.Slots > 0 && n > b.Slots {
		j.say(finding.Look, "many", fmt.Sprintf("%s, and %s may have %d", figure.Plural(n, "slot", "slots"),
			strings.ToLower(j.by.Class.Name), b.Slots),
			fmt.Sprintf("They make %s. Twins can be made one, and pictures of several slots can share a sheet.",
				figure.Plural(j.Calls, "draw call", "draw calls")))
	}
	if b.TextureBytes > 0 && j.Memory.Blocks > b.TextureBytes {
		half := j.fitting(b.TextureBytes)
		j.say(finding.Look, "memory", fmt.Sprintf("Pictures take %s, and %s may take %s", figure.Bytes(j.Memory.Blocks),
			strings.ToLower(j.by.Class.Name),
			figure.Bytes(b.TextureBytes)), "In graphics memory, in blocks and with mips; as they are "+
			"they take "+figure.Bytes(j.Memory.Plain)+".",
			j.with(fmt.Sprintf("At most %d pixels a side", half), "Larger ones are halved until they are.",
				func(d *Decisions) { d.Pictures.Most = half }))
	}
}

// fitting is the largest power of two that pictures have to have at most so that they take no more than
// so many bytes, as far as that can be had: 16 at least.
func (j judge) fitting(bytes int64) int {
	side := 1
	for _, x := range j.Pictures {
		side = max(side, texture.PowerOfTwo(max(x.W, x.H)-1, texture.Down))
	}
	for ; side > 16; side /= 2 {
		sum := int64(0)
		for _, x := range j.Pictures {
			_, blocks := texture.Bytes(texture.Limited(x.W, x.H, side))
			sum += blocks
		}
		if sum <= bytes {
			break
		}
	}
	return max(side, 16)
}

func (j judge) unused() {
	var names []string
	for _, s := range j.Slots {
		if !s.Used && s.Key != scene.NoSlot {
			names = append(names, s.Key)
		}
	}
	if len(names) > 0 {
		j.say(finding.Note, "unused", figure.Plural(len(names), "material", "materials")+" no face uses",
			station.Some(names)+". They leave in every format, where no mesh has them; what their pictures take leaves with "+
				"them.",
			j.with("Leave them behind", "They are in no file then.", func(d *Decisions) { d.Drop = true }))
	}
	if len(j.Orphans) > 0 {
		j.say(finding.Note, "orphans", figure.Plural(len(j.Orphans), "picture", "pictures")+" no slot uses",
			station.Some(j.Orphans)+". They don't leave.")
	}
}

// alphaFacts are those of the picture that a material's opacity is in.
func (j judge) alphaFacts(s *Slot) (f texture.Facts, ok bool) {
	for _, u := range s.Pictures {
		if u.Use == scene.UseOpacity && u.Channel != scene.Alpha {
			return texture.Facts{}, false // in a picture of its own, which is taken at its word
		}
	}
	for _, u := range s.Pictures {
		if u.Use == scene.UseBaseColor || u.Use == scene.UseOpacity {
			x := j.Pictures[u.Picture]
			if len(x.Was) == 1 && x.Was[0].Found && x.Facts.Broken == "" && x.Facts.Depth > 0 {
				return x.Facts, true
			}
			return texture.Facts{}, false
		}
	}
	return texture.Facts{Full: 1, Depth: 8}, true
}

// maskFrom is from which share of pixels that are wholly there or wholly not on opacity is a mask.
const maskFrom = 0.98

func (j judge) alpha() {
	looked := func(mode scene.AlphaMode, list ...*Slot) func(*Decisions) {
		return func(d *Decisions) {
			of := map[string]bool{}
			for _, s := range list {
				of[s.Key] = true
			}
			d.Looks = slices.DeleteFunc(slices.Clone(d.Looks), func(l outfit.Look) bool { return of[l.Slot] && l.Sides == 0 })
			for _, s := range list {
				d.Looks = append(d.Looks, outfit.Look{Slot: s.Key, Alpha: mode})
			}
		}
	}
	var clear []string
	var blended []*Slot
	for _, s := range j.list {
		if s.Material.AlphaMode == scene.Blend {
			clear, blended = append(clear, s.Name), append(blended, s)
		}
		f, ok := j.alphaFacts(s)
		if !ok || s.Sheet > 0 {
			continue
		}
		full := s.Material.BaseColor[3] >= 1
		switch {
		case s.Material.AlphaMode != scene.Opaque && full && f.Full >= 1 && j.more("full"):
			j.say(finding.Look, "full-"+s.Key,
				s.Name+" is drawn "+outfit.AlphaWords[s.Material.AlphaMode]+", and nothing of it is clear",
				"Its opacity is full everywhere. Drawn like that it costs more, and sorts badly.",
				j.with("Draw it opaque", "It looks the same.", looked(scene.Opaque, s)))
			j.at(s)
		case s.Material.AlphaMode == scene.Blend && full && f.Full < 1 && f.Partly() <= 1-maskFrom && j.more("mask"):
			j.say(finding.Look, "mask-"+s.Key, s.Name+" is drawn translucent, and its picture is a mask",
				figure.Percent(f.Full+f.Clear)+" of its pixels are wholly there or wholly not. Cut out it costs less, "+
					"and needs no sorting.",
				j.with("Draw it cut out", "Pixels of less than half opacity are not drawn.", looked(scene.Mask, s)))
			j.at(s)
		case s.Material.AlphaMode == scene.Opaque && f.Channels == 4 && f.Full < 1 && f.Clear > 0.001 &&
			j.more("unused-alpha"):
			j.say(finding.Note, "unused-alpha-"+s.Key, s.Name+" is opaque, and its picture is not",
				figure.Percent(1-f.Full)+" of its pixels are clear in part, which shows nowhere.",
				harsh(j.with("Draw it cut out", "Pixels of less than half opacity are not drawn.", looked(scene.Mask, s))))
		}
	}
	if n := len(j.list); !j.by.Target.Mixes && len(clear) > 0 && len(clear) < n &&
		slices.ContainsFunc(j.list, func(s *Slot) bool { return s.Stat.Mixed }) {
		j.say(finding.Look, "mixed", "Translucent and opaque faces share a mesh", station.Some(clear)+
			" is translucent, and the target takes no mesh of both. Split it by slot at Source, or draw it cut out.",
			j.with("Draw them cut out", "Pixels of less than half opacity are not drawn.", looked(scene.Mask, blended...)))
	}
	var two []string
	share := 0.0
	for _, s := range j.list {
		if s.Material.TwoSided {
			two = append(two, s.Name)
			share += s.Share
		}
	}
	if len(two) > 0 {
		j.say(finding.Note, "two-sided", figure.Plural(len(two), "slot is", "slots are")+" drawn from both sides",
			station.Some(two)+": "+figure.Percent(
				share)+" of the surface is drawn twice where its back is seen, and none of it is left out "+
				"when it faces away.",
			harsh(j.with("Draw all from one side", "Backs are not drawn.", func(d *Decisions) {
				d.Looks = slices.Clone(d.Looks)
				for _, s := range j.list {
					if s.Material.TwoSided {
						d.Looks = append(d.Looks, outfit.Look{Slot: s.Key, Sides: 1})
					}
				}
			})))
	}
}

// Owning changes what is decided for one picture; what decides nothing is not kept.
func (d Decisions) Owning(key string, change func(*outfit.Own)) Decisions {
	d.Own = slices.Clone(d.Own)
	i := slices.IndexFunc(d.Own, func(o outfit.Own) bool { return o.Picture == key })
	if i < 0 {
		i = len(d.Own)
		d.Own = append(d.Own, outfit.Own{Picture: key})
	}
	change(&d.Own[i])
	if d.Own[i] == (outfit.Own{Picture: key}) {
		d.Own = slices.Delete(d.Own, i, i+1)
	}
	return d
}

func (j judge) sheets() {
	if len(j.p.Tiled) > 0 {
		j.say(finding.Look, "not-on-sheet", figure.Plural(len(j.p.Tiled), "slot is", "slots are")+" not on the sheet",
			station.Some(j.p.Tiled)+".")
	}
	made := map[int]bool{}
	for i, l := range j.p.Sheets {
		made[l.Of] = true
		j.sheetCosts(i, l)
	}
	if n := len(j.d.Sheets) - len(made); n > 0 {
		j.say(finding.Look, "no-sheet", figure.Plural(n, "sheet", "sheets")+" could not be made",
			"Fewer than two of its slots can lie on one, or they have no room on so few texels with that padding.",
			j.with("Drop it", "Slots keep their pictures.", func(d *Decisions) {
				var kept []outfit.Sheet
				for i, sh := range j.d.Sheets {
					if made[i] {
						kept = append(kept, sh)
					}
				}
				d.Sheets = kept
			}))
	}
}

// sheetCosts says where a sheet takes more memory than what it replaces, and where it saves no draw call.
func (j judge) sheetCosts(n int, l outfit.Laid) {
	name := j.p.Slots[l.To].Name
	if l.Was > 0 && l.Is > l.Was {
		sev := finding.Note
		if l.Is > 2*l.Was {
			sev = finding.Look
		}
		j.say(sev, fmt.Sprintf("sheet-memory-%d", n+1), fmt.Sprintf("Sheet “%s” takes %s, and what it replaces %s", name,
			figure.Bytes(l.Is), figure.Bytes(l.Was)), "Sides are powers of two, and what lies between pieces counts too.",
			j.with("No larger than what it replaces", "Pictures become as small as that takes.", func(d *Decisions) {
				d.Sheets = slices.Clone(d.Sheets)
				sh := &d.Sheets[l.Of]
				side := math.Sqrt(0.75 * float64(l.Was) / float64(max(1, l.Roles)))
				sh.AsIs, sh.Most = false, texture.PowerOfTwo(max(16, int(side)), texture.Down)
			}))
	}
	calls, nodes := 0, map[int]bool{}
	for _, slot := range l.Slots {
		st := j.p.Stats[slot+1]
		calls += len(st.On)
		for _, i := range st.On {
			nodes[i] = true
		}
	}
	if calls == len(nodes) {
		j.say(finding.Note, fmt.Sprintf("sheet-calls-%d", n+1), fmt.Sprintf("Sheet “%s” saves no draw call", name),
			"Each of its slots is on a node of its own, and every node is drawn by itself. Make them one mesh at Source to "+
				"draw them at once.")
	}
}

// light says what of the light set should be looked at.
func (j judge) light() {
	l := j.Light
	if l.Over {
		j.say(finding.MustFix, "light-overlap", "The light set overlaps",
			"Charts lie on one another, and would be lit alike.")
	}
	if l.Full {
		j.say(finding.MustFix, "light-full", "The light set has no room for all charts",
			"With that padding they don't fit, however small they become.",
			j.with("Make it twice as large", fmt.Sprintf("%d texels a side.", 2*j.d.Light.Size),
				func(d *Decisions) { d.Light.Size *= 2 }))
	}
	if j.by.Target.Needs.Lightmap && j.d.Light.Size == 0 && j.by.Bare {
		j.say(finding.Look, "light-none", "The target needs a UV set for light",
			"No set but the first is there that covers all without overlap.",
			j.with("Unfold one", fmt.Sprintf("%d texels a side, %d between charts.", outfit.UsualLightSize,
				outfit.UsualLightPadding),
				func(d *Decisions) { d.Light.Size = outfit.UsualLightSize }))
	}
	if l.Kept {
		j.say(finding.Note, "light-kept", "A fit light set is there already",
			"It has no overlap and lies within 0 to 1, so it was kept.",
			harsh(j.with("Make one anyway", "The one that is there is replaced by name, or left.",
				func(d *Decisions) { d.Light.Again = true })))
	}
}

// and lists names in a sentence.
func and(list []string) string {
	if len(list) > 6 {
		return station.Some(list)
	}
	if len(list) < 2 {
		return strings.Join(list, "")
	}
	return strings.Join(list[:len(list)-1], ", ") + " and " + list[len(list)-1]
}

func sentenceOf(s string) string { return strings.ToUpper(s[:1]) + s[1:] + "." }
