package obj

import (
	"bytes"
	"cmp"
	"fmt"
	"math"
	"path"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/finding"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pictures"
	"yarvek/core/format/text"
	"yarvek/core/picture"
	"yarvek/core/scene"
)

// libraries reads every MTL the file names. A missing one is a finding, not an error.
func (a *assembly) libraries() {
	a.materials = map[string]int{}
	read := map[string]bool{}
	for _, e := range a.events {
		if e.kind != 'm' {
			continue
		}
		for _, f := range a.libraryFiles(e) {
			if !read[f.Name] {
				read[f.Name] = true
				(&library{assembly: a, file: f.Name, textures: map[string]int{},
					pictures: pictures.New(a.set, f.Name, a.s)}).read(f.Data)
			}
		}
	}
}

// libraryFiles takes the words of a mtllib as one name with spaces or as several names.
func (a *assembly) libraryFiles(e event) []bundle.File {
	if f, _, err := a.set.Find(a.name, e.text); err == nil {
		return []bundle.File{f}
	}
	var files []bundle.File
	names := strings.Fields(e.text)
	if !strings.EqualFold(path.Ext(names0(names)), ".mtl") {
		names = []string{e.text}
	}
	for _, n := range names {
		f, _, err := a.set.Find(a.name, n)
		if err != nil {
			a.note(finding.Look, "source/missing-library", fmt.Sprintf("Material library “%s” %s", n, bundle.Reason(err)),
				"Every material it describes goes on as plain white, without textures. It can be added later.", e.line)
			a.unfound = append(a.unfound, len(a.findings)-1)
			continue
		}
		files = append(files, f)
	}
	return files
}

// names0 is the first of several names, "" for none.
func names0(names []string) string {
	if len(names) == 0 {
		return ""
	}
	return names[0]
}

// library reads MTL files into the materials of one scene. A bad line is noted and left;
// the rest is read.
type library struct {
	*assembly
	file     string
	textures map[string]int
	pictures *pictures.Finder
	cur      *scene.Material
	rough    bool // Pr was said, so Ns does not count

	called string // what the next material is called, "" for as it is written
	none   bool   // the next material stands for none
}

// note adds a finding at a line of the library.
func (l *library) note(sev finding.Severity, code, title, text string, line int) {
	l.findings = append(l.findings, finding.Finding{Code: code, Severity: sev, Title: title, Text: text,
		Place: finding.Place{File: l.file, Line: line}})
}

// read reads one file line by line.
func (l *library) read(data []byte) {
	data, latin, err := plain(l.file, data)
	if latin > 0 {
		l.noteLatin(l.file, latin)
	}
	if err != nil {
		l.note(finding.Look, "source/bad-library", "A material library can't be read", err.Error(), 0)
		return
	}
	lines(data, func(b []byte, at int) bool {
		b = text.TrimRight(text.SkipSpace(b))
		if name, ok := bytes.CutPrefix(b, []byte(calledMark)); ok {
			l.called = strings.ToValidUTF8(string(name), "�")
		}
		if bytes.Equal(b, []byte(noneMark)) {
			l.none = true
		}
		if len(b) > 0 && b[0] != '#' {
			l.statement(b, at+1)
		}
		return true
	})
}

