package slots

import (
	"fmt"
	"path"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/filter"
	"yarvek/core/finding"
	"yarvek/core/format/picture"
	"yarvek/core/scene"
	"yarvek/core/texture"
)

// pictures holds them against what the target wants.
func (j judge) pictures() {
	t := j.by.Target.Textures
	if j.d.Bare {
		return
	}
	var odd, large, turned, unsaid, deep []string
	var formats []string
	missing := map[string]string{}
	want := map[bool]string{true: "up", false: "down"}[t.GreenUp]
	at := 0
	for i, x := range j.Pictures {
		for _, s := range x.Was {
			if !s.Found {
				missing[s.Key] = "is missing"
			} else if s.Facts.Broken != "" {
				missing[s.Key] = "can’t be opened: " + s.Facts.Broken
			}
		}
		if x.Why != "" {
			j.say(finding.MustFix, "unmade-"+x.Name, "“"+x.Name+"” can’t be made", sentenceOf(x.Why)+" It leaves as it came.")
		}
		if x.W == 0 || len(x.Was) == 0 || missing[x.Key] != "" {
			continue
		}
		if t.PowerOfTwo && (x.W&(x.W-1) != 0 || x.H&(x.H-1) != 0) {
			at = i
			odd = append(odd, fmt.Sprintf("%s (%d × %d)", x.Name, x.W, x.H))
		}
		if max(x.W, x.H) > t.Largest {
			large = append(large, fmt.Sprintf("%s (%d × %d)", x.Name, x.W, x.H))
		}
		if x.Recipe.Sheet == nil && slices.Contains(x.Uses, scene.UseNormal) && x.Recipe.Height == 0 {
			switch g := x.Green; {
			case g == filter.Unsaid && !x.Facts.Even:
				unsaid = append(unsaid, x.Key)
			case g == filter.GreenUp && !t.GreenUp, g == filter.GreenDown && t.GreenUp:
				turned = append(turned, x.Name)
			}
		}
		if x.Facts.Depth == 16 && x.Idle() {
			deep = append(deep, x.Name)
		}
		is := x.Image.MIME
		if x.Recipe.Format != texture.Same {
			is = x.Recipe.Format.MIME()
		}
		if f := texture.Format(t.Formats[x.Role]); f != "" && f.MIME() != is && !(f == texture.JPEG && x.Clear()) {
			formats = append(formats, fmt.Sprintf("%s (%s, and %s for %s)", x.Name, strings.TrimPrefix(is, "image/"), f, x.Role))
		}
	}
	for _, key := range sortedKeys(missing) {
		if !j.more("use pictures that can’t be had") {
			continue
		}
		j.say(finding.Look, "picture-"+key, "“"+key+"” "+first(missing[key]), "Slots that use it leave without what it holds. "+rest(missing[key])+
			"Drop it on the sheet, or send the mesh with it again.")
	}
	if len(odd) > 0 {
		to := func(how string) finding.Remedy {
			label := "To a power of two, " + how
			if len(odd) == 1 {
				label = "To " + sides(j.d, how, j.Pictures[at])
			}
			return j.with(label, "Filtered by what the pixels mean: colours as light, normals as directions.", func(d *Decisions) { d.Pictures.Power = how })
		}
		j.say(finding.Look, "sides", figure.Plural(len(odd), "picture has a side", "pictures have sides")+" that is no power of two",
			some(odd)+". The target wants powers of two.", to("down"), to("up"), to("nearest"))
		if r := j.Last().Remedies; len(odd) == 1 { // nearest is one of both, unless a side goes up and the other down
			j.Last().Remedies = slices.CompactFunc(r, func(a, b finding.Remedy) bool { return a.Label == b.Label })
			if n := len(j.Last().Remedies); n == 3 && r[2].Label == r[0].Label {
				j.Last().Remedies = j.Last().Remedies[:2]
			}
		}
	}
	if len(large) > 0 {
		j.say(finding.Look, "large", figure.Plural(len(large), "picture is", "pictures are")+fmt.Sprintf(" larger than %d pixels a side", t.Largest),
			some(large)+". That is the target's limit.", j.with(fmt.Sprintf("At most %d", t.Largest), "Larger ones are halved until they are.",
				func(d *Decisions) { d.Pictures.Most = t.Largest }))
	}
	if len(turned) > 0 {
		j.say(finding.Look, "green", "Green of "+figure.Plural(len(turned), "normal map points", "normal maps point")+" the other way", some(turned)+
			". The target wants it "+want+"; bumps would look like dents.", j.with("Turn it "+want, "It is turned where it points the other way, and nowhere else.",
			func(d *Decisions) { d.Pictures.Green = want }))
	}
	for _, key := range unsaid {
		if !j.more("don’t tell where green points") {
			continue
		}
		said := func(way string) finding.Remedy {
			return j.with("It points "+way, "It is turned when the target wants it otherwise and that is decided.", func(d *Decisions) { *d = d.owning(key, func(o *Own) { o.Green = way }) })
		}
		j.say(finding.Note, "unsaid-"+key, "Which way green of “"+key+"” points can’t be told", "It is flat, or no map of heights. The target wants it "+want+".",
			said(want), said(map[string]string{"up": "down", "down": "up"}[want]))
	}
	if len(deep) > 0 {
		j.say(finding.Note, "deep", figure.Plural(len(deep), "picture holds", "pictures hold")+" 16 bits a channel", some(deep)+
			". Twice as large, and most receivers make 8 of them.", j.with("Make 8 of them", "Rounded to the nearest.", func(d *Decisions) { d.Pictures.Eight = true }))
	}
	if len(formats) > 0 {
		j.say(finding.Note, "formats", figure.Plural(len(formats), "picture is", "pictures are")+" in another format than the target wants", some(formats)+".",
			j.with("Write them as it wants", "By role. A picture with alpha does not become JPEG.", func(d *Decisions) { d.Pictures.Formats = "target" }))
	}
	j.older()
	j.gloss()
	j.suffixes()
	j.packing()
	j.double()
}

