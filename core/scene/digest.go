package scene

import (
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"hash"
	"math"
)

// Sum is the SHA-256 of a picture's bytes in hexadecimal digits, "" of one that is not there. It is what a
// picture is known by: two of one name differ in it, and one under two names does not.
func (i Image) Sum() string {
	if len(i.Data) == 0 {
		return ""
	}
	if i.sum != "" && i.summed == &i.Data[0] && i.length == len(i.Data) {
		return i.sum
	}
	sum := sha256.Sum256(i.Data)
	return hex.EncodeToString(sum[:])
}

// Summed is the picture with its [Image.Sum] kept at hand, for as long as it has these bytes.
func (i Image) Summed() Image {
	if i.sum = i.Sum(); i.sum != "" {
		i.summed, i.length = &i.Data[0], len(i.Data)
	}
	return i
}

// ShapeSum is the SHA-256 of all that a scene's shapes are made of: its basis, its nodes with their places,
// its meshes with all their layers, and its materials. Names of nodes and meshes, pictures, and what the file
// left out are not in it: scenes that agree have the same shapes, whatever those are called.
func (s *Scene) ShapeSum() string {
	d := digest{h: sha256.New()}
	d.value(s.Basis)
	d.value(s.UnitMetres)
	for _, n := range s.Nodes {
		d.ints(int64(n.Parent), int64(n.Mesh), yes(n.Hidden))
		for _, row := range n.Local.M {
			d.floats(row[:]...)
		}
		d.floats(n.Local.T[:]...)
	}
	for _, m := range s.Meshes {
		d.mesh(m)
	}
	d.put(uint64(len(s.Materials)))
	for i := range s.Materials {
		m := &s.Materials[i]
		d.text(m.Name) // decisions speak of slots by it
		d.looks(m)
		for u := range m.Maps {
			d.ints(int64(m.Maps[u].Texture))
			d.lies(m.Maps[u])
		}
	}
	d.put(uint64(len(s.Textures)))
	for _, t := range s.Textures {
		d.text(t.Name)
		d.ints(int64(t.Image))
		d.wraps(t)
	}
	d.flush()
	return hex.EncodeToString(d.h.Sum(nil))
}

// digest adds values to a hash, each list behind its length, so that no two scenes run together.
type digest struct {
	h   hash.Hash
	buf [8 << 10]byte
	n   int
}

func yes(b bool) int64 {
	if b {
		return 1
	}
	return 0
}

func (d *digest) put(v uint64) {
	if d.n == len(d.buf) {
		d.flush()
	}
	binary.LittleEndian.PutUint64(d.buf[d.n:], v)
	d.n += 8
}

func (d *digest) flush() {
	_, _ = d.h.Write(d.buf[:d.n]) // a hash never fails
	d.n = 0
}

func (d *digest) ints(list ...int64) {
	for _, v := range list {
		d.put(uint64(v))
	}
}

func (d *digest) floats(list ...float64) {
	for _, v := range list {
		d.put(math.Float64bits(v))
	}
}

// value adds plain data by its JSON.
func (d *digest) value(v any) {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err) // plain data: readers let no number in that is not finite
	}
	d.put(uint64(len(b)))
	d.flush()
	_, _ = d.h.Write(b)
}

// text adds a string.
func (d *digest) text(s string) {
	d.put(uint64(len(s)))
	d.flush()
	_, _ = d.h.Write([]byte(s))
}

// looks adds all of a material but its name and pictures.
func (d *digest) looks(m *Material) {
	d.floats(m.BaseColor[:]...)
	d.floats(m.Emissive[:]...)
	d.floats(m.Metallic, m.Roughness, m.NormalScale, m.Occlusion, m.AlphaCutoff, m.Glow)
	d.text(string(m.AlphaMode))
	d.ints(yes(m.TwoSided), yes(m.Unlit))
	d.floats(m.Older.Diffuse[:]...)
	d.floats(m.Older.Specular[:]...)
	d.floats(m.Older.Gloss)
}

