package geom

import (
	"math"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestThereAre48Bases(t *testing.T) {
	all := AllBases()
	require.Len(t, all, 48)
	seen := map[string]bool{}
	for _, b := range all {
		seen[b.String()] = true
	}
	assert.Len(t, seen, 48)
}

// A glove: thumb along right, palm normal along forward, fingers along up. Its
// signed volume in the world (right·(up×forward) taken in a right-handed frame)
// must survive all 48×48 conversions.
func TestAChiralMeshStaysItselfThroughAllBases(t *testing.T) {
	glove := [4]Vec3{{0, 0, 0}, {1, 0, 0}, {0, 2, 0}, {0, 0, 3}}
	volume := func(p [4]Vec3) float64 {
		return p[1].Sub(p[0]).Dot(p[2].Sub(p[0]).Cross(p[3].Sub(p[0])))
	}
	for _, from := range AllBases() {
		for _, to := range AllBases() {
			m := from.To(to)
			wantDet := 1.0
			if from.Left != to.Left {
				wantDet = -1
			}
			require.Equal(t, wantDet, m.Det(), "%v to %v", from, to)
			var g, back [4]Vec3
			for i, p := range glove {
				g[i] = m.Apply(p)
				back[i] = to.To(from).Apply(g[i])
			}
			require.Equal(t, glove, back, "%v to %v and back", from, to)
			require.Equal(t, volume(glove)*wantDet, volume(g))
			require.Equal(t, from.ToView().Apply(glove[1]), to.ToView().Apply(g[1]), "what lay right still lies right")
		}
	}
}

func TestConversionsWorkedOutByHand(t *testing.T) {
	zUpLeft := Basis{Up: PosZ, Forward: PosX, Left: true}
	zUpRight := Basis{Up: PosZ, Forward: NegY}
	yUpLeft := Basis{Up: PosY, Forward: PosZ, Left: true}
	p := Vec3{1, 2, 3} // in glTF: 1 to the left, 2 up, 3 to the front
	for _, c := range []struct {
		to   Basis
		want Vec3
	}{
		{GLTF, Vec3{1, 2, 3}},
		// front is +X, up is +Z; left-handed with X to the front has +Y to the right, so left is -Y.
		{zUpLeft, Vec3{3, -1, 2}},
		// front is -Y, up is +Z, right is -X by right-handedness, so left is +X.
		{zUpRight, Vec3{1, -3, 2}},
		// left-handed with +Z to the front has +X to the right.
		{yUpLeft, Vec3{-1, 2, 3}},
	} {
		assert.Equal(t, c.want, GLTF.To(c.to).Apply(p), c.to.String())
	}
}

func TestRightHandOfTheBasis(t *testing.T) {
	assert.Equal(t, NegX, GLTF.Right())
	assert.Equal(t, PosY, Basis{Up: PosZ, Forward: PosX, Left: true}.Right())
	assert.Equal(t, NegY, Basis{Up: PosZ, Forward: PosX}.Right())
}

func TestQuarterTurnsAreExact(t *testing.T) {
	m := Rotation(Vec3{0, 1, 0}, math.Pi/2)
	assert.Equal(t, Vec3{3, 2, -1}, m.Apply(Vec3{1, 2, 3}))
	four := m.Mul(m).Mul(m).Mul(m)
	assert.Equal(t, Identity3, four)
}

func TestAffineInverseAndConjugate(t *testing.T) {
	a := FromTRS(Vec3{1, -2, 5}, [4]float64{0, math.Sin(0.3), 0, math.Cos(0.3)}, Vec3{2, 3, -1})
	inv, ok := a.Inverse()
	require.True(t, ok)
	assert.True(t, a.Mul(inv).Near(Identity, 1e-12))
	assert.True(t, a.Mirrors())

	c := Linear(Rotation(Vec3{1, 0, 0}, math.Pi/2))
	p := Vec3{0.2, 0.4, 0.9}
	assert.True(t, a.Conjugate(c).Apply(c.Apply(p)).Near(c.Apply(a.Apply(p)), 1e-12))

	_, ok = Affine{M: Mat3{{1, 0, 0}, {0, 0, 0}, {0, 0, 1}}}.Inverse()
	assert.False(t, ok)
}

func TestQuaternionByHand(t *testing.T) {
	h := math.Sqrt(0.5) // a quarter turn about +Z carries +X to +Y
	got := FromTRS(Vec3{10, 0, 0}, [4]float64{0, 0, h, h}, Vec3{2, 1, 1}).Apply(Vec3{1, 0, 0})
	assert.True(t, got.Near(Vec3{10, 2, 0}, 1e-12), "%v", got)
}

func TestCofactorCarriesNormals(t *testing.T) {
	m := Mat3{{2, 0, 0}, {0, 1, 0.5}, {0, 0, 1}}
	u, v := Vec3{1, 0, 0}, Vec3{0, 1, 1}
	n := m.Cofactor().Apply(u.Cross(v))
	assert.InDelta(t, 0, n.Dot(m.Apply(u)), 1e-12)
	assert.InDelta(t, 0, n.Dot(m.Apply(v)), 1e-12)
}

func TestBox(t *testing.T) {
	b := EmptyBox()
	assert.True(t, b.IsEmpty())
	assert.Equal(t, Vec3{}, b.Size())
	b = b.Add(Vec3{1, 1, 1}).Add(Vec3{-1, 3, 1})
	assert.Equal(t, Vec3{2, 2, 0}, b.Size())
	assert.Equal(t, Vec3{0, 2, 1}, b.Center())
	assert.Equal(t, b, b.Union(EmptyBox()))
	assert.Equal(t, 5.0, b.Distance(Vec3{4, 7, 1}))
}

func TestAxisText(t *testing.T) {
	for _, a := range Axes {
		got, err := ParseAxis(a.String())
		require.NoError(t, err)
		assert.Equal(t, a, got)
		assert.Equal(t, a, a.Neg().Neg())
		assert.Equal(t, a, AxisAlong(a.Vec()))
		assert.Equal(t, a.Vec().Mul(-1), a.Neg().Vec())
	}
	_, err := ParseAxis("up")
	assert.ErrorContains(t, err, "expected one of")
}