// gloss says which pictures for roughness are called gloss.
func (j judge) gloss() {
	for _, x := range j.Pictures {
		if !slices.Contains(x.Uses, scene.UseRoughness) || x.Recipe.Pack != nil || x.Recipe.Sheet != nil || x.Recipe.Older != nil || len(x.Was) == 0 {
			continue
		}
		key := x.Key
		if !texture.GuessOf(stem(x.Was[0].Name), x.Facts).Gloss || j.d.ownOf(key).Invert {
			continue
		}
		j.say(finding.Look, "gloss-"+key, "“"+key+"” is called gloss, and used for roughness", "Gloss is roughness the other way round: what should be dull would shine.",
			j.with("Take it for gloss", "It leaves turned round, as roughness.", func(d *Decisions) { *d = d.owning(key, func(o *Own) { o.Invert = true }) }))
	}
}

// suffixes says which pictures are other files than their names say.
func (j judge) suffixes() {
	var wrong []string
	for _, s := range j.by.Stock {
		is, has := picture.Suffix(s.Facts.MIME), strings.ToLower(path.Ext(s.Name))
		if !s.Found || s.Facts.MIME == "" || has == "" || has == is || map[string]string{".jpeg": ".jpg", ".tiff": ".tif", ".ktx": ".ktx2"}[has] == is {
			continue
		}
		wrong = append(wrong, s.Key+" is "+strings.ToUpper(strings.TrimPrefix(is, ".")))
	}
	if len(wrong) > 0 {
		j.say(finding.Note, "suffix", figure.Plural(len(wrong), "picture is", "pictures are")+" not what the name says", some(wrong)+
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
		j.say(finding.Note, "older", "Roughness and metallic are made of "+figure.Plural(len(of), "specular picture", "specular pictures"),
			some(of)+". Its alpha is gloss, and its colour tells metal from what is none; the colour is made of both pictures.")
	}
}

// sides are what a way to powers of two makes of a picture.
func sides(d Decisions, how string, x Picture) string {
	k := kitchen{d: d}
	k.d.Pictures.Power = how
	w, h := k.size(x.W, x.H, Own{}, x.Uses)
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
		j.say(finding.Look, "packing", "Occlusion, roughness and metallic are pictures of their own", some(apart)+
			". The target wants them in red, green and blue of one.", j.with("Put them together", "One picture instead of up to three.", func(d *Decisions) { d.Pictures.Pack = "orm" }))
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
		j.say(finding.Note, "double", figure.Plural(len(list), "picture is", "pictures are")+" there twice", some(list)+". They leave once.")
	}
}