// lies adds how a picture lies on a mesh and what is read of it; which one it is has been added before.
func (d *digest) lies(m Map) {
	d.ints(int64(m.UVSet), int64(m.Channel), yes(m.Place != nil))
	if p := m.Place; p != nil {
		d.floats(p.Offset[0], p.Offset[1], p.Scale[0], p.Scale[1], p.Rotation)
	}
}

// wraps adds how a texture reads its picture.
func (d *digest) wraps(t Texture) {
	d.text(string(t.WrapU))
	d.text(string(t.WrapV))
	d.ints(int64(t.MagFilter), int64(t.MinFilter))
}

func (d *digest) mesh(m *Mesh) {
	d.put(uint64(len(m.Points)))
	for _, p := range m.Points {
		d.floats(p[:]...)
	}
	addInts(d, m.FaceStart)
	addInts(d, m.Corners)
	addLayer(d, m.Normals, func(v [3]float32) { d.singles(v[:]) })
	addLayer(d, m.Tangents, func(v [4]float32) { d.singles(v[:]) })
	addLayer(d, m.Colors, func(v [4]float32) { d.singles(v[:]) })
	d.put(uint64(len(m.UVs)))
	for _, u := range m.UVs {
		d.value(u.Name) // UV sets are chosen by name
		addLayer(d, u.Layer, func(v [2]float64) { d.floats(v[:]...) })
	}
	addInts(d, m.Slots)
	addInts(d, m.Slot)
	addInts(d, m.Smooth)
	d.put(uint64(len(m.Hard)))
	for _, h := range m.Hard {
		d.ints(yes(h))
	}
	d.flush()
}

// addInts adds a list of numbers; no list and an empty one differ.
func addInts[N int | int32 | uint32](d *digest, list []N) {
	d.ints(int64(len(list)), yes(list == nil))
	for len(list) > 0 {
		if d.n == len(d.buf) {
			d.flush()
		}
		n := min(len(list), (len(d.buf)-d.n)/8)
		for _, v := range list[:n] {
			binary.LittleEndian.PutUint64(d.buf[d.n:], uint64(v))
			d.n += 8
		}
		list = list[n:]
	}
}

func (d *digest) singles(list []float32) {
	for _, v := range list {
		d.put(uint64(math.Float32bits(v)))
	}
}

func addLayer[T any](d *digest, l Layer[T], add func(T)) {
	addInts(d, l.Index)
	d.put(uint64(len(l.Values)))
	for _, v := range l.Values {
		add(v)
	}
}

// MaterialSum is the SHA-256 of how a material looks: its values and, for each use, the picture's bytes and how they
// lie. Names of the material, its textures and its pictures are not in it, and neither is where they stand in the
// scene's lists: materials of two scenes that agree look the same.
func (s *Scene) MaterialSum(i int) string {
	m := &s.Materials[i]
	d := digest{h: sha256.New()}
	d.looks(m)
	for _, mp := range m.Maps {
		on := mp.Texture > 0 && mp.Texture <= len(s.Textures)
		d.ints(yes(on))
		if !on {
			continue
		}
		t := s.Textures[mp.Texture-1]
		sum := ""
		if t.Image >= 0 && t.Image < len(s.Images) {
			sum = s.Images[t.Image].Sum()
		}
		d.text(sum)
		d.wraps(t)
		d.lies(mp)
	}
	d.flush()
	return hex.EncodeToString(d.h.Sum(nil))
}

// Sum is the SHA-256 of a mesh in its own frame: points, faces, normals, UVs and colours, as they follow one another.
// Its name is not in it, nor what its slots are, but which faces share one is.
func (m *Mesh) Sum() string {
	d := digest{h: sha256.New()}
	own := *m
	own.Slots, own.Slot = nil, nil
	d.mesh(&own)
	first := map[int]int64{}
	if m.Slot != nil {
		for f := range m.Faces() {
			k := m.Material(f)
			if _, ok := first[k]; !ok {
				first[k] = int64(len(first))
			}
			d.ints(first[k])
		}
	}
	d.flush()
	return hex.EncodeToString(d.h.Sum(nil))
}
