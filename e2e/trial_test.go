package e2e

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"slices"
	"strconv"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"yarvek/core/deliver"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/scene"
	"yarvek/core/shape/shapetest"
	"yarvek/core/target"
)

// faults are what a writer might get wrong, each small; they tell whether there was anything to get wrong.
var faults = []struct {
	what string
	do   func(s *scene.Scene, r *rand.Rand) bool
}{
	{"a point moved", func(s *scene.Scene, r *rand.Rand) bool {
		m := own(s, r)
		i := m.Corners[r.IntN(len(m.Corners))]
		m.Points = slices.Clone(m.Points)
		m.Points[i][r.IntN(3)] += 0.02
		return true
	}},
	{"a normal turned", func(s *scene.Scene, r *rand.Rand) bool {
		m := own(s, r)
		if !m.Normals.Has() {
			return false
		}
		c := r.IntN(len(m.Corners))
		n := m.Normals.Values[m.Normals.Index[c]]
		m.Normals.Values = append(slices.Clone(m.Normals.Values), [3]float32{n[1], n[2], n[0]})
		m.Normals.Index = slices.Clone(m.Normals.Index)
		m.Normals.Index[c] = int32(len(m.Normals.Values) - 1)
		d := n[0]*n[1] + n[1]*n[2] + n[2]*n[0]
		return d < 0.99
	}},
	{"a coordinate moved", func(s *scene.Scene, r *rand.Rand) bool {
		m := own(s, r)
		c := r.IntN(len(m.Corners))
		m.UVs = slices.Clone(m.UVs)
		u := &m.UVs[0]
		v := u.Values[u.Index[c]]
		u.Values = append(slices.Clone(u.Values), [2]float64{v[0] + 0.01, v[1]})
		u.Index = slices.Clone(u.Index)
		u.Index[c] = int32(len(u.Values) - 1)
		return true
	}},
	{"a face in another slot", func(s *scene.Scene, r *rand.Rand) bool {
		m := own(s, r)
		if len(s.UsedMaterials()) < 2 || m.Slot == nil || len(m.Slots) < 2 {
			return false
		}
		m.Slot = slices.Clone(m.Slot)
		f := r.IntN(len(m.Slot))
		m.Slot[f] = (m.Slot[f] + 1) % int32(len(m.Slots))
		return m.Slots[m.Slot[f]] != m.Slots[(int(m.Slot[f])+len(m.Slots)-1)%len(m.Slots)]
	}},
	{"a part moved", func(s *scene.Scene, r *rand.Rand) bool {
		for i := range s.Nodes {
			if s.Nodes[i].Mesh >= 0 {
				s.Nodes[i].Local.T[r.IntN(3)] += 0.02
				return true
			}
		}
		return false
	}},
	{"another colour", func(s *scene.Scene, r *rand.Rand) bool {
		m := used(s, r)
		if m == nil {
			return false
		}
		k := r.IntN(3)
		m.BaseColor[k] = 0.9*m.BaseColor[k] + 0.05*(1-m.BaseColor[k])
		return true
	}},
	{"colours as shown taken for light", func(s *scene.Scene, r *rand.Rand) bool {
		m := used(s, r)
		if m == nil {
			return false
		}
		was := m.BaseColor
		for k := range 3 {
			m.BaseColor[k] = scene.Shown(m.BaseColor[k])
		}
		for k := range 3 {
			if d := m.BaseColor[k] - was[k]; d > 0.01 {
				return true
			}
		}
		return false
	}},
	{"a glow", func(s *scene.Scene, r *rand.Rand) bool {
		m := used(s, r)
		if m == nil {
			return false
		}
		m.Emissive[r.IntN(3)] += 0.1
		return true
	}},
	{"a face turned round", func(s *scene.Scene, r *rand.Rand) bool {
		m := own(s, r)
		f := r.IntN(m.Faces())
		m.Corners = slices.Clone(m.Corners)
		slices.Reverse(m.Corners[m.FaceStart[f]:m.FaceStart[f+1]])
		for _, index := range []*[]int32{&m.Normals.Index, &m.UVs[0].Index} {
			if *index != nil {
				*index = slices.Clone(*index)
				slices.Reverse((*index)[m.FaceStart[f]:m.FaceStart[f+1]])
			}
		}
		return true
	}},
}

