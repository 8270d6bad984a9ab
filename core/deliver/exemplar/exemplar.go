// Package exemplar reads off a file that came out right in a receiver what that receiver expects: its frame and unit,
// its names, the collision it takes, how its pictures are, what an asset of that sort costs. Whatever a file can't say
// of a receiver is said to be so, and nothing is taken that is not confirmed.
package exemplar

import (
	"context"
	"fmt"
	"math"
	"path"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/geom"
	"yarvek/core/measure/cost"
	"yarvek/core/measure/extents"
	"yarvek/core/picture/outfit"
	"yarvek/core/scene"
	"yarvek/core/station/source"
	"yarvek/core/target"
	"yarvek/core/target/class"
)

// Reading is what a file says of the receiver that it is right in. Nobody writes to it.
type Reading struct {
	Format format.Format

	Basis    geom.Basis // of the file
	BasisHow scene.How
	Unit     figure.Unit // the one of figure.Units nearest to the file's
	UnitHow  scene.How
	// Extents are those of what is seen, along the file's x, y and z; in units of the file.
	Extents geom.Vec3

	Lines []Line
	Said  []string // what can't be read off
}

// Line is one thing that a file says, to be taken or not.
type Line struct {
	ID      string // such as "lods"
	What    string
	Is      string
	Because string
	Sure    bool // what the file can't have by chance

	set func(*target.Target)
}

// Of reads what a scene says, which was read from a file of some format.
func Of(ctx context.Context, s *scene.Scene) (*Reading, error) {
	f, err := format.Of(s)
	if err != nil {
		return nil, err
	}
	r := &Reading{Format: f, Basis: s.Basis, BasisHow: s.BasisHow, Unit: nearest(s.UnitMetres), UnitHow: s.UnitHow}
	aside := map[int]source.Guess{} // what is not the asset as it is seen near by
	for _, g := range source.StandIns(ctx, s) {
		aside[g.Node] = g
	}
	if err := ctx.Err(); err != nil {
		return nil, err
	}
	seen := s.Without(func(i int) bool { _, is := aside[i]; return is })
	box := seen.Bounds()
	if box.IsEmpty() || len(seen.Meshes) == 0 {
		return nil, fmt.Errorf("nothing is seen in it, so it says nothing of the engine it is right in")
	}
	r.Extents = box.Size().Mul(1 / s.UnitMetres)
	if s.BasisHow != scene.Declared {
		r.Said = append(r.Said, fmt.Sprintf("%s says nothing of the engine's axes: %s. Choose them", f.Name,
			map[bool]string{true: "its standard fixes them", false: "it says none"}[s.BasisHow == scene.ByStandard]))
	}
	if f.Righted {
		r.Said = append(r.Said, f.Name+" is written right-handed for every engine, so it says nothing of the engine's hand")
	}
	r.line(Line{"prefers", "Format", f.Name, "it came out right", true, func(t *target.Target) { t.Prefers = f.ID }})
	r.names(s, aside)
	r.pivot(ctx, seen, box)
	r.pictures(s)
	r.cost(ctx, seen, box)
	r.needs(seen)
	return r, nil
}

// nearest is the unit of figure.Units that is nearest to a length in metres.
func nearest(metres float64) figure.Unit {
	return slices.MinFunc(figure.Units, func(a, b figure.Unit) int {
		return int(1e6 * (math.Abs(math.Log(a.Metres/metres)) - math.Abs(math.Log(b.Metres/metres))))
	})
}

func (r *Reading) line(l Line) { r.Lines = append(r.Lines, l) }

// Target is the target that a reading makes: with the frame that the engine is confirmed to have, and the lines that
// are taken.
func (r *Reading) Target(name string, engine geom.Basis, unit figure.Unit, take func(id string) bool) (target.Target,
	error) {
	t := target.Framed("learned", name, engine, unit)
	i := slices.IndexFunc(target.Families, func(f target.Family) bool { return f.Key == r.rule() })
	reads := target.Families[i].Of(&t.Reads)
	// The file was right as it is. One in another frame than the engine's was turned on its way in, by what it says.
	of := r.Basis
	if r.Format.Righted {
		of.Left = engine.Left
	}
	if other := of != engine || r.Unit != unit; other && r.Format.Declares {
		reads.HonoursAxes, reads.HonoursUnit, reads.HonoursHand = true, true, true
	} else if !r.Format.Declares && r.Format.Fixed == nil {
		reads.Basis, reads.Unit = engine, unit
	}
	for _, l := range r.Lines {
		if take(l.ID) {
			l.set(&t)
		}
	}
	if err := t.Check(); err != nil {
		return t, fmt.Errorf("what was read makes no target: %w", err)
	}
	return t, nil
}

// rule is the key of what targets say of files of the format.
func (r *Reading) rule() string {
	for _, rule := range format.Rules() {
		if rule.As.ID == r.Format.ID || rule.As.Suffix == r.Format.Suffix {
			return rule.Key
		}
	}
	return format.Rules()[0].Key
}

// pivot says where the origin is of what is seen, by the places a target knows; nothing where it is at none of them.
func (r *Reading) pivot(ctx context.Context, s *scene.Scene, box geom.Box) {
	size := box.Size()
	near := func(p geom.Vec3) bool { return p.Len() < 0.01*size.Len() }
	up := r.Basis.Up.Vec()
	mid := box.Center()
	base := mid.Sub(up.Mul(mid.Dot(up))).Add(up.Mul(least(box, up)))
	place, why := "", ""
	switch {
	case near(base):
		place, why = "base", "the origin is in the middle of its base"
	case near(extents.BodyOf(ctx, s).Centre):
		place, why = "mass", "the origin is its centre of mass"
	case near(mid):
		place, why = "centre", "the origin is in the middle of its box"
	case near(box.Min):
		place, why = "corner", "the origin is at a corner of its box"
	default:
		r.Said = append(r.Said, "Its origin is at none of the places that a target knows")
		return
	}
	r.line(Line{"pivot", "Pivot", place, why, true, func(t *target.Target) { t.Pivot.Place = place }})
}

