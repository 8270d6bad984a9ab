package gltf

import (
	"context"
	"encoding/json"
	"errors"

	"yarvek/core/fault"
	"yarvek/core/format/draco"
	"yarvek/core/format/meshopt"
	"yarvek/core/split"
)

// The extensions that compress geometry. Files written by others use them; none is written.
const (
	extDraco     = "KHR_draco_mesh_compression"
	extMeshopt   = "EXT_meshopt_compression"
	extMeshopt2  = "KHR_meshopt_compression" // the same body, with a second version of its stream
	packedSpare  = 64 << 20                  // bytes that compressed views may hold beyond packedShare
	packedShare  = 64                        // times the bytes of all buffers
	facesSpare   = 1 << 21                   // faces that compressed meshes may hold beyond facesShare
	facesShare   = 32                        // times the bytes of all buffers
	adviceDamage = "The file is damaged or was written wrongly; export the mesh again, or without compression"
)

// compression is what EXT_meshopt_compression says of a buffer view.
type compression struct {
	Buffer     int            `json:"buffer"`
	ByteOffset int64          `json:"byteOffset"`
	ByteLength int64          `json:"byteLength"`
	ByteStride int64          `json:"byteStride"`
	Count      int64          `json:"count"`
	Mode       meshopt.Mode   `json:"mode"`
	Filter     meshopt.Filter `json:"filter"`
}

// either gives the extension of the first name that is there.
func either(ext map[string]json.RawMessage, names ...string) (json.RawMessage, bool) {
	for _, n := range names {
		if raw, ok := ext[n]; ok {
			return raw, true
		}
	}
	return nil, false
}

// standsIn tells a buffer without bytes, in whose place compressed views are read.
func standsIn(b buffer) bool {
	_, ok := either(b.Extensions, extMeshopt, extMeshopt2)
	return ok && b.URI == ""
}

// unfold gives the bytes of a compressed view, decoded once. A view that is not compressed
// has none.
func (r *reader) unfold(i int) (data []byte, compressed bool, err error) {
	raw, ok := either(r.doc.BufferViews[i].Extensions, extMeshopt, extMeshopt2)
	if !ok {
		return nil, false, nil
	}
	if data, ok := r.unfolded[i]; ok {
		return data, true, nil
	}
	bad := func(format string, args ...any) error {
		return fault.AtByte(r.name, -1, "buffer view %d "+format, append([]any{i}, args...)...).Advise(adviceDamage)
	}
	var c compression
	if err := json.Unmarshal(raw, &c); err != nil {
		return nil, true, bad("is compressed in a way that can't be read: %v", err)
	}
	from, err := r.stretch(i, c.Buffer, c.ByteOffset, c.ByteLength)
	if err != nil {
		return nil, true, err
	}
	if c.Count < 0 || c.ByteStride < 1 || c.ByteStride > 256 ||
		c.Count > (packedSpare+packedShare*r.total-r.unpacked)/c.ByteStride {
		return nil, true, bad("claims %d elements of %d bytes, far more than the file has bytes for", c.Count,
			c.ByteStride).(*fault.Error).Beyond()
	}
	out, err := meshopt.Decode(from, c.Mode, c.Filter, int(c.Count), int(c.ByteStride))
	var where *meshopt.FormatError
	if errors.As(err, &where) {
		return nil, true, fault.AtByte(r.name, c.ByteOffset+int64(where.Offset), "buffer view %d: %s", i,
			where.What).Advise(adviceDamage)
	}
	if err != nil {
		return nil, true, err
	}
	if r.unfolded == nil {
		r.unfolded = map[int][]byte{}
	}
	r.unfolded[i] = out
	r.unpacked += int64(len(out))
	r.budget += 4 * int64(len(out))
	return out, true, nil
}

// solid is a primitive whose mesh came compressed as a whole: the accessors it refers to
// have no bytes of their own.
type solid struct {
	*draco.Mesh
	layers map[int]*draco.Attribute // by accessor
}

// solid decodes a primitive that came compressed; nil when it did not, or when its plain
// bytes are there too.
func (r *reader) solid(ctx context.Context, p primitive) (*solid, error) {
	raw, ok := p.Extensions[extDraco]
	pos, has := p.Attributes["POSITION"]
	if !ok || has && pos >= 0 && pos < len(r.doc.Accessors) && r.doc.Accessors[pos].BufferView != nil {
		return nil, nil
	}
	var e struct {
		BufferView int               `json:"bufferView"`
		Attributes map[string]uint32 `json:"attributes"`
	}
	if err := json.Unmarshal(raw, &e); err != nil {
		return nil, fault.AtByte(r.name, -1, "is compressed in a way that can't be read: %v", err).Advise(adviceDamage)
	}
	if p.Mode != nil && *p.Mode != modeTriangles {
		return nil, fault.AtByte(r.name, -1, "is compressed, and no list of triangles").Unsupported().Advise(
			"Export it without compression")
	}
	data, err := r.bytesOfView(e.BufferView)
	if err != nil {
		return nil, err
	}
	m, err := draco.Decode(ctx, data, int(min(facesSpare+facesShare*r.total-r.faces, 1<<29)))
	var where *draco.FormatError
	var not draco.UnsupportedError
	switch {
	case errors.As(err, &where):
		at := r.doc.BufferViews[e.BufferView].ByteOffset + int64(where.Offset)
		return nil, fault.AtByte(r.name, at, "compressed in buffer view %d: %s", e.BufferView,
			where.What).Advise(adviceDamage)
	case errors.As(err, &not):
		return nil, fault.AtByte(r.name, -1, "%v", not).Unsupported().Advise("Export it without compression")
	case err != nil:
		return nil, err
	}
	r.faces += int64(len(m.Corners) / 3)
	s := &solid{m, map[int]*draco.Attribute{}}
	for name, id := range e.Attributes {
		acc, ok := p.Attributes[name]
		for k := range m.Attributes {
			if a := &m.Attributes[k]; ok && a.ID == id {
				s.layers[acc] = a
			}
		}
	}
	return s, nil
}

// values hands over the values of accessor i, which stand compressed in layer a.
func (s *solid) values(r *reader, i int, a *draco.Attribute, wantType string, prepare func(n int),
	set func(k int, v *[4]float64)) error {
	acc := r.doc.Accessors[i]
	n := int(components[wantType])
	switch {
	case acc.Type != wantType || a.Components != n:
		return r.fail(i, "is %q of %d numbers where %s is expected", acc.Type, a.Components, wantType)
	case acc.Count != int64(s.Points):
		return r.fail(i, "claims %d elements, and its compressed mesh has %d points", acc.Count, s.Points)
	}
	largest := 1.0
	if acc.Normalized {
		largest = map[draco.Type]float64{draco.Int8: 127, draco.Uint8: 255, draco.Int16: 32767, draco.Uint16: 65535}[a.Type]
		if largest == 0 {
			largest = 1
		}
	}
	prepare(s.Points)
	split.Range(s.Points, 1<<15, func(_, from, to int) {
		var v [4]float64
		for k, e := range a.Entry[from:to] {
			v = [4]float64{}
			for c, x := range a.Values[int(e)*n : int(e)*n+n] {
				v[c] = x / largest
			}
			set(from+k, &v)
		}
	})
	return nil
}
