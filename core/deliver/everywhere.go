package deliver

import (
	"fmt"
	"math"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/picture"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// Standing is how a file arrives at a target, whoever wrote it: set against what a receiver would have that honours
// all that the file says. Where it says no frame, against that which its reader assumed.
type Standing struct {
	Target    string  `json:"target"`
	ID        string  `json:"id"`        // of the target
	Stands    Cell    `json:"stands"`    // which way is up
	Front     Cell    `json:"front"`     // where it looks
	Faces     Cell    `json:"faces"`     // which side of them is out: mirrored or not
	Size      Cell    `json:"size"`      // how tall it is
	Pivot     Cell    `json:"pivot"`     // where its origin comes to be
	Nodes     Cell    `json:"nodes"`     // whether their transforms count
	LODs      Cell    `json:"lods"`      // whether they are known as such
	Collision Cell    `json:"collision"` // likewise
	Slots     Cell    `json:"slots"`
	Pictures  Cell    `json:"pictures"`
	Height    float64 `json:"height"` // as it arrives; metres
}

// Cell is one thing of it.
type Cell struct {
	Says string `json:"says"`
	OK   bool   `json:"ok"`
}

// Cells are all of them, in the order of a table.
func (s Standing) Cells() []Cell {
	return []Cell{s.Stands, s.Front, s.Faces, s.Size, s.Pivot, s.Nodes, s.LODs, s.Collision, s.Slots, s.Pictures}
}

// Wrong says what arrives otherwise, thing by thing.
func (s Standing) Wrong() (list []string) {
	for i, c := range s.Cells() {
		if !c.OK {
			list = append(list, strings.ToLower(Headings[i])+" "+c.Says)
		}
	}
	return list
}

// Headings are those of the cells.
var Headings = []string{"Stands", "Front", "Faces", "Size", "Pivot", "Nodes", "LODs", "Collision", "Slots", "Pictures"}

// Equal tells whether all arrives as it is meant.
func (s Standing) Equal() bool {
	for _, c := range s.Cells() {
		if !c.OK {
			return false
		}
	}
	return true
}

// Stand tells how a scene that was read from a file of a format arrives at a target. It was written for the target
// sender where that is given, which counts in formats that don't say their frame; nil for a file whose frame is what
// its reader assumed.
func Stand(s *scene.Scene, f format.Format, t target.Target, sender *target.Target) Standing {
	said := format.Frame{Basis: s.Basis, UnitMetres: s.UnitMetres}
	if sender != nil && !f.Declares {
		said = f.Frame(*sender)
	}
	taken := f.Taken(t, said)
	got := received(s, said, f, t)
	arrival := t.Arrival.Map(t.Basis)
	// From how it is meant to how it arrives, in the target's frame, without the scale.
	turn := arrival.M.Mul(taken.Basis.To(t.Basis)).Mul(said.Basis.To(t.Basis).Transpose())
	scale := math.Cbrt(math.Abs(turn.Det()))
	turn = turn.Scaled(1 / scale)
	scale *= taken.UnitMetres / said.UnitMetres
	box := ownBox(got, t)
	height := math.Abs(box.Size().Dot(t.Basis.Up.Vec()))
	out := Standing{Target: t.Name, ID: t.ID, Height: height,
		Stands: turned(turn, t.Basis.Up.Vec(), "upright", "upside down", "on its side"),
		Front:  turned(turn, t.Basis.Forward.Vec(), "ahead", "backward", "to the side"),
		Faces:  Cell{"as meant", true}, Size: Cell{figure.Length(height) + " tall", math.Abs(scale-1) < 1e-6},
		Pivot: Cell{"where it is", arrival.T.Len() < 1e-9}, Nodes: Cell{"kept", true},
	}
	if turn.Det() < 0 {
		out.Faces = Cell{"mirrored", false}
	}
	if !out.Size.OK {
		out.Size.Says = fmt.Sprintf("%s tall, × %s", figure.Length(height), figure.Significant(scale, 4))
	}
	if !out.Pivot.OK {
		out.Pivot.Says = figure.Length(arrival.T.Len()) + " off"
	}
	if !f.Reading(t).KeepsNodes {
		n := 0
		for i, w := range s.Worlds() {
			if s.Nodes[i].Mesh >= 0 && !w.Near(geom.Identity, 1e-9) {
				n++
			}
		}
		if n > 0 {
			out.Nodes = Cell{figure.Plural(n, "node falls", "nodes fall") + " to the origin", false}
		}
	}
	out.LODs, out.Collision = known(s, t)
	slots := 0
	for _, m := range s.UsedMaterials() {
		if m >= 0 {
			slots++
		}
	}
	out.Slots = Cell{figure.Plural(slots, "slot", "slots"), true}
	if t.Needs.OneMesh && s.Count().Instances > 1 {
		out.Slots = Cell{out.Slots.Says + ", and it takes one mesh alone", false}
	}
	out.Pictures = pictured(s, t)
	return out
}

// ownBox holds what is drawn of a file first.
func ownBox(s *scene.Scene, t target.Target) geom.Box { return First(s, t).Bounds() }

// turned says where a direction comes to lie.
func turned(turn geom.Mat3, dir geom.Vec3, same, opposite, aside string) Cell {
	switch c := turn.Apply(dir).Dot(dir); {
	case c > 0.999:
		return Cell{same, true}
	case c < -0.999:
		return Cell{opposite, false}
	}
	return Cell{aside, false}
}

// known counts the LODs and shapes of a file that the target's patterns read, and those whose names say it in words
// that they do not read: those arrive as meshes.
func known(s *scene.Scene, t target.Target) (lods, solids Cell) {
	lod, err1 := t.Pattern(target.LODName)
	solid, err2 := t.SolidNames()
	var l, c, strayL, strayC int
	for _, n := range s.Nodes {
		if n.Mesh < 0 || err1 != nil || err2 != nil {
			continue
		}
		r := naming.RoleOf(n.Name)
		if _, ok := solid.Read(n.Name); ok {
			c++
		} else if m, ok := lod.Read(n.Name); ok {
			if m["n"] != "0" {
				l++
			}
		} else if r.Sure && r.Role == naming.Solid {
			strayC++
		} else if r.Sure && r.Role == naming.Level && r.Number > 0 && !grouped(s, n) {
			strayL++
		}
	}
	say := func(n, stray int) Cell {
		if stray > 0 {
			return Cell{fmt.Sprintf("%d, %d as meshes", n, stray), false}
		}
		if n == 0 {
			return Cell{"none", true}
		}
		return Cell{fmt.Sprint(n), true}
	}
	return say(l, strayL), say(c, strayC)
}

// grouped tells whether a node lies in a LOD group of the file.
func grouped(s *scene.Scene, n scene.Node) bool {
	for p := n.Parent; p >= 0; p = s.Nodes[p].Parent {
		if s.Nodes[p].Kind == scene.KindLOD {
			return true
		}
	}
	return false
}

// pictured tells whether the target can open the pictures.
func pictured(s *scene.Scene, t target.Target) Cell {
	found, closed, large, missing := 0, 0, 0, 0
	for _, im := range s.Images {
		suffix := picture.Suffix(im.MIME)
		switch {
		case !im.Found():
			missing++
		case suffix == "" || !t.Textures.Reads(formatOf[suffix]):
			closed++
		case max(im.Width, im.Height) > t.Textures.Largest:
			large++
		default:
			found++
		}
	}
	c := Cell{fmt.Sprint(found), closed+large+missing == 0}
	if found == 0 && c.OK {
		c.Says = "none"
	}
	for _, x := range []struct {
		n    int
		what string
	}{{missing, "missing"}, {closed, "in a format it does not read"}, {large, "too large"}} {
		if x.n > 0 {
			c.Says += fmt.Sprintf(", %d %s", x.n, x.what)
		}
	}
	return c
}

// formatOf is what targets call the format of a picture, by the suffix of its file.
var formatOf = map[string]string{".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".webp": "webp", ".tga": "tga"}
