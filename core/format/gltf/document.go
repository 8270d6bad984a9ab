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
	Cameras            []named         `json:"cameras,omitempty"`
	Skins              []named         `json:"skins,omitempty"`
	Animations         []named         `json:"animations,omitempty"`
	Extensions         json.RawMessage `json:"extensions,omitempty"`
}

type asset struct {
	Version    string `json:"version"`
	MinVersion string `json:"minVersion,omitempty"`
	Generator  string `json:"generator,omitempty"`
}

type named struct {
	Name string `json:"name,omitempty"`
}

type sceneList struct {
	Name  string `json:"name,omitempty"`
	Nodes []int  `json:"nodes,omitempty"`
}

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
	Extensions  map[string]json.RawMessage `json:"extensions,omitempty"`
}

type mesh struct {
	Name       string      `json:"name,omitempty"`
	Primitives []primitive `json:"primitives"`
}

type primitive struct {
	Attributes map[string]int             `json:"attributes"`
	Indices    *int                       `json:"indices,omitempty"`
	Material   *int                       `json:"material,omitempty"`
	Mode       *int                       `json:"mode,omitempty"`
	Targets    []map[string]int           `json:"targets,omitempty"`
	Extensions map[string]json.RawMessage `json:"extensions,omitempty"`
}

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

type pbr struct {
	BaseColorFactor *[4]float64  `json:"baseColorFactor,omitempty"`
	BaseColor       *textureInfo `json:"baseColorTexture,omitempty"`
	MetallicFactor  *float64     `json:"metallicFactor,omitempty"`
	RoughnessFactor *float64     `json:"roughnessFactor,omitempty"`
	MetalRough      *textureInfo `json:"metallicRoughnessTexture,omitempty"`
}

type textureInfo struct {
	Index      int                        `json:"index"`
	TexCoord   int                        `json:"texCoord,omitempty"`
	Scale      *float64                   `json:"scale,omitempty"`
	Strength   *float64                   `json:"strength,omitempty"`
	Extensions map[string]json.RawMessage `json:"extensions,omitempty"`
}

type texture struct {
	Name    string `json:"name,omitempty"`
	Sampler *int   `json:"sampler,omitempty"`
	Source  *int   `json:"source,omitempty"`

	Extensions map[string]json.RawMessage `json:"extensions,omitempty"`
}

type sampler struct {
	MagFilter int `json:"magFilter,omitempty"`
	MinFilter int `json:"minFilter,omitempty"`
	WrapS     int `json:"wrapS,omitempty"`
	WrapT     int `json:"wrapT,omitempty"`
}

type imageRef struct {
	Name       string `json:"name,omitempty"`
	URI        string `json:"uri,omitempty"`
	MimeType   string `json:"mimeType,omitempty"`
	BufferView *int   `json:"bufferView,omitempty"`
}

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

type bufferView struct {
	Buffer     int   `json:"buffer"`
	ByteOffset int64 `json:"byteOffset,omitempty"`
	ByteLength int64 `json:"byteLength"`
	ByteStride int64 `json:"byteStride,omitempty"`
	Target     int   `json:"target,omitempty"`
}

type buffer struct {
	URI        string `json:"uri,omitempty"`
	ByteLength int64  `json:"byteLength"`
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
