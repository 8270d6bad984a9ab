// Package formattest makes files that are small and would cost much: each puts in a few
// megabytes what a step of reading, drawing or writing could take minutes or gigabytes
// for. They are made by rule, so that no large file has to lie among the tests.
package formattest

import (
	"bytes"
	"compress/zlib"
	"context"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"math"
	"math/rand/v2"
	"strings"

	"yarvek/core/format/bundle"
	"yarvek/core/format/fbx"
	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// Heavy is one such asset: its mesh file first, then its companions.
type Heavy struct {
	Name  string // what is heavy of it
	Files []bundle.File
}

// Size is that of all its files, in bytes.
func (h Heavy) Size() int {
	n := 0
	for _, f := range h.Files {
		n += len(f.Data)
	}
	return n
}

// Maker makes an asset at a share of its full weight, from 0 to 1.
type Maker struct {
	Name string
	Make func(share float64) Heavy
}

// All lists them. At the full share none is larger than ten megabytes.
func All() []Maker {
	list := []struct {
		name string
		make func(n func(int) int) []bundle.File
	}{
		{"a polygon of 800 000 corners along a shore",
			func(n func(int) int) []bundle.File { return outline(n(800_000), shore) }},
		{"a polygon of 980 000 corners along a comb",
			func(n func(int) int) []bundle.File { return outline(n(980_000), comb) }},
		{"a polygon of 600 000 corners in a spiral",
			func(n func(int) int) []bundle.File { return outline(n(600_000), spiral) }},
		{"a hundred combs of 5 000 corners", combs},
		{"half a million triangles round one point", fan},
		{"300 000 loose triangles", loose},
		{"400 000 triangles in one place", heap},
		{"100 000 triangles that run through one another", through},
		{"100 000 materials", func(n func(int) int) []bundle.File { return materials(n(100_000)) }},
		{"100 000 slots of one OBJ", slots},
		{"280 000 FBX models", func(n func(int) int) []bundle.File { return models(n(280_000)) }},
		{"40 000 FBX materials below a template of 20 000 properties", template},
		{"an FBX array of a hundred million zeros", zeros},
		{"50 000 nodes stacked in one place", func(n func(int) int) []bundle.File { return stacked(n(50_000), 6) }},
		{"2 000 instances of 100 000 triangles",
			func(n func(int) int) []bundle.File { return stacked(n(2_000), n(100_000)) }},
		{"40 instances of 100 000 triangles",
			func(n func(int) int) []bundle.File { return instances(n(40), n(100_000), .001) }},
		{"65 000 nodes in a row", func(n func(int) int) []bundle.File { return row(n(65_000)) }},
		{"100 000 nodes in a row", func(n func(int) int) []bundle.File { return row(n(100_000)) }},
		{"20 000 nodes one in another", func(n func(int) int) []bundle.File { return nested(n(20_000)) }},
		{"4 000 nodes one in another", func(n func(int) int) []bundle.File { return nested(n(4_000)) }},
		{"four pictures of 8 192 by 8 192", pictures},
		{"65 000 objects of an OBJ", objects},
		{"650 000 points of a PLY", func(n func(int) int) []bundle.File { return dots(n(650_000)) }},
		{"190 000 facets of an STL", func(n func(int) int) []bundle.File { return facets(n(190_000)) }},
		{"30 000 nodes of a COLLADA", func(n func(int) int) []bundle.File { return posts(n(30_000)) }},
		{"30 000 prims of a USD", func(n func(int) int) []bundle.File { return prims(n(30_000)) }},
	}
	var all []Maker
	for _, e := range list {
		all = append(all, Maker{e.name, func(share float64) Heavy {
			return Heavy{e.name, e.make(func(full int) int { return max(4, int(share*float64(full))) })}
		}})
	}
	return all
}

// written are the files of a scene, as FBX or as GLB.
func written(s *scene.Scene, write func(context.Context, *scene.Scene, pack.Options) (*pack.Package,
	error)) []bundle.File {
	p, err := write(context.Background(), s, pack.Options{Name: "heavy", Basis: geom.GLTF, UnitMetres: 1})
	if err != nil {
		panic(err) // the scenes are made here
	}
	return p.Files
}

// alone is a scene of one mesh.
func alone(m *scene.Mesh) *scene.Scene {
	return shape.Scene("heavy", []scene.Material{scene.NewMaterial("rock")}, m)
}

// outline is a flat polygon of n corners.
func outline(n int, at func(i, n int) (x, z float64)) []bundle.File {
	m := &scene.Mesh{Name: "outline", Slots: []int{0}, FaceStart: []int32{0}}
	ring(m, n, at)
	return written(alone(m), fbx.Write)
}

// ring adds a polygon of n corners on the ground to a mesh.
func ring(m *scene.Mesh, n int, at func(i, n int) (x, z float64)) {
	for i := range n {
		x, z := at(i, n)
		m.Corners = append(m.Corners, int32(len(m.Points)))
		m.Points = append(m.Points, geom.Vec3{rounded(x), 0, rounded(z)})
	}
	m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
}

// rounded keeps 20 bits of a fraction, so that coordinates pack small.
func rounded(v float64) float64 { return math.Round(v*(1<<20)) / (1 << 20) }

// shore is a circle with waves of many lengths along it.
func shore(i, n int) (x, z float64) {
	t := 2 * math.Pi * float64(i) / float64(n)
	r := 5.0
	for k := 7.0; k < 40_000; k *= 3.1 {
		r += math.Sin(k*t+k) / k
	}
	sin, cos := math.Sincos(-t)
	return r * cos, r * sin
}

// comb has long teeth along one side.
func comb(i, n int) (x, z float64) {
	if i < 2 {
		return float64(10 * i), 1
	}
	return 10 - 10*float64(i-2)/float64(n-2), -5 * float64(i%2)
}

// spiral is a band that is coiled up.
func spiral(i, n int) (x, z float64) {
	half, in := n/2, 0.0
	if i >= half {
		i, in = n-1-i, .4
	}
	t := 600 * float64(i) / float64(half)
	sin, cos := math.Sincos(-t)
	r := 1 + t/(2*math.Pi) - in
	return r * cos, r * sin
}

// combs are many polygons with long teeth.
func combs(n func(int) int) []bundle.File {
	m := &scene.Mesh{Name: "combs", Slots: []int{0}, FaceStart: []int32{0}}
	for k := range n(100) {
		ring(m, n(5_000), func(i, n int) (x, z float64) {
			x, z = comb(i, n)
			return x, z + 8*float64(k)
		})
	}
	return written(alone(m), fbx.Write)
}

// fan is a cone whose tip every triangle has.
func fan(n func(int) int) []bundle.File {
	m := &scene.Mesh{Name: "fan", Slots: []int{0}, FaceStart: []int32{0}, Points: []geom.Vec3{{0, 1, 0}}}
	sides := n(500_000)
	for i := range sides {
		sin, cos := math.Sincos(2 * math.Pi * float64(i) / float64(sides))
		m.Points = append(m.Points, geom.Vec3{rounded(cos), 0, rounded(sin)})
		m.Corners = append(m.Corners, 0, int32(1+i), int32(1+(i+1)%sides))
		m.FaceStart = append(m.FaceStart, int32(len(m.Corners)))
	}
	return written(alone(m), fbx.Write)
}

// loose are triangles that share nothing, each a body of its own.
func loose(n func(int) int) []bundle.File {
	return triangles(n(300_000), func(i int) geom.Vec3 {
		return geom.Vec3{float64(i%640) / 64, float64(i / 640 % 32), float64(i/20480) / 8}
	})
}

// heap are triangles that all lie in the same place.
func heap(n func(int) int) []bundle.File {
	return triangles(n(400_000), func(int) geom.Vec3 { return geom.Vec3{} })
}

// through are large triangles strewn in a small room, each through hundreds of others.
func through(n func(int) int) []bundle.File {
	r := rand.New(rand.NewPCG(4, 26))
	var b strings.Builder
	for range n(100_000) {
		x, y, z := 4*r.Float64(), 4*r.Float64(), 4*r.Float64()
		for range 3 {
			fmt.Fprintf(&b, "v %.3f %.3f %.3f\n", x+r.Float64()/2, y+r.Float64()/2, z+r.Float64()/2)
		}
		b.WriteString("f -3 -2 -1\n")
	}
	return []bundle.File{{Name: "through.obj", Data: []byte(b.String())}}
}

// triangles are n that share no point, each at its place.
func triangles(n int, at func(i int) geom.Vec3) []bundle.File {
	m := &scene.Mesh{Name: "leaves", Slots: []int{0}, FaceStart: []int32{0}}
	for i := range n {
		p := at(i)
		m.Points = append(m.Points, p, p.Add(geom.Vec3{1. / 128, 0, 0}), p.Add(geom.Vec3{0, 1. / 128, 1. / 256}))
		m.Corners = append(m.Corners, int32(3*i), int32(3*i+1), int32(3*i+2))
		m.FaceStart = append(m.FaceStart, int32(3*i+3))
	}
	return written(alone(m), fbx.Write)
}

// materials is a strip of triangles, each with one of its own.
func materials(n int) []bundle.File {
	var b bytes.Buffer
	b.WriteString("mtllib heavy.mtl\no strip\n")
	for i := range n + 2 {
		fmt.Fprintf(&b, "v %d %d 0\n", i/2, i%2)
	}
	var lib bytes.Buffer
	for i := range n {
		fmt.Fprintf(&b, "usemtl m%d\nf %d %d %d\n", i, i+1, i+2-i%2, i+3-(i+1)%2)
		fmt.Fprintf(&lib, "newmtl m%d\nKd .%d .5 .5\n", i, i%10)
	}
	return []bundle.File{{Name: "heavy.obj", Data: b.Bytes()}, {Name: "heavy.mtl", Data: lib.Bytes()}}
}

// slots is the same strip without a library.
func slots(n func(int) int) []bundle.File { return materials(n(100_000))[:1] }

// models is an FBX of empty models.
func models(n int) []bundle.File {
	var b bytes.Buffer
	b.WriteString("; FBX 7.4.0 project file\nFBXHeaderExtension:  {\n\tFBXVersion: 7400\n}\nObjects:  {\n")
	for i := range n {
		fmt.Fprintf(&b, "Model: %d,\"Model::m\",\"Null\" {\n}\n", i+1)
	}
	b.WriteString("}\nConnections:  {\n}\n")
	return []bundle.File{{Name: "heavy.fbx", Data: b.Bytes()}}
}

// template is an FBX whose materials all have the many properties of one template.
func template(n func(int) int) []bundle.File {
	var b bytes.Buffer
	b.WriteString("; FBX 7.4.0 project file\nFBXHeaderExtension:  {\n\tFBXVersion: 7400\n}\nDefinitions:  " +
		"{\nObjectType: \"Material\" {\n" +
		"PropertyTemplate: \"P\" {\nProperties70:  {\n")
	for i := range n(20_000) {
		fmt.Fprintf(&b, "P: \"p%d\", \"d\", \"\", \"\",1\n", i)
	}
	b.WriteString("}\n}\n}\n}\nObjects:  {\n")
	for i := range n(40_000) {
		fmt.Fprintf(&b, "Material: %d,\"Material::m\",\"\" {\n}\n", i+2)
	}
	b.WriteString("Model: 1,\"Model::m\",\"Null\" {\n}\n}\nConnections:  {\n")
	for i := range n(40_000) {
		fmt.Fprintf(&b, "C: \"OO\",%d,1\n", i+2)
	}
	b.WriteString("}\n")
	return []bundle.File{{Name: "heavy.fbx", Data: b.Bytes()}}
}

// zeros is a binary FBX with one deflated array of nothing.
func zeros(n func(int) int) []bundle.File {
	count := n(100_000_000)
	var packed bytes.Buffer
	z := zlib.NewWriter(&packed)
	piece := make([]byte, 1<<20)
	for left := 4 * count; left > 0; left -= len(piece) {
		_, _ = z.Write(piece[:min(left, len(piece))])
	}
	_ = z.Close()
	record := func(at int, name string, props []byte, n int, subs func(at int) []byte) []byte {
		body := append([]byte(name), props...)
		if subs != nil {
			body = append(body, subs(at+13+len(body))...)
		}
		h := binary.LittleEndian.AppendUint32(nil, uint32(at+13+len(body)))
		h = binary.LittleEndian.AppendUint32(h, uint32(n))
		h = binary.LittleEndian.AppendUint32(h, uint32(len(props)))
		return append(append(h, byte(len(name))), body...)
	}
	text := func(s string) []byte {
		return append(binary.LittleEndian.AppendUint32([]byte{'S'}, uint32(len(s))), s...)
	}
	whole := func(n uint64) []byte { return binary.LittleEndian.AppendUint64([]byte{'L'}, n) }
	head := append([]byte("Kaydara FBX Binary  \x00\x1a\x00"), binary.LittleEndian.AppendUint32(nil, 7400)...)
	array := []byte{'i'}
	for _, v := range []uint32{uint32(count), 1, uint32(packed.Len())} {
		array = binary.LittleEndian.AppendUint32(array, v)
	}
	array = append(array, packed.Bytes()...)
	end := make([]byte, 13)
	objects := record(len(head), "Objects", nil, 0, func(at int) []byte {
		props := append(append(whole(7), text("g\x00\x01Geometry")...), text("Mesh")...)
		g := record(at, "Geometry", props, 3, func(at int) []byte {
			return append(record(at, "PolygonVertexIndex", array, 1, nil), end...)
		})
		return append(g, end...)
	})
	return []bundle.File{{Name: "heavy.fbx", Data: append(append(head, objects...), end...)}}
}

// stacked are n nodes of one mesh of about so many triangles, all in one place.
func stacked(n, triangles int) []bundle.File { return instances(n, triangles, 0) }

// instances are the same, each a step to the right of the one before.
func instances(n, triangles int, step float64) []bundle.File {
	m := shapetest.Boulder(max(2, int(math.Sqrt(float64(triangles)/4))))
	m.Slots = []int{0}
	s := alone(m)
	for i := range n - 1 {
		s.Nodes = append(s.Nodes, scene.Node{Name: fmt.Sprint("copy ", i), Kind: scene.KindMesh, Parent: -1, Mesh: 0,
			Local: geom.Translation(geom.Vec3{step * float64(i+1), 0, 0})})
	}
	return written(s, gltf.Write)
}

// row are nodes of a box each, side by side.
func row(n int) []bundle.File {
	s := alone(new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box"))
	for i := range n - 1 {
		s.Nodes = append(s.Nodes, scene.Node{Name: fmt.Sprint("b", i), Kind: scene.KindMesh, Parent: -1, Mesh: 0,
			Local: geom.Translation(geom.Vec3{float64(2 * (i % 300)), 0, float64(2 * (i / 300))})})
	}
	return written(s, gltf.Write)
}

// nested are nodes each of which is the child of the one before.
func nested(n int) []bundle.File {
	s := alone(new(shape.Builder).Slot(0).Box(geom.Vec3{}, geom.Vec3{1, 1, 1}).Mesh("box"))
	for i := range n - 1 {
		s.Nodes = append(s.Nodes, scene.Node{Name: "link of a chain", Kind: scene.KindEmpty, Parent: i, Mesh: -1,
			Local: geom.Identity})
	}
	return written(s, gltf.Write)
}

// pictures is a triangle with four textures of one colour each, which glTF wants joined.
func pictures(n func(int) int) []bundle.File {
	files := []bundle.File{
		{Name: "heavy.obj", Data: []byte(
			"mtllib heavy.mtl\nv 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl m\nf 1/1 2/2 3/3\n")},
		{Name: "heavy.mtl", Data: []byte("newmtl m\nmap_Kd p0.png\nmap_d p1.png\nmap_Pm p2.png\nmap_Pr p3.png\n")}}
	for k := range 4 {
		files = append(files, bundle.File{Name: fmt.Sprintf("p%d.png", k), Data: blank(n(8_192), byte(60*k+30))})
	}
	return files
}

// blank is a square PNG of one colour (PNG, third edition: IHDR, IDAT, IEND).
func blank(side int, value byte) []byte {
	var packed bytes.Buffer
	z := zlib.NewWriter(&packed)
	line := bytes.Repeat([]byte{value}, 1+3*side)
	line[0] = 0
	for range side {
		_, _ = z.Write(line)
	}
	_ = z.Close()
	out := []byte("\x89PNG\r\n\x1a\n")
	chunk := func(kind string, data []byte) {
		out = binary.BigEndian.AppendUint32(out, uint32(len(data)))
		body := append([]byte(kind), data...)
		out = append(out, body...)
		out = binary.BigEndian.AppendUint32(out, crc32.ChecksumIEEE(body))
	}
	head := binary.BigEndian.AppendUint32(binary.BigEndian.AppendUint32(nil, uint32(side)), uint32(side))
	chunk("IHDR", append(head, 8, 2, 0, 0, 0))
	chunk("IDAT", packed.Bytes())
	chunk("IEND", nil)
	return out
}

// objects is an OBJ of as many objects as triangles.
func objects(n func(int) int) []bundle.File {
	var b strings.Builder
	for i := range n(65_000) {
		fmt.Fprintf(&b, "v %d %d 0\n", i/2, i%2)
		if i > 1 {
			fmt.Fprintf(&b, "o a%d\nf -3 -2 -1\n", i)
		}
	}
	return []bundle.File{{Name: "heavy.obj", Data: []byte(b.String())}}
}
