package stl

import (
	"context"
	"encoding/binary"
	"fmt"
	"math"

	"yarvek/core/fault"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Write writes the triangles of the scene as a binary STL, or as text (Options.Text), in the basis and unit asked
// for. Nothing else is held, and what the scene has besides is to be left out and named before (format.Less). A
// facet's normal is that of its corners; one without area has none. The error is ctx's when it ended, or a
// *fault.Error for more triangles than a file can count.
func Write(ctx context.Context, s *scene.Scene, opt pack.Options) (*pack.Package, error) {
	frame := geom.Linear(s.Basis.To(opt.Basis).Scaled(1 / opt.UnitMetres))
	flat := s.Flattened().Carried(frame).Triangulated()
	n := flat.Count().Triangles
	name := bundle.Safe(opt.Name)
	if int64(n) > math.MaxUint32 {
		return nil, fault.Input("%d triangles are more than an STL can count", n).Advise("Send it as PLY or GLB")
	}
	var b []byte
	facet := appendFacet
	if opt.Text {
		facet = appendText
		b = fmt.Appendf(b, "solid %s\n", name)
	} else {
		b = make([]byte, headerSize, headerSize+facetSize*n)
		copy(b, fmt.Sprintf("one unit is %g m; %s up", opt.UnitMetres, opt.Basis.Up)) // must not begin with “solid”
		binary.LittleEndian.PutUint32(b[headerSize-4:], uint32(n))
	}
	for _, node := range flat.Nodes {
		m := flat.Meshes[node.Mesh]
		for f := range m.Faces() {
			if f&0xffff == 0 && ctx.Err() != nil {
				return nil, ctx.Err()
			}
			c := m.Corners[3*f : 3*f+3]
			p := [3]geom.Vec3{m.Points[c[0]], m.Points[c[1]], m.Points[c[2]]}
			b = facet(b, p[1].Sub(p[0]).Cross(p[2].Sub(p[0])).Unit(), p)
		}
	}
	if opt.Text {
		b = fmt.Appendf(b, "endsolid %s\n", name)
	}
	return &pack.Package{Files: []bundle.File{{Name: name + ".stl", Data: b}}}, nil
}

func appendFacet(b []byte, n geom.Vec3, p [3]geom.Vec3) []byte {
	for _, v := range [4]geom.Vec3{n, p[0], p[1], p[2]} {
		for _, x := range v {
			b = binary.LittleEndian.AppendUint32(b, math.Float32bits(float32(x)))
		}
	}
	return append(b, 0, 0)
}

func appendText(b []byte, n geom.Vec3, p [3]geom.Vec3) []byte {
	b = fmt.Appendf(b, "facet normal %g %g %g\nouter loop\n", float32(n[0]), float32(n[1]), float32(n[2]))
	for _, v := range p {
		b = fmt.Appendf(b, "vertex %.9g %.9g %.9g\n", v[0], v[1], v[2])
	}
	return append(b, "endloop\nendfacet\n"...)
}
