package formattest

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"math"
	"strings"

	"yarvek/core/format/bundle"
)

// dots are points of a scan in a binary PLY: a bumpy sheet with colours, and strays far beyond it.
func dots(n int) []bundle.File {
	var b bytes.Buffer
	fmt.Fprintf(&b, "ply\nformat binary_little_endian 1.0\nelement vertex %d\nproperty float x\nproperty float y\n"+
		"property float z\nproperty uchar red\nproperty uchar green\nproperty uchar blue\nend_header\n", n)
	side := int(math.Sqrt(float64(n))) + 1
	for i := range n {
		x, z := float64(i%side)/100, float64(i/side)/100
		y := .2 * math.Sin(3*x) * math.Cos(5*z)
		if i%1000 == 0 {
			y += 900
		}
		for _, v := range [3]float64{x, y, z} {
			b.Write(binary.LittleEndian.AppendUint32(nil, math.Float32bits(float32(v))))
		}
		b.Write([]byte{uint8(i), uint8(i >> 8), 99})
	}
	return []bundle.File{{Name: "heavy.ply", Data: b.Bytes()}}
}

// facets are triangles of a binary STL along a bumpy strip, each with corners of its own.
func facets(n int) []bundle.File {
	b := make([]byte, 80, 84+50*n)
	b = binary.LittleEndian.AppendUint32(b, uint32(n))
	for i := range n {
		x := float64(i) / 100
		b = append(b, make([]byte, 12)...)
		for _, p := range [3][3]float64{{x, 0, math.Sin(x)}, {x + .01, 0, math.Sin(x + .01)}, {x, .01, math.Sin(x)}} {
			for _, v := range p {
				b = binary.LittleEndian.AppendUint32(b, math.Float32bits(float32(v)))
			}
		}
		b = append(b, 0, 0)
	}
	return []bundle.File{{Name: "heavy.stl", Data: b}}
}

// posts are nodes of a COLLADA that each place one triangle.
func posts(n int) []bundle.File {
	var b strings.Builder
	b.WriteString(`<COLLADA xmlns="http://www.collada.org/2005/11/COLLADASchema" version="1.4.1"><asset/>
<library_geometries><geometry id="g"><mesh><source id="p"><float_array id="pa" count="9">0 0 0 1 0 0 0 1 0</float_array>
<technique_common><accessor source="#pa" count="3" stride="3"><param name="X" type="float"/><param name="Y"
type="float"/><param name="Z" type="float"/></accessor></technique_common></source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices>
<triangles count="1"><input semantic="VERTEX" source="#v" offset="0"/><p>0 1 2</p></triangles></mesh></geometry>
</library_geometries><library_visual_scenes><visual_scene id="s">`)
	for i := range n {
		fmt.Fprintf(&b, "<node id=\"n%d\"><translate>%d 0 %d</translate><instance_geometry url=\"#g\"/></node>\n", i,
			2*(i%200), 2*(i/200))
	}
	b.WriteString(`</visual_scene></library_visual_scenes><scene><instance_visual_scene url="#s"/></scene></COLLADA>`)
	return []bundle.File{{Name: "heavy.dae", Data: []byte(b.String())}}
}

// prims are meshes of a USD layer of text, a triangle each, and every fourth of them one of two variants.
func prims(n int) []bundle.File {
	var b strings.Builder
	b.WriteString("#usda 1.0\n( metersPerUnit = 1 )\n")
	mesh := func(i int) string {
		return fmt.Sprintf("def Mesh \"m%d\" { int[] faceVertexCounts = [3] int[] faceVertexIndices = [0, 1, 2]\n"+
			"point3f[] points = [(%d, 0, %d), (%d, 0, %d), (%d, 1, %d)] }\n", i, 2*(i%200), 2*(i/200), 2*(i%200)+1, 2*(i/200),
			2*(i%200), 2*(i/200))
	}
	for i := range n {
		if i%4 > 0 {
			b.WriteString(mesh(i))
			continue
		}
		fmt.Fprintf(&b, "def \"v%d\" (prepend variantSets = \"is\")\n{ variantSet \"is\" = { \"one\" { %s } "+
			"\"other\" { } } }\n", i, mesh(i))
	}
	return []bundle.File{{Name: "heavy.usda", Data: []byte(b.String())}}
}
