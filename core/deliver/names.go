package deliver

import (
	"errors"
	"fmt"
	"path"
	"strconv"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/format/pack"
	"yarvek/core/naming"
	"yarvek/core/picture"
	"yarvek/core/picture/outfit"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// Renamed is what a target's pattern makes of a name.
type Renamed struct {
	Was, Is string
	Clash   bool // another one would have the same name: it keeps its own
}

// Namer gives what leaves the names its target wants. It is safe for use by several
// goroutines.
type Namer struct{ node, slot *naming.Template }

// NewNamer makes that of a target; the error says what is wrong with its patterns.
func NewNamer(t target.Target) (Namer, error) {
	node, err1 := t.Pattern(target.NodeName)
	slot, err2 := t.Pattern(target.SlotName)
	return Namer{node, slot}, errors.Join(err1, err2)
}

// Nodes are the names of the nodes with a mesh, in their order, nil where the target leaves
// names as they are. Those that would clash, with one another or with what is not renamed,
// keep their own.
func (n Namer) Nodes(asset string, names []string) []Renamed {
	return renamed(n.node, "mesh", asset, names)
}

// Slots are those of the slots.
func (n Namer) Slots(asset string, names []string) []Renamed {
	return renamed(n.slot, "slot", asset, names)
}

// FileName is the name a target gives the main file of an asset, without suffix.
func FileName(t target.Target, kit, asset string) (string, error) {
	p, err := t.Pattern(target.FileName)
	if err != nil {
		return "", err
	}
	return p.Make(map[string]string{"asset": asset, "kit": kit})
}

func renamed(p *naming.Template, key, asset string, names []string) []Renamed {
	if p == nil {
		return nil
	}
	list := make([]Renamed, len(names))
	count := map[string]int{}
	for i, n := range names {
		is, err := p.Make(map[string]string{key: n, "asset": asset})
		if err != nil {
			is = n // too long to be cut: it stays
		}
		list[i] = Renamed{Was: n, Is: is}
		count[is]++
	}
	// One that keeps its own may stand in another one's way.
	for more := true; more; {
		more = false
		for i := range list {
			if r := &list[i]; !r.Clash && r.Is != r.Was && count[r.Is] > 1 {
				r.Clash, more = true, true
			}
		}
		for i := range list {
			if r := &list[i]; r.Clash && r.Is != r.Was {
				count[r.Is]--
				r.Is = r.Was
				count[r.Is]++
			}
		}
	}
	return list
}

// named gives what leaves the names its target wants, and says what was renamed and what
// could not be.
func named(d scene.Delivery, t target.Target, asset string) (scene.Delivery, []pack.Change, error) {
	by, err := NewNamer(t)
	if err != nil {
		return d, nil, err
	}
	s := d.Scene.Clone()
	var at []int
	var names []string
	for i, n := range s.Nodes {
		if n.Mesh >= 0 {
			at, names = append(at, i), append(names, n.Name)
		}
	}
	nodes := by.Nodes(asset, names)
	was := map[string]string{} // what names are now
	var said []pack.Change
	for k, r := range nodes {
		n := &s.Nodes[at[k]]
		if m := s.Meshes[n.Mesh]; m.Name == r.Was && r.Is != r.Was {
			own := *m
			own.Name = r.Is
			s.Meshes[n.Mesh] = &own
		}
		n.Name = r.Is
	}
	said = append(said, told(pack.Nodes, "node", nodes)...)
	names = nil
	for _, m := range s.Materials {
		names = append(names, m.Name)
	}
	called := by.Slots(asset, names)
	if called != nil {
		s.Materials = append([]scene.Material(nil), s.Materials...)
		for k, r := range called {
			s.Materials[k].Name = r.Is
		}
		said = append(said, told(pack.Materials, "slot", called)...)
	}
	for k, r := range nodes {
		was[r.Was] = s.Nodes[at[k]].Name
	}
	if d.NamePictures {
		list, err := namedPictures(s, t, asset)
		if err != nil {
			return d, nil, err
		}
		said = append(said, told(pack.Pictures, "picture", list)...)
	}
	if d.LODs, err = namedLODs(d.LODs, t, asset, was, s); err != nil {
		return d, nil, err
	}
	if d.Collision, err = namedShapes(d.Collision, t, asset, was); err != nil {
		return d, nil, err
	}
	d.Scene = s
	return d, said, nil
}

// namedPictures gives pictures their names by the target's pattern, of the first slot that uses each and
// what for; of those that would be called alike all but the first are counted from 2 on. What the pattern
// can't name keeps its own.
func namedPictures(s *scene.Scene, t target.Target, asset string) ([]Renamed, error) {
	pattern, err := t.Pattern(target.TextureName)
	if err != nil || pattern == nil {
		return nil, err
	}
	images := append([]scene.Image(nil), s.Images...)
	named := make([]bool, len(images))
	count := map[string]int{}
	var list []Renamed
	for _, m := range s.Materials {
		role := map[int]string{}
		for use := range scene.Uses { // in the order of uses
			at := pictureOf(s, m.Maps[use])
			if at < 0 || named[at] {
				continue
			}
			switch word := outfit.Roles[use]; {
			case role[at] == "":
				role[at] = word
			case role[at] == outfit.Roles[scene.UseMetallic] || role[at] == outfit.Roles[scene.UseRoughness]:
				role[at] = "orm"
			}
		}
		for use := range scene.Uses {
			at := pictureOf(s, m.Maps[use])
			if at < 0 || named[at] {
				continue
			}
			named[at] = true
			was := images[at].Name
			is, err := pattern.Make(map[string]string{"slot": m.Name, "asset": asset, "role": role[at]})
			if err != nil {
				is = strings.TrimSuffix(was, path.Ext(was))
			}
			if count[strings.ToLower(is)]++; count[strings.ToLower(is)] > 1 {
				is = fmt.Sprintf("%s %d", is, count[strings.ToLower(is)])
			}
			images[at].Name = is + picture.Suffix(images[at].MIME)
			list = append(list, Renamed{Was: was, Is: images[at].Name})
		}
	}
	s.Images = images
	return list, nil
}

// namedShapes gives collision shapes their names by the target's pattern, of what the nodes they stand
// for are called now; of each node and kind they are counted from 1 on. Those that have a name keep it.
func namedShapes(list []scene.Shape, t target.Target, asset string, is map[string]string) ([]scene.Shape, error) {
	pattern, err := t.SolidNames()
	if err != nil || len(list) == 0 {
		return list, err
	}
	out := make([]scene.Shape, len(list))
	count := map[[2]string]int{}
	for i, s := range list {
		if s.Name == "" {
			of := s.Of
			if now, ok := is[of]; ok {
				of = now
			}
			s.Of = of
			k := [2]string{of, s.Kind}
			if !pattern.SaysKind() {
				k[1] = "" // of all kinds they are counted in one
			}
			count[k]++
			if s.Name, err = pattern.Name(of, asset, s.Kind, count[k]); err != nil {
				return nil, err
			}
		}
		own := *s.Mesh
		own.Name = s.Name
		s.Mesh = &own
		out[i] = s
	}
	return out, nil
}

// namedLODs gives the nodes of LODs their names by the target's pattern, of what the nodes they
// stand for are called now, and the slots of the asset.
func namedLODs(list []scene.LOD, t target.Target, asset string, is map[string]string, of *scene.Scene) ([]scene.LOD,
	error) {
	pattern, err := t.Pattern(target.LODName)
	if err != nil || len(list) == 0 {
		return list, err
	}
	out := make([]scene.LOD, len(list))
	for i, l := range list {
		s := l.Scene.Clone()
		s.Materials, s.Images = of.Materials, of.Images
		name := func(of string) (string, error) {
			if now, ok := is[of]; ok {
				of = now
			}
			return pattern.Make(map[string]string{"mesh": of, "asset": asset, "n": strconv.Itoa(i + 1)})
		}
		for k := range s.Nodes {
			n := &s.Nodes[k]
			if n.Name, err = name(n.Name); err != nil {
				return nil, err
			}
			if n.Mesh >= 0 {
				own := *s.Meshes[n.Mesh]
				own.Name = n.Name
				s.Meshes[n.Mesh] = &own
			}
		}
		out[i] = l
		out[i].Scene = s
		if out[i].Name, err = name(s.Name); err != nil {
			return nil, err
		}
	}
	return out, nil
}

// told says how many names a pattern changed, and those it could not.
func told(about pack.Topic, what string, list []Renamed) []pack.Change {
	changed := 0
	var clashes []string
	for _, r := range list {
		if r.Is != r.Was {
			changed++
		}
		if r.Clash {
			clashes = append(clashes, "“"+r.Was+"”")
		}
	}
	var said []pack.Change
	if changed > 0 {
		said = append(said, pack.Change{About: about, What: figure.Plural(changed, what+" was renamed",
			what+"s were renamed"),
			Why: "by the target's pattern"})
	}
	if len(clashes) > 0 {
		said = append(said, pack.Change{About: about,
			What: fmt.Sprintf("%s kept %s", figure.Plural(len(clashes), what, what+"s"),
				map[bool]string{true: "its name", false: "their names"}[len(clashes) == 1]),
			Why: "by the target's pattern they would be called alike: " + few(clashes)})
	}
	return said
}

// few lists up to six.
func few(list []string) string {
	out := ""
	for i, s := range list {
		if i == 6 {
			return fmt.Sprintf("%s and %d more", out, len(list)-6)
		}
		if i > 0 {
			out += ", "
		}
		out += s
	}
	return out
}