// statement reads one line, whose comment is gone.
func (l *library) statement(b []byte, line int) {
	key, rest := text.Word(b)
	rest = text.SkipSpace(rest)
	k := strings.ToLower(string(key))
	if k == "newmtl" {
		l.begin(strings.ToValidUTF8(string(rest), "�"), line)
		return
	}
	m := l.cur
	if m == nil {
		return
	}
	switch k {
	case "kd":
		var c [3]float64
		if l.color(rest, &c, line, k) {
			for i, v := range c {
				m.BaseColor[i] = l.share(scene.Linear(v), line, k)
			}
		}
	case "ke":
		var c [3]float64
		if l.color(rest, &c, line, k) {
			l.glow(m, c)
		}
	case "d":
		rest = bytes.TrimPrefix(rest, []byte("-halo"))
		l.opacity(m, rest, line, func(v float64) float64 { return v })
	case "tr":
		l.opacity(m, rest, line, func(v float64) float64 { return 1 - v })
	case "pr":
		if v, ok := l.number(rest, line, k); ok {
			m.Roughness, l.rough = l.share(v, line, k), true
		}
	case "pm":
		if v, ok := l.number(rest, line, k); ok {
			m.Metallic = l.share(v, line, k)
		}
	case "ns":
		// A Blinn-Phong exponent as the roughness with the same highlight
		// (Walter et al. 2007, "Microfacet models for refraction": α² = 2/(n+2),
		// and α is roughness squared).
		if v, ok := l.number(rest, line, k); ok && !l.rough && v >= 0 {
			m.Roughness = math.Sqrt(math.Sqrt(2 / (v + 2)))
		}
	case "map_kd":
		l.texture(m, scene.UseBaseColor, rest, line)
	case "map_ke":
		l.texture(m, scene.UseEmissive, rest, line)
		if m.Emissive == [3]float64{} {
			m.Emissive = [3]float64{1, 1, 1}
		}
	case "map_d":
		l.texture(m, scene.UseOpacity, rest, line)
		if m.AlphaMode == scene.Opaque {
			m.AlphaMode = scene.Blend
		}
	case "map_pr":
		l.texture(m, scene.UseRoughness, rest, line)
		m.Roughness, l.rough = 1, true
	case "map_pm":
		l.texture(m, scene.UseMetallic, rest, line)
		m.Metallic = 1
	case "norm", "map_kn":
		l.texture(m, scene.UseNormal, rest, line)
	case "bump", "map_bump", "disp":
		l.bump(m, k, rest, line)
	case "map_ks", "map_ka", "map_ns", "refl", "decal":
		l.note(finding.Note, "source/mtl-map", fmt.Sprintf("%s of “%s” does not go on", key, m.Name),
			fmt.Sprintf("%s is a map of the classic lighting model that has no place in a physically based one.",
				fault.Quote(rest)), line)
	}
}

// bump takes a picture of heights. It is often the only normal map an artist has, under
// this name; one that looks like a normal map goes on as one.
func (l *library) bump(m *scene.Material, k string, rest []byte, line int) {
	before := m.Maps[scene.UseHeight]
	scale := m.NormalScale
	l.texture(m, scene.UseHeight, rest, line)
	mp := m.Maps[scene.UseHeight]
	if !mp.Has() || k == "disp" || m.Maps[scene.UseNormal].Has() {
		return
	}
	directions, why := picture.IsNormal(l.s.Images[l.s.Textures[mp.Texture-1].Image])
	if !directions {
		return
	}
	m.Maps[scene.UseHeight], m.NormalScale = before, scale
	l.texture(m, scene.UseNormal, rest, line)
	l.note(finding.Note, "source/bump-normal", fmt.Sprintf("The bump picture of “%s” is a normal map", m.Name),
		why+", and it goes on as one.", line)
}

// begin starts a material; a second one of a name is noted, and the first stays.
func (l *library) begin(name string, line int) {
	called := cmp.Or(l.called, name)
	none := l.none
	l.rough, l.called, l.none = false, "", false
	if _, dup := l.materials[name]; dup {
		l.note(finding.Note, "source/mtl-twice", fmt.Sprintf("Material “%s” is described twice", name),
			"The first description counts.", line)
		l.cur = &scene.Material{}
		return
	}
	if none {
		l.materials[name] = -1
		l.cur = &scene.Material{}
		return
	}
	l.materials[name] = len(l.s.Materials)
	l.s.Materials = append(l.s.Materials, scene.NewMaterial(called))
	l.cur = &l.s.Materials[len(l.s.Materials)-1]
	l.cur.Roughness = 0.8
}

// clamp01 keeps a number within 0 and 1.
func clamp01(v float64) float64 { return min(max(v, 0), 1) }

// number reads the first number; ok is false, and noted, when there is none.
func (l *library) number(b []byte, line int, what string) (float64, bool) {
	b = text.SkipSpace(b)
	v, n := text.Float(b)
	if n == 0 || n < len(b) && !text.IsSpace(b[n]) || !(math.Abs(v) <= maxNumber) {
		l.noNumber(b, line, what)
		return 0, false
	}
	return v, true
}

// noNumber says what stands where a number should.
func (l *library) noNumber(b []byte, line int, what string) {
	w, _ := text.Word(b)
	l.note(finding.Note, "source/mtl-number", fmt.Sprintf("%s is no number for %s", fault.Quote(w), what),
		"The usual value stands in for it.", line)
}

// share keeps a number within 0 and 1, and says so where it was not.
func (l *library) share(v float64, line int, what string) float64 {
	w := clamp01(v)
	if math.Abs(w-v) > 1e-9 {
		l.note(finding.Note, "source/mtl-number", fmt.Sprintf("%s of “%s” is beyond its bounds", what, l.cur.Name),
			fmt.Sprintf("It is %.6g and goes on as %g.", v, w), line)
	}
	return w
}

