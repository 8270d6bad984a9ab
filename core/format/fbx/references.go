package fbx

import (
	"bytes"
	"context"
)

// References lists the pictures that the textures and videos of an FBX name, as it names
// them: for each the relative name first, then the whole one. It looks at records and
// passes over arrays without unpacking them; what it can't read refers to nothing, and
// reading the file says why.
func References(ctx context.Context, name string, data []byte) []string {
	var tree *record
	if bytes.HasPrefix(data, []byte(magic[:18])) {
		b, _, err := newBinaryReader(ctx, name, data)
		if err != nil {
			return nil
		}
		b.passArrays = true
		if tree, err = b.tree(); err != nil {
			return nil
		}
	} else {
		var err error
		if tree, _, err = parseASCII(ctx, name, data); err != nil {
			return nil
		}
	}
	objects := tree.sub("Objects")
	if objects == nil {
		return nil
	}
	var refs []string
	for _, o := range objects.subs {
		if o.name == "Texture" || o.name == "Video" {
			refs = append(refs, pictureNames(o)...)
		}
	}
	return refs
}

// pictureNames are what a texture or a video calls its picture, the most telling first.
func pictureNames(o *record) []string {
	var names []string
	for _, field := range []string{"RelativeFilename", "FileName", "Filename"} {
		if n := o.sub(field).str(0); n != "" {
			names = append(names, n)
		}
	}
	return names
}
