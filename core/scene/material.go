package scene

import "math"

// AlphaMode says how opacity is used, in glTF 2.0's three ways (section 3.9.4).
type AlphaMode string

// The three ways opacity is used.
const (
	Opaque AlphaMode = "OPAQUE"
	Mask   AlphaMode = "MASK"
	Blend  AlphaMode = "BLEND"
)

// Use is what a texture does for a material.
type Use int

// The uses of a texture.
const (
	UseBaseColor Use = iota
	UseMetallic
	UseRoughness
	UseNormal
	UseOcclusion
	UseEmissive
	UseOpacity
	UseHeight // light is high; no format but OBJ and FBX has a place for it
	// UseSpecular is what the older workflow of a specular colour has: that colour, and gloss in alpha. What
	// leaves is made of it, and has none.
	UseSpecular
	Uses
)

var useNames = [Uses]string{"base colour", "metallic", "roughness", "normal", "occlusion", "emissive", "opacity",
	"height", "specular"}

// String is the use’s name in words, such as "base colour".
func (u Use) String() string { return useNames[u] }

// Channel is the part of a picture that a scalar use reads.
type Channel int8

// Whole means all of the picture, or its luminance for a scalar.
const (
	Whole Channel = iota
	Red
	Green
	Blue
	Alpha
)

// Map ties a texture to a use.
type Map struct {
	Texture int // index into Scene.Textures plus one; 0 is no texture
	UVSet   int
	Channel Channel
	Place   *Placement // how the texture lies on the UVs; nil as they are
}

// Placement moves, turns and scales UV coordinates before a texture is looked up.
// Its coordinates are glTF's, with the origin at the top left
// (KHR_texture_transform).
type Placement struct {
	Offset   [2]float64
	Scale    [2]float64
	Rotation float64 // radians
}

// At gives the coordinates a texture is looked up at, whose origin is at the bottom left as
// that of uv; nil changes nothing (KHR_texture_transform: scaled, then turned, then moved).
func (p *Placement) At(uv [2]float64) [2]float64 {
	if p == nil {
		return uv
	}
	u, v := uv[0]*p.Scale[0], (1-uv[1])*p.Scale[1]
	sin, cos := math.Sincos(p.Rotation)
	return [2]float64{cos*u + sin*v + p.Offset[0], 1 - (-sin*u + cos*v + p.Offset[1])}
}

// Same tells whether two placements do the same; nil is one that changes nothing, and only nil is.
func (p *Placement) Same(q *Placement) bool { return p == q || p != nil && q != nil && *p == *q }

// PlacedBelow is the placement that scales by s and moves by o in coordinates whose
// origin is the bottom left, as MTL and FBX give it; nil when it changes nothing.
func PlacedBelow(o, s [2]float64) *Placement {
	if o == [2]float64{} && s == [2]float64{1, 1} {
		return nil
	}
	return &Placement{Offset: [2]float64{o[0], 1 - s[1] - o[1]}, Scale: s}
}

// Below gives a placement's offset and scale for an origin at the bottom left, and
// whether it is no more than that.
func (p *Placement) Below() (o, s [2]float64, ok bool) {
	if p == nil {
		return [2]float64{}, [2]float64{1, 1}, true
	}
	return [2]float64{p.Offset[0], 1 - p.Scale[1] - p.Offset[1]}, p.Scale, p.Rotation == 0
}

// Has reports whether a texture is there.
func (m Map) Has() bool { return m.Texture > 0 }

// Material has the values of glTF 2.0's metallic-roughness model.
type Material struct {
	Name        string
	BaseColor   [4]float64 // linear; alpha is opacity
	Metallic    float64
	Roughness   float64
	Emissive    [3]float64
	NormalScale float64
	Occlusion   float64 // strength
	AlphaMode   AlphaMode
	AlphaCutoff float64
	TwoSided    bool
	Unlit       bool    // shown in its colour, without lighting
	Glow        float64 // factor over Emissive
	// Older are the factors of the workflow that a specular picture is of; of no meaning without one.
	Older Older
	Maps  [Uses]Map
}

// Older is a material of the workflow of diffuse and specular colours, linear, each a factor of its picture
// (KHR_materials_pbrSpecularGlossiness).
type Older struct {
	Diffuse  [4]float64
	Specular [3]float64
	Gloss    float64
}

// Converted is the base colour of the newer workflow and how metallic it is, by solving for the mixture of a dielectric
// of 4% reflectance and a metal that reflects as much (KHR_materials_pbrSpecularGlossiness, appendix on conversion).
func (o Older) Converted() (base [4]float64, metallic float64) {
	diffuse, spec := o.Diffuse, o.Specular
	const dielectric = 0.04
	bright := func(c [3]float64) float64 {
		return math.Sqrt(0.299*c[0]*c[0] + 0.587*c[1]*c[1] + 0.114*c[2]*c[2])
	}
	strength := max(spec[0], spec[1], spec[2])
	d, s := bright([3]float64{diffuse[0], diffuse[1], diffuse[2]}), bright(spec)
	if s >= dielectric {
		b := d*(1-strength)/(1-dielectric) + s - 2*dielectric
		c := dielectric - s
		metallic = min(max((-b+math.Sqrt(max(b*b-4*dielectric*c, 0)))/(2*dielectric), 0), 1)
	}
	base[3] = diffuse[3]
	for i := range 3 {
		fromDiffuse := diffuse[i] * (1 - strength) / (1 - dielectric) / max(1-metallic, 1e-6)
		fromSpec := (spec[i] - dielectric*(1-metallic)) / max(metallic, 1e-6)
		t := metallic * metallic
		base[i] = min(max(fromDiffuse*(1-t)+fromSpec*t, 0), 1)
	}
	return base, metallic
}

// Opacity is that of the colour as far as it counts: an opaque material is opaque, whatever it has.
func (m *Material) Opacity() float64 {
	if m.AlphaMode == Opaque {
		return 1
	}
	return m.BaseColor[3]
}

// NewMaterial is white, rough, not metallic and opaque.
func NewMaterial(name string) Material {
	return Material{Name: name, BaseColor: [4]float64{1, 1, 1, 1}, Roughness: 1,
		NormalScale: 1, Occlusion: 1, Glow: 1, AlphaMode: Opaque, AlphaCutoff: 0.5}
}

// Wrap is what happens beyond the edge of a picture.
type Wrap string

// The three ways of wrapping.
const (
	Repeat Wrap = "repeat"
	Mirror Wrap = "mirror"
	Clamp  Wrap = "clamp"
)

// Texture is a picture with the way it is sampled.
type Texture struct {
	Name         string
	Image        int // index into Scene.Images
	WrapU, WrapV Wrap
	MagFilter    int // OpenGL's numbers as in glTF, 0 when unsaid
	MinFilter    int
}

// Image is a picture file, found or not.
type Image struct {
	Name     string // what the file called it
	Path     string // where the file said it lies, "" when embedded
	Embedded bool
	MIME     string
	Data     []byte // nil when it was not among the files
	Width    int    // pixels, 0 when unknown
	Height   int

	sum    string // of Data, while it is the bytes that summed and length say; see Summed
	summed *byte
	length int
}

// Found reports whether the picture's bytes are there.
func (i Image) Found() bool { return i.Data != nil }
