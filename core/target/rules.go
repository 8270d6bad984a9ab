// Package target says what a receiving engine expects of a delivery: its frame, what it
// honours of each format, the classes of things with their budgets, the names it wants, and
// more that the stations judge by. A target is data, which artists edit; see [Parse] for its
// file.
package target

import (
	"bytes"
	"encoding/json"

	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/target/class"
)

// Target is what one receiver lives by. It is a value: nobody writes to the lists of one that
// is in use, and [Target.Copy] gives one that may be written to.
type Target struct {
	// ID names it for good; revisions of a target share it. Those that ship have IDs of words.
	ID       string `json:"id"`
	Revision int    `json:"revision"` // counts from 1
	Name     string `json:"name"`

	Basis geom.Basis  `json:"basis"`
	Unit  figure.Unit `json:"unit"` // of figures, and of files that say none

	Reads    Reads         `json:"reads"`
	Prefers  string        `json:"prefers"` // ID of the format an export has when nothing else is decided
	Arrival  Offset        `json:"arrival"`
	Needs    Needs         `json:"needs"`
	Classes  []class.Class `json:"classes"`
	View     View          `json:"view"`
	Textures Textures      `json:"textures"`
	Solids   []Solid       `json:"solids"` // the collision it takes
	Mixes    bool          `json:"mixes"`  // opaque and translucent faces may share a mesh
	Pivot    Pivot         `json:"pivot"`
	Names    Names         `json:"names"`
}

// Reads are what the receiver does with files, by family of formats.
type Reads struct {
	FBX     Reading `json:"fbx"`
	GLTF    Reading `json:"gltf"`
	OBJ     Reading `json:"obj"`
	COLLADA Reading `json:"collada"`
	USD     Reading `json:"usd"`
	PLY     Reading `json:"ply"`
	STL     Reading `json:"stl"`
}

// Family is one of them: its key below "reads", and what people call it.
type Family struct {
	Key, Name string
	Of        func(*Reads) *Reading
	says      bool // files say what frame they are in
}

// Families lists them all.
var Families = []Family{
	{"fbx", "FBX", func(r *Reads) *Reading { return &r.FBX }, true},
	{"gltf", "glTF", func(r *Reads) *Reading { return &r.GLTF }, true},
	{"obj", "OBJ", func(r *Reads) *Reading { return &r.OBJ }, false},
	{"collada", "COLLADA", func(r *Reads) *Reading { return &r.COLLADA }, true},
	{"usd", "USD", func(r *Reads) *Reading { return &r.USD }, true},
	{"ply", "PLY", func(r *Reads) *Reading { return &r.PLY }, false},
	{"stl", "STL", func(r *Reads) *Reading { return &r.STL }, false},
}

// told gives those that a file of before says nothing of: a receiver is taken to go by what files say, and to take the
// numbers of those that say nothing for its own.
func (t *Target) told() {
	for _, f := range Families {
		if r := f.Of(&t.Reads); *r == (Reading{}) {
			*r = Reading{HonoursUnit: f.says, HonoursAxes: f.says, HonoursHand: f.says, KeepsNodes: true, Unit: t.Unit,
				Basis: t.Basis}
		}
	}
}

// Reading is what the receiver honours of what a file says, and what it assumes instead. An
// OBJ says nothing, so that it is always assumed.
type Reading struct {
	HonoursUnit bool        `json:"honoursUnit"`
	HonoursAxes bool        `json:"honoursAxes"`
	HonoursHand bool        `json:"honoursHand"` // the sign of the third axis; else it takes a right-handed one
	KeepsNodes  bool        `json:"keepsNodes"`  // their transforms; else it drops them and has the points alone
	Unit        figure.Unit `json:"unit"`        // taken for one of the file where that is not honoured
	Basis       geom.Basis  `json:"basis"`       // likewise
}

// Offset is what the receiver does to what arrives, in the target's frame: it scales, then
// turns about the axis that points up, then moves.
type Offset struct {
	Scale float64   `json:"scale"`
	Turn  float64   `json:"turn"` // degrees, anticlockwise seen from above
	Move  geom.Vec3 `json:"move"` // along the target's axes; metres
}