// glow takes a light that is as bright as the file says: more than 1 is a colour and its strength.
func (l *library) glow(m *scene.Material, shown [3]float64) {
	most := 1.0
	for i, v := range shown {
		m.Emissive[i] = max(0, scene.Linear(v))
		most = max(most, m.Emissive[i])
	}
	m.Glow = most
	for i := range m.Emissive {
		m.Emissive[i] /= most
	}
}

// color reads one number, which means grey, or three, as a screen shows them.
func (l *library) color(b []byte, into *[3]float64, line int, what string) bool {
	if w, _ := text.Word(b); string(w) == "xyz" || string(w) == "spectral" {
		l.note(finding.Note, "source/mtl-number", fmt.Sprintf("%s is given as %s", what, w),
			"Only red, green and blue are read; the usual value stands in for it.", line)
		return false
	}
	for i := range into {
		b = text.SkipSpace(b)
		if i > 0 && (len(b) == 0 || b[0] == '#') {
			into[i] = into[0]
			continue
		}
		v, n := text.Float(b)
		if n == 0 || n < len(b) && !text.IsSpace(b[n]) || !(math.Abs(v) <= maxNumber) {
			l.noNumber(b, line, what)
			return false
		}
		into[i] = v
		b = b[n:]
	}
	return true
}

// opacity reads d or Tr by f, which gives opacity.
func (l *library) opacity(m *scene.Material, b []byte, line int, f func(float64) float64) {
	if v, ok := l.number(b, line, "opacity"); ok {
		m.BaseColor[3] = l.share(f(v), line, "opacity")
		if m.BaseColor[3] < 1 && m.AlphaMode == scene.Opaque {
			m.AlphaMode = scene.Blend
		}
	}
}

// options of a map, with the number of words each takes at the most.
var mapOptions = map[string]int{"-s": 3, "-o": 3, "-t": 3, "-mm": 2, "-bm": 1, "-boost": 1, "-texres": 1,
	"-clamp": 1, "-blendu": 1, "-blendv": 1, "-cc": 1, "-imfchan": 1, "-type": 1}

// numbered are the options whose words are numbers that are read.
var numbered = map[string]bool{"-s": true, "-o": true, "-bm": true}

// texture reads a map statement with its options.
func (l *library) texture(m *scene.Material, use scene.Use, b []byte, line int) {
	t := scene.Texture{WrapU: scene.Repeat, WrapV: scene.Repeat}
	channel := scene.Whole
	offset, scale := [2]float64{}, [2]float64{1, 1}
	for {
		opt, rest := text.Word(b)
		most, isOption := mapOptions[string(opt)]
		if !isOption {
			break
		}
		b = rest
		for i := range most {
			w, rest := text.Word(b)
			f, n := text.Float(w)
			fine := n == len(w) && n > 0 && math.Abs(f) <= maxNumber
			if most == 3 && i > 0 && n == 0 {
				break // -s, -o and -t take one to three numbers
			}
			b = rest
			if !fine && numbered[string(opt)] {
				l.noNumber(w, line, string(opt))
			}
			switch string(opt) {
			case "-clamp":
				if string(w) == "on" {
					t.WrapU, t.WrapV = scene.Clamp, scene.Clamp
				}
			case "-bm":
				if fine && use == scene.UseNormal {
					m.NormalScale = f
				}
			case "-imfchan":
				channel = map[string]scene.Channel{"r": scene.Red, "g": scene.Green, "b": scene.Blue, "m": scene.Alpha}[string(w)]
			case "-s", "-o":
				if fine && i < 2 {
					if string(opt) == "-s" {
						scale[i] = f
					} else {
						offset[i] = f
					}
				}
			}
		}
	}
	ref := strings.ToValidUTF8(string(text.SkipSpace(b)), "�")
	if n := len(ref); n > 1 && ref[0] == '"' && ref[n-1] == '"' {
		ref = ref[1 : n-1]
	}
	if ref == "" {
		return
	}
	t.Image = l.image(ref, use, m.Name, line)
	t.Name = l.s.Images[t.Image].Name
	key := fmt.Sprint(t)
	i, seen := l.textures[key]
	if !seen {
		i = len(l.s.Textures)
		l.textures[key] = i
		l.s.Textures = append(l.s.Textures, t)
	}
	m.Maps[use] = scene.Map{Texture: i + 1, Channel: channel, Place: scene.PlacedBelow(offset, scale)}
}

// image is the number of a picture, which is added the first time; one that is not among the files is noted.
func (l *library) image(ref string, use scene.Use, material string, line int) int {
	return l.pictures.Image(ref, fmt.Sprintf("“%s” uses it for %s", material, use),
		func(sev finding.Severity, code, title, text string) { l.note(sev, code, title, text, line) })
}