// least is how far along a direction of an axis a box begins.
func least(b geom.Box, up geom.Vec3) float64 { return min(b.Min.Dot(up), b.Max.Dot(up)) }

// pictures says how the pictures are.
func (r *Reading) pictures(s *scene.Scene) {
	side, power, formats := 0, true, map[string]string{}
	packed := false
	for _, m := range s.Materials {
		for use, at := range m.Maps {
			if at.Texture == 0 {
				continue
			}
			img := s.Images[s.Textures[at.Texture-1].Image]
			side = max(side, img.Width, img.Height)
			power = power && isPower(img.Width) && isPower(img.Height)
			if f := suffixes[strings.ToLower(path.Ext(img.Path+img.Name))]; f != "" {
				formats[outfit.Roles[use]] = f
			} else if f, ok := strings.CutPrefix(img.MIME, "image/"); ok && slices.Contains([]string{"png", "jpeg", "webp"}, f) {
				formats[outfit.Roles[use]] = f
			}
		}
		a, b := m.Maps[scene.UseRoughness].Texture, m.Maps[scene.UseOcclusion].Texture
		packed = packed || a != 0 && a == m.Maps[scene.UseMetallic].Texture && a == b
	}
	if side == 0 {
		r.Said = append(r.Said, "It has no pictures, so nothing is read off of textures")
		return
	}
	r.line(Line{"largest", "Pictures at most", fmt.Sprintf("%d px a side", side), "the largest has so many", false,
		func(t *target.Target) { t.Textures.Largest = side }})
	r.line(Line{"power", "Sides", map[bool]string{true: "powers of two", false: "of any length"}[power],
		"all of them are", !power, func(t *target.Target) { t.Textures.PowerOfTwo = power }})
	if packed {
		r.line(Line{"packing", "Occlusion, roughness, metallic", "in one picture", "a slot has them so", true,
			func(t *target.Target) { t.Textures.Packing = "orm" }})
	}
	if len(formats) > 0 {
		var words []string
		for role, f := range formats {
			words = append(words, role+" "+f)
		}
		slices.Sort(words)
		r.line(Line{"formats", "Formats", strings.Join(words, ", "), "they are so in it", false, func(t *target.Target) {
			for role, f := range formats {
				if _, known := t.Textures.Formats[role]; known {
					t.Textures.Formats[role] = f
				}
			}
		}})
	}
}

// suffixes are the formats of pictures that a target knows, by the ends of names.
var suffixes = map[string]string{".png": "png", ".jpg": "jpeg", ".jpeg": "jpeg", ".webp": "webp", ".tga": "tga"}

func isPower(n int) bool { return n > 0 && n&(n-1) == 0 }

// cost says what an asset of its class may cost, as it is.
func (r *Reading) cost(ctx context.Context, s *scene.Scene, box geom.Box) {
	size := box.Size()
	longest := max(size[0], size[1], size[2])
	names := []string{s.Name}
	for _, n := range s.Nodes {
		names = append(names, n.Name)
	}
	list := class.Propose(class.Usual, names, longest)
	if len(list) == 0 {
		r.Said = append(r.Said, "No class of asset is of its size, so no budget is read off")
		return
	}
	c, is := list[0].Class, cost.OfScene(ctx, s)
	b := class.Budget{Triangles: rounded(is.Triangles), Vertices: rounded(is.Vertices), DrawCalls: is.DrawCalls}
	r.line(Line{"budget", "Budget of a " + strings.ToLower(c.Name), fmt.Sprintf("%s, %s, %s",
		figure.Plural(b.Triangles, "triangle", "triangles"), figure.Plural(b.Vertices, "vertex", "vertices"),
		figure.Plural(b.DrawCalls, "draw call", "draw calls")), list[0].Why + ", and it costs so much", false,
		func(t *target.Target) {
			t.Classes = slices.Clone(t.Classes)
			i := slices.IndexFunc(t.Classes, func(x class.Class) bool { return x.ID == c.ID })
			own := &t.Classes[i].Budget
			own.Triangles, own.Vertices, own.DrawCalls = b.Triangles, b.Vertices, b.DrawCalls
			t.Classes[i].Reason = "as an asset that came out right"
		}})
}

// rounded is a number up to two digits of it.
func rounded(n int) int {
	step := 1
	for n/step >= 100 {
		step *= 10
	}
	return (n + step - 1) / step * step
}

// needs says what meshes carry that not all do.
func (r *Reading) needs(s *scene.Scene) {
	tangents, sets, polygons := true, true, false
	for _, m := range s.Meshes {
		tangents = tangents && m.Tangents.Has()
		sets = sets && len(m.UVs) > 1
		polygons = polygons || m.Triangles() != m.Faces()
	}
	if tangents {
		r.line(Line{"tangents", "Tangents", "needed", "all meshes have them", false,
			func(t *target.Target) { t.Needs.Tangents = true }})
	}
	if sets {
		r.line(Line{"lightmap", "A UV set for light", "needed", "all meshes have a second one", false,
			func(t *target.Target) { t.Needs.Lightmap = true }})
	}
	if !polygons && r.Format.Polygons {
		r.line(Line{"triangles", "Triangles alone", "needed", r.Format.Name + " may have larger polygons, and has none",
			false,
			func(t *target.Target) { t.Needs.Triangles = true }})
	}
}
