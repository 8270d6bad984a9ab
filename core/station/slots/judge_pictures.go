package slots

import (
	"fmt"
	"maps"
	"path"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/picture"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// pictures holds them against what the target wants.
func (j judge) pictures() {
	if j.d.Bare {
		return
	}
	j.unopened()
	good := slices.DeleteFunc(slices.Clone(j.Pictures), func(x Picture) bool {
		return x.W == 0 || len(x.Was) == 0 ||
			!x.Was[0].Opens()
	})
	j.odd(good)
	j.large(good)
	j.greens(good)
	j.deep(good)
	j.formats(good)
	j.older()
	j.gloss()
	j.coloured(good)
	j.suffixes()
	j.packing()
	j.double()
}

// opens tells whether a picture is there and can be opened.

// unopened says which pictures are missing, can't be opened, or can't be made.
func (j judge) unopened() {
	bad := map[string]outfit.Stock{}
	for _, x := range j.Pictures {
		for _, s := range x.Was {
			if !s.Opens() {
				bad[s.Key] = s
			}
		}
		if x.Why != "" {
			j.say(finding.MustFix, "unmade-"+x.Name, "“"+x.Name+"” can’t be made", sentenceOf(x.Why)+" It leaves as it came.")
		}
	}
	for _, key := range slices.Sorted(maps.Keys(bad)) {
		if !j.more("picture") {
			continue
		}
		is, why := " is missing", ""
		if s := bad[key]; s.Found {
			is, why = " can’t be opened", sentenceOf(s.Facts.Broken)+" "
		}
		j.say(finding.Look, "picture-"+key, "“"+key+"”"+is, "Slots that use it leave without what it holds. "+why+
			"Drop it on the sheet, or send the mesh with it again.")
	}
}

// withSizes names pictures with their sizes.
func withSizes(list []Picture) string {
	var out []string
	for _, x := range list {
		out = append(out, fmt.Sprintf("%s (%d × %d)", x.Name, x.W, x.H))
	}
	return station.Some(out)
}

// odd says which sides are no powers of two, where the target wants that.
func (j judge) odd(list []Picture) {
	if !j.by.Target.Textures.PowerOfTwo {
		return
	}
	list = slices.DeleteFunc(slices.Clone(list), func(x Picture) bool { return x.W&(x.W-1) == 0 && x.H&(x.H-1) == 0 })
	if len(list) == 0 {
		return
	}
	to := func(how string) finding.Remedy {
		label := "To a power of two, " + how
		if len(list) == 1 {
			label = "To " + sides(j.d, how, list[0])
		}
		return j.with(label, "Filtered by what the pixels mean: colours as light, normals as directions.",
			func(d *Decisions) { d.Pictures.Power = how })
	}
	var ways []finding.Remedy
	for _, how := range []string{"nearest", "down", "up"} { // of one picture, nearest is the same as another
		if r := to(how); !slices.ContainsFunc(ways, func(w finding.Remedy) bool { return w.Label == r.Label }) {
			ways = append(ways, r)
		}
	}
	j.say(finding.Look, "sides", figure.Plural(len(list), "picture has a side that is no power of two",
		"pictures have sides that are no powers of two"),
		withSizes(list)+". The target wants powers of two.", ways...)
}

// large says which pictures are larger than the target takes.
func (j judge) large(list []Picture) {
	most := j.by.Target.Textures.Largest
	list = slices.DeleteFunc(slices.Clone(list), func(x Picture) bool { return max(x.W, x.H) <= most })
	if len(list) == 0 {
		return
	}
	j.say(finding.Look, "large",
		figure.Plural(len(list), "picture is", "pictures are")+fmt.Sprintf(" larger than %d pixels a side", most),
		withSizes(list)+". That is the target's limit.",
		j.with(fmt.Sprintf("At most %d", most), "Larger ones are halved until they are.",
			func(d *Decisions) { d.Pictures.Most = most }))
}

// greens says which normal maps leave with green the wrong way, and of which it can't be told. Those on a
// sheet count one by one.
func (j judge) greens(list []Picture) {
	up := j.by.Target.Textures.GreenUp
	want, other := "down", "up"
	if up {
		want, other = other, want
	}
	var turned []string
	var unsaid []outfit.Stock
	for _, x := range list {
		if !slices.Contains(x.Uses, scene.UseNormal) || x.Recipe.Height != 0 {
			continue
		}
		for i, w := range x.Was {
			g := x.Green
			if x.Recipe.Sheet != nil {
				g = outfit.GreenOf(w.Facts, outfit.Wishes(j.d).OwnOf(w.Key))
				if on := slices.IndexFunc(x.Recipe.Sheet.Pieces, func(p texture.Piece) bool { return p.Of == i }); on >= 0 &&
					x.Recipe.Sheet.Pieces[on].Green {
					g = otherWay(g)
				}
			}
			switch {
			case !w.Opens():
			case g == texture.Unsaid && !w.Facts.Even:
				unsaid = append(unsaid, w)
			case g == texture.GreenUp && !up, g == texture.GreenDown && up:
				turned = append(turned, w.Name)
			}
		}
	}
	if len(turned) > 0 {
		j.say(finding.Look, "green", "Green of "+figure.Plural(len(turned), "normal map points",
			"normal maps point")+" the other way",
			station.Some(turned)+". The target wants it "+want+"; bumps would look like dents.",
			j.with("Turn it "+want, "It is turned where it points the other way, and nowhere else.",
				func(d *Decisions) { d.Pictures.Green = want }))
	}
	for _, w := range unsaid {
		key := w.Key
		if !j.more("unsaid") {
			continue
		}
		said := func(way string) finding.Remedy {
			return j.with("It points "+way, "It is turned when the target wants it otherwise and that is decided.",
				func(d *Decisions) { *d = d.Owning(key, func(o *outfit.Own) { o.Green = way }) })
		}
		j.say(finding.Note, "unsaid-"+key, "Whether green of “"+w.Name+"” points up can’t be measured",
			"It is flat, or its slopes belong to no surface. The target wants green "+want+".", said(want), said(other))
	}
}

// deep says which pictures hold 16 bits.
func (j judge) deep(list []Picture) {
	var names []string
	for _, x := range list {
		if x.Facts.Depth == 16 && x.Idle() {
			names = append(names, x.Name)
		}
	}
	if len(names) > 0 {
		j.say(finding.Note, "deep", figure.Plural(len(names), "picture holds", "pictures hold")+" 16 bits a channel",
			station.Some(names)+
				". Twice as large, and most receivers make 8 of them.", j.with("Make 8 of them", "Rounded to the nearest.",
				func(d *Decisions) { d.Pictures.Eight = true }))
	}
}

// formats says which pictures are in another format than the target wants for what they are.
func (j judge) formats(list []Picture) {
	var names []string
	for _, x := range list {
		is := x.Image.MIME
		if x.Recipe.Format != texture.Same {
			is = x.Recipe.Format.MIME()
		}
		f := texture.Format(j.by.Target.Textures.Formats[x.Role])
		if f != texture.Same && f.MIME() != is && !(f == texture.JPEG && x.Clear()) {
			names = append(names, fmt.Sprintf("%s (%s, and %s for %s)", x.Name, strings.TrimPrefix(is, "image/"), f, x.Role))
		}
	}
	if len(names) > 0 {
		j.say(finding.Note, "formats",
			figure.Plural(len(names), "picture is", "pictures are")+" in another format than the target wants",
			station.Some(names)+".", j.with("Write them as it wants", "By role. A picture with alpha does not become JPEG.",
				func(d *Decisions) { d.Pictures.Formats = "target" }))
	}
}

// gloss says which pictures for roughness are called gloss.
func (j judge) gloss() {
	for _, x := range j.Pictures {
		r := x.Recipe
		if !slices.Contains(x.Uses, scene.UseRoughness) || r.Pack != nil || r.Sheet != nil || r.Older != nil ||
			len(x.Was) == 0 {
			continue
		}
		key := x.Key
		if !texture.GuessOf(outfit.Stem(x.Was[0].Name), x.Facts).Gloss || outfit.Wishes(j.d).OwnOf(key).Invert {
			continue
		}
		j.say(finding.Look, "gloss-"+key, "“"+key+"” is called gloss, and used for roughness",
			"Gloss is roughness the other way round: what should be dull would shine.",
			j.with("Take it for gloss", "It leaves turned round, as roughness.",
				func(d *Decisions) { *d = d.Owning(key, func(o *outfit.Own) { o.Invert = true }) }))
	}
}

// coloured says which pictures for heights are not grey: a normal map is often joined where heights go.
func (j judge) coloured(list []Picture) {
	for _, x := range list {
		if !slices.Contains(x.Uses, scene.UseHeight) || len(x.Was) == 0 || x.Was[0].Facts.Depth == 0 ||
			x.Was[0].Facts.Shows == picture.Grey {
			continue
		}
		key := x.Was[0].Key
		j.say(finding.Look, "coloured-"+key, "“"+key+"” is used for heights, and is coloured",
			"Heights are one value a pixel. A normal map is often joined where heights go; taken for heights it leaves glTF "+
				"altogether, and looks wrong elsewhere.",
			j.with("Take it for a normal map", "It goes where normals go.",
				func(d *Decisions) { *d = d.Owning(key, func(o *outfit.Own) { o.As = outfit.AsNormal }) }))
	}
}

// suffixes says which pictures are other files than their names say.
func (j judge) suffixes() {
	var wrong []string
	for _, s := range j.by.Stock {
		is, has := picture.Suffix(s.Facts.MIME), strings.ToLower(path.Ext(s.Name))
		if !s.Found || s.Facts.MIME == "" || has == "" || has == is ||
			map[string]string{".jpeg": ".jpg", ".tiff": ".tif", ".ktx": ".ktx2"}[has] == is {
			continue
		}
		wrong = append(wrong, s.Key+" is "+strings.ToUpper(strings.TrimPrefix(is, ".")))
	}
	if len(wrong) > 0 {
		j.say(finding.Note, "suffix", figure.Plural(len(wrong), "picture is", "pictures are")+" not what the name says",
			station.Some(wrong)+
				". They were read as what they are, and leave with the suffix of that.")
	}
}

// older says what was made of the older workflow's pictures.
func (j judge) older() {
	var of []string
	for _, x := range j.Pictures {
		if x.Recipe.Older != nil && x.Recipe.Older.Shine {
			of = append(of, x.Key)
		}
	}
	if len(of) > 0 {
		j.say(finding.Note, "older", "Roughness and metallic are made of "+figure.Plural(len(of), "specular picture",
			"specular pictures"),
			station.Some(of)+". Its alpha is gloss, and its colour tells metal from what is none; the colour is made of both "+
				"pictures.")
	}
}

// sides are what a way to powers of two makes of a picture.
func sides(d Decisions, how string, x Picture) string {
	p := d.Pictures
	p.Power = how
	w, h := p.Size(x.W, x.H, outfit.Own{}, x.Uses)
	return fmt.Sprintf("%d × %d", w, h)
}

// packing says whether occlusion, roughness and metallic are put together as the target has it.
func (j judge) packing() {
	if j.by.Target.Textures.Packing != "orm" || j.d.Pictures.Pack == "orm" {
		return
	}
	var apart []string
	for _, s := range j.list {
		seen := map[int]bool{}
		for _, u := range s.Pictures {
			if u.Use == scene.UseOcclusion || u.Use == scene.UseRoughness || u.Use == scene.UseMetallic {
				seen[u.Picture] = true
			}
		}
		if len(seen) > 1 {
			apart = append(apart, s.Name)
		}
	}
	if len(apart) > 0 {
		j.say(finding.Look, "packing", "Occlusion, roughness and metallic are pictures of their own", station.Some(apart)+
			". The target wants them in red, green and blue of one.",
			j.with("Put them together", "One picture instead of up to three.", func(d *Decisions) { d.Pictures.Pack = "orm" }))
	}
}

// double are pictures with the same bytes under two names.
func (j judge) double() {
	first := map[string]string{}
	var list []string
	for _, s := range j.by.Stock {
		if !s.Found || s.Facts.SHA == "" {
			continue
		}
		if k, ok := first[s.Facts.SHA]; ok {
			list = append(list, s.Key+" as "+k)
		} else {
			first[s.Facts.SHA] = s.Key
		}
	}
	if len(list) > 0 {
		j.say(finding.Note, "double", figure.Plural(len(list), "picture is", "pictures are")+" there twice",
			station.Some(list)+". They leave once.")
	}
}
