package format_test

import (
	"context"
	"fmt"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/scene"
	"yarvek/core/target"
)

// A file is read with what it names: all of a set, by their names, of which one is the mesh.
func ExampleRead() {
	set := bundle.New([]bundle.File{
		{Name: "crate.obj", Data: []byte("mtllib crate.mtl\nusemtl pine\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\n")},
		{Name: "crate.mtl", Data: []byte("newmtl pine\nKd 0.6 0.4 0.2\n")},
	})
	s, found, err := format.Read(context.Background(), set, "crate.obj", nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(len(s.Meshes), "mesh of", s.Meshes[0].Faces(), "face, material", s.Materials[0].Name)
	for _, f := range found {
		fmt.Println(f.Title)
	}
	// Output:
	// 1 mesh of 1 face, material pine
}

// A scene is written as a target reads the format: here an OBJ becomes a GLB.
func ExampleWrite() {
	ctx := context.Background()
	set := bundle.New([]bundle.File{{Name: "sail.obj", Data: []byte("v 0 0 0\nv 1 0 0\nv 0 2 0\nf 1 2 3\n")}})
	s, _, err := format.Read(ctx, set, "sail.obj", nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	glb, err := format.ByID("glb")
	if err != nil {
		fmt.Println(err)
		return
	}
	p, err := format.Write(ctx, scene.Delivery{Scene: s}, glb, "sail", target.Shipped[0])
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Printf("%s begins with %q\n", p.Files[0].Name, p.Files[0].Data[:4])
	// Output:
	// sail.glb begins with "glTF"
}
