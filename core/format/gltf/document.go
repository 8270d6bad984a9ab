package gltf

import "encoding/json"

// The document as glTF 2.0 describes it (Khronos glTF 2.0 specification, chapter
// 5), as far as a static mesh needs it.
type document struct {
	Asset              asset           `json:"asset"`
	ExtensionsUsed     []string        `json:"extensionsUsed,omitempty"`
	ExtensionsRequired []string        `json:"extensionsRequired,omitempty"`
	Scene              *int            `json:"scene,omitempty"`
	Scenes             []sceneList     `json:"scenes,omitempty"`
	Nodes              []node          `json:"nodes,omitempty"`
	Meshes             []mesh          `json:"meshes,omitempty"`
	Materials          []material      `json:"materials,omitempty"`
	Textures           []texture       `json:"textures,omitempty"`
	Samplers           []sampler       `json:"samplers,omitempty"`
	Images             []imageRef      `json:"images,omitempty"`
	Accessors          []accessor      `json:"accessors,omitempty"`
	BufferViews        []bufferView    `json:"bufferViews,omitempty"`
	Buffers            []buffer        `json:"buffers,omitempty"`
	Cameras            []camera        `json:"cameras,omitempty"`
	Skins              []named         `json:"skins,omitempty"`
	Animations         []named         `json:"animations,omitempty"`
	Extensions         json.RawMessage `json:"extensions,omitempty"`
}

// asset says what wrote the document (glTF 2.0, section 3.2).
type asset struct {
	Version    string `json:"version"`
	MinVersion string `json:"minVersion,omitempty"`
	Generator  string `json:"generator,omitempty"`
}

// named is what only its name counts of.
type named struct {
	Name string `json:"name,omitempty"`
}

// sceneList is a scene: its root nodes.
type sceneList struct {
	Name  string `json:"name,omitempty"`
	Nodes []int  `json:"nodes,omitempty"`
}

// node is a node as the document has it: a matrix, or translation, rotation and scale;
// pointers are nil where it says nothing (section 5.25).
type node struct {
	Name        string                     `json:"name,omitempty"`
	Children    []int                      `json:"children,omitempty"`
	Matrix      *[16]float64               `json:"matrix,omitempty"`
	Translation *[3]float64                `json:"translation,omitempty"`
	Rotation    *[4]float64                `json:"rotation,omitempty"`
	Scale       *[3]float64                `json:"scale,omitempty"`
	Mesh        *int                       `json:"mesh,omitempty"`
	Camera      *int                       `json:"camera,omitempty"`
	Skin        *int                       `json:"skin,omitempty"`
	Extras      json.RawMessage            `json:"extras,omitempty"`
	Extensions  map[string]json.RawMessage `json:"extensions,omitempty"`
}

// mesh is a list of primitives (section 5.24).
type mesh struct {
	Name       string      `json:"name,omitempty"`
	Primitives []primitive `json:"primitives"`
}

// primitive is one material’s share of a mesh; its numbers are those of accessors.
type primitive struct {
	Attributes map[string]int             `json:"attributes"`
	Indices    *int                       `json:"indices,omitempty"`
	Material   *int                       `json:"material,omitempty"`
	Mode       *int                       `json:"mode,omitempty"`
	Targets    []map[string]int           `json:"targets,omitempty"`
	Extensions map[string]json.RawMessage `json:"extensions,omitempty"`
}

// material is the metallic-roughness model with the extensions that are read (section
// 5.19).
type material struct {
	Name        string                     `json:"name,omitempty"`
	PBR         *pbr                       `json:"pbrMetallicRoughness,omitempty"`
	Normal      *textureInfo               `json:"normalTexture,omitempty"`
	Occlusion   *textureInfo               `json:"occlusionTexture,omitempty"`
	Emissive    *textureInfo               `json:"emissiveTexture,omitempty"`
	EmissiveF   *[3]float64                `json:"emissiveFactor,omitempty"`
	AlphaMode   string                     `json:"alphaMode,omitempty"`
	AlphaCutoff *float64                   `json:"alphaCutoff,omitempty"`
	DoubleSided bool                       `json:"doubleSided,omitempty"`
	Extensions  map[string]json.RawMessage `json:"extensions,omitempty"`
}