// own gives a mesh that a node places, a copy that may be changed.
func own(s *scene.Scene, r *rand.Rand) *scene.Mesh {
	var at []int
	for _, n := range s.Nodes {
		if n.Mesh >= 0 {
			at = append(at, n.Mesh)
		}
	}
	k := at[r.IntN(len(at))]
	m := *s.Meshes[k]
	s.Meshes[k] = &m
	return &m
}

// used gives a material that faces have, nil when none does.
func used(s *scene.Scene, r *rand.Rand) *scene.Material {
	list := slices.DeleteFunc(s.UsedMaterials(), func(k int) bool { return k < 0 })
	if len(list) == 0 {
		return nil
	}
	return &s.Materials[list[r.IntN(len(list))]]
}

// Exports by the thousand, half of them of files with one fault: none is certified that
// independent loaders draw otherwise than it was sent, and none is doubted that they draw as
// it was sent. `make trial` runs it.
func TestCertificatesAgainstLoaders(t *testing.T) {
	exports, _ := strconv.Atoi(os.Getenv("YARVEK_TRIAL"))
	if exports == 0 {
		t.Skip("the trial of a thousand exports runs by make trial")
	}
	b := newBench(t)
	ctx, began := context.Background(), time.Now()
	var whole, faulty, less, unseen int
	seen := map[string]int{}
	for n := 0; n < exports; n++ {
		r := rand.New(rand.NewPCG(uint64(n), 23))
		what, s := odd(n)
		if n%3 != 0 {
			what, s = "random", shapetest.Scene(uint64(5000+n))
		}
		f := detailed[n/2%len(detailed)]
		to := target.Framed("own", "own", s.Basis, figure.Units[r.IntN(3)])
		sent := s
		if n%2 == 1 {
			s = s.Clone()
			s.Materials = slices.Clone(s.Materials)
			fault := faults[r.IntN(len(faults))]
			if !fault.do(s, r) {
				exports++
				continue
			}
			what += ", " + fault.what
			seen[fault.what]++
		}
		pk, err := format.Write(ctx, scene.Delivery{Scene: s}, f, "asset", to)
		require.NoError(t, err)
		cert, err := deliver.Check(ctx, scene.Delivery{Scene: sent}, pk, f, to)
		require.NoError(t, err)
		why := otherwise(sent, f, to, b.draw(t, pk.Files))
		switch {
		case why != "" && cert.Arrived():
			t.Errorf("export %d, %s as %s: certified, and loaders see that %s", n, what, f.ID, why)
		case why == "" && !cert.Arrived() && n%2 == 0:
			t.Errorf("export %d, %s as %s: doubted, and loaders see nothing", n, what, f.ID)
			for _, row := range cert.Rows {
				if !row.Settled() {
					t.Logf("  %s: %s, not %s: %s", row.What, row.Arrived, row.Sent, row.Why)
				}
			}
		case n%2 == 1 && cert.Arrived():
			t.Errorf("export %d, %s as %s: certified with a fault", n, what, f.ID)
		}
		switch {
		case n%2 == 0:
			whole++
			if len(cert.Less()) > 0 {
				less++
			}
		default:
			faulty++
			if why == "" {
				unseen++
			}
		}
	}
	fmt.Printf("%d exports in %.0f s: %d as sent, %d of them less what the packing list names, none doubted; %d with a "+
		"fault, none certified, "+
		"%d of them drawn otherwise by the loaders\n%v\n", whole+faulty, time.Since(began).Seconds(), whole, less, faulty,
		faulty-unseen, seen)
}