// Map is the offset as a map of the target's frame; see [Offset].
func (o Offset) Map(b geom.Basis) geom.Affine {
	angle := o.Turn * radian
	if b.Left { // anticlockwise is a fact of the world
		angle = -angle
	}
	m := geom.Identity3
	if o.Turn != 0 {
		m = geom.Rotation(b.Up.Vec(), angle)
	}
	return geom.Translation(o.Move).Mul(geom.Linear(m.Scaled(o.Scale)))
}

// Needs is what the receiver can't do without.
type Needs struct {
	Smoothing bool `json:"smoothing"` // normals or groups
	Tangents  bool `json:"tangents"`
	Lightmap  bool `json:"lightmap"`  // a second UV set
	Triangles bool `json:"triangles"` // no larger polygon
	OneMesh   bool `json:"oneMesh"`   // a file holds one mesh
	IndexBits int  `json:"indexBits"` // of an index: 16 or 32
}

// View is how the receiver looks at things, for LODs.
type View struct {
	Lines     int     `json:"lines"`     // of its screen
	Angle     float64 `json:"angle"`     // it sees upright; degrees
	Tolerance float64 `json:"tolerance"` // by which a LOD may show; pixels
}

// Textures are the rules for pictures.
type Textures struct {
	Largest    int  `json:"largest"` // side in pixels
	PowerOfTwo bool `json:"powerOfTwo"`
	GreenUp    bool `json:"greenUp"` // in normal maps green is toward the top of the picture
	// "none" or "orm": occlusion, roughness and metallic in red, green and blue
	Packing string            `json:"packing"`
	Formats map[string]string `json:"formats"` // by role: png, jpeg, webp or tga
}

// Reads tells whether the receiver reads pictures in a format, for any role.
func (t Textures) Reads(format string) bool {
	for _, f := range t.Formats {
		if f == format {
			return true
		}
	}
	return false
}

// Roles are what a texture can do for a material, in the words that names use.
var Roles = []string{"colour", "normal", "metal", "rough", "shade", "glow", "opacity", "height", "orm"}

// Pivot is where the receiver wants an asset's origin, and its grid.
type Pivot struct {
	Place string  `json:"place"` // of Places
	Grid  float64 `json:"grid"`  // of modular pieces, for kits that have none of their own; metres, 0 for none
}

// Places are where a receiver may want the origin.
var Places = []string{"base", "contact", "mass", "centre", "corner", "as it is"}

// Names are the patterns of what leaves, and of what is recognised when it comes in.
type Names struct {
	naming.Rules
	File    string `json:"file"`
	Node    string `json:"node"`
	LOD     string `json:"lod"`
	Solid   string `json:"solid"`
	Slot    string `json:"slot"`
	Texture string `json:"texture"`
	Folder  string `json:"folder"`
}

// Equal tells whether two targets say the same.
func (t Target) Equal(u Target) bool { return bytes.Equal(t.JSON(), u.JSON()) }

// JSON is the target as its file holds it, without the file's head.
func (t Target) JSON() []byte {
	b, err := json.Marshal(t)
	if err != nil {
		panic(err) // no value of it is one that can't be written
	}
	return b
}

// Sizes are its classes as Size judges by them: without budgets, distances and reasons.
func (t Target) Sizes() []class.Class {
	list := make([]class.Class, len(t.Classes))
	for i, c := range t.Classes {
		list[i] = class.Class{ID: c.ID, Name: c.Name, Least: c.Least, Most: c.Most, Module: c.Module}
	}
	return list
}

// Copy is a target whose lists may be written to.
func (t Target) Copy() Target {
	var c Target
	if err := json.Unmarshal(t.JSON(), &c); err != nil {
		panic(err) // it was written a moment ago
	}
	return c
}

// Class finds one of its classes; "" is the unsorted one.
func (t Target) Class(id string) (class.Class, bool) { return class.Find(t.Classes, id) }
