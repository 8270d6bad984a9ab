package prep_test

import (
	"context"
	"fmt"

	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/prep"
	"yarvek/core/target"
)

// The stations go over a scene in their order, by what is decided for each; what nobody decided is proposed.
func ExampleRun() {
	ctx := context.Background()
	set := bundle.New([]bundle.File{{Name: "post.obj", Data: []byte("v 0 0 0\nv 10 0 0\nv 0 0 10\nv 0 218 0\n" +
		"f 1 2 3\nf 1 4 2\nf 2 4 3\nf 3 4 1\n")}})
	s, found, err := format.Read(ctx, set, "post.obj", nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	var p prep.Prep
	p.Size.Class = "street-furniture"
	in := prep.Input{Key: "post 1", Scene: s, Findings: found, Revision: 1, Target: target.Shipped[0]}
	r, err := prep.Run(ctx, in, p, nil)
	if err != nil {
		fmt.Println(err)
		return
	}
	fmt.Println(r.Size.Findings()[0].Title)
	if p, err = p.Decide("size.unit=cm"); err != nil {
		fmt.Println(err)
		return
	}
	if r, err = prep.Run(ctx, in, p, nil); err != nil {
		fmt.Println(err)
		return
	}
	fmt.Printf("now %.2f m tall\n", r.Delivery.Scene.Bounds().Size()[1])
	// Output:
	// About 100 times too large
	// now 2.18 m tall
}