// pbr is the core of the material (section 5.22).
type pbr struct {
	BaseColorFactor *[4]float64  `json:"baseColorFactor,omitempty"`
	BaseColor       *textureInfo `json:"baseColorTexture,omitempty"`
	MetallicFactor  *float64     `json:"metallicFactor,omitempty"`
	RoughnessFactor *float64     `json:"roughnessFactor,omitempty"`
	MetalRough      *textureInfo `json:"metallicRoughnessTexture,omitempty"`
}

// textureInfo is the use of a texture by a material.
type textureInfo struct {
	Index      int                        `json:"index"`
	TexCoord   int                        `json:"texCoord,omitempty"`
	Scale      *float64                   `json:"scale,omitempty"`
	Strength   *float64                   `json:"strength,omitempty"`
	Extensions map[string]json.RawMessage `json:"extensions,omitempty"`
}

// texture pairs a picture with a sampler; extensions may give another picture in its
// place.
type texture struct {
	Name    string `json:"name,omitempty"`
	Sampler *int   `json:"sampler,omitempty"`
	Source  *int   `json:"source,omitempty"`

	Extensions map[string]json.RawMessage `json:"extensions,omitempty"`
}

// sampler says filters and wrapping by the numbers of the standard, 0 for none.
type sampler struct {
	MagFilter int `json:"magFilter,omitempty"`
	MinFilter int `json:"minFilter,omitempty"`
	WrapS     int `json:"wrapS,omitempty"`
	WrapT     int `json:"wrapT,omitempty"`
}

// imageRef is a picture: a URI, or a buffer view with its MIME type.
type imageRef struct {
	Name       string `json:"name,omitempty"`
	URI        string `json:"uri,omitempty"`
	MimeType   string `json:"mimeType,omitempty"`
	BufferView *int   `json:"bufferView,omitempty"`
}

// accessor is typed elements of a buffer view (section 5.1).
type accessor struct {
	BufferView    *int      `json:"bufferView,omitempty"`
	ByteOffset    int64     `json:"byteOffset,omitempty"`
	ComponentType int       `json:"componentType"`
	Normalized    bool      `json:"normalized,omitempty"`
	Count         int64     `json:"count"`
	Type          string    `json:"type"`
	Min           []float64 `json:"min,omitempty"`
	Max           []float64 `json:"max,omitempty"`
	Sparse        *sparse   `json:"sparse,omitempty"`
}

// sparse replaces some elements of an accessor (section 5.1.1).
type sparse struct {
	Count   int64 `json:"count"`
	Indices struct {
		BufferView    int   `json:"bufferView"`
		ByteOffset    int64 `json:"byteOffset,omitempty"`
		ComponentType int   `json:"componentType"`
	} `json:"indices"`
	Values struct {
		BufferView int   `json:"bufferView"`
		ByteOffset int64 `json:"byteOffset,omitempty"`
	} `json:"values"`
}

// bufferView is a range of a buffer, in bytes.
type bufferView struct {
	Buffer     int   `json:"buffer"`
	ByteOffset int64 `json:"byteOffset,omitempty"`
	ByteLength int64 `json:"byteLength"`
	ByteStride int64 `json:"byteStride,omitempty"`
	Target     int   `json:"target,omitempty"`

	Extensions map[string]json.RawMessage `json:"extensions,omitempty"`
}

// buffer is a block of bytes: a URI, or the GLB’s own.
type buffer struct {
	URI        string `json:"uri,omitempty"`
	ByteLength int64  `json:"byteLength"`

	Extensions map[string]json.RawMessage `json:"extensions,omitempty"`
}

// Component types and primitive modes, by OpenGL's numbers.
const (
	typeInt8    = 5120
	typeUint8   = 5121
	typeInt16   = 5122
	typeUint16  = 5123
	typeUint32  = 5125
	typeFloat32 = 5126

	modePoints        = 0
	modeTriangles     = 4
	modeTriangleStrip = 5
	modeTriangleFan   = 6
)

// componentSize is the size of a component type in bytes, 0 for one that the standard
// has not.
func componentSize(t int) int64 {
	switch t {
	case typeInt8, typeUint8:
		return 1
	case typeInt16, typeUint16:
		return 2
	case typeUint32, typeFloat32:
		return 4
	}
	return 0
}

var components = map[string]int64{"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4, "MAT2": 4, "MAT3": 9, "MAT4": 16}
