package deliver_test

import (
	"context"
	"fmt"

	"yarvek/core/deliver"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/target"
)

// What the stations left is shaped, written, and read back the way the target would; the certificate says what arrived.
func ExampleMake() {
	ctx := context.Background()
	set := bundle.New([]bundle.File{{Name: "wedge.obj", Data: []byte("v 0 0 0\nv 1 0 0\nv 0 0 1\nv 0 1 0\n" +
		"f 1 2 3\nf 1 4 2\nf 2 4 3\nf 3 4 1\n")}})
	s, found, err := format.Read(ctx, set, "wedge.obj", nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	t := target.Shipped[1] // +Z up, centimetres, left-handed
	in := prep.Input{Key: "wedge 1", Scene: s, Findings: found, Revision: 1, Target: t}
	r, err := prep.Run(ctx, in, prep.Prep{}, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	out, err := deliver.Make(ctx, deliver.Order{Delivery: r.Delivery, Asset: "wedge", Kit: "pier", Target: t})
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(out.Package.Files[0].Name, "-", out.Certificate.Sentence())
	// Output:
	// wedge.glb - Arrived equal
}
