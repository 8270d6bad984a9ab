package draco

import (
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"math"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// packedMesh is one of testdata/meshes.json, made by an independent encoder (tools/packed);
// the digest is of what that encoder's own decoder gave.
type packedMesh struct {
	Name                  string
	Data                  []byte
	Points, Faces, Layers int
	SHA256                string
}

func meshes(t testing.TB) []packedMesh {
	data, err := os.ReadFile("testdata/meshes.json")
	require.NoError(t, err)
	var all []packedMesh
	require.NoError(t, json.Unmarshal(data, &all))
	require.Greater(t, len(all), 200)
	return all
}

// digest is that of the corners and then of every layer's value at every point.
func digest(m *Mesh) string {
	h := sha256.New()
	write := func(v uint32) { h.Write(binary.LittleEndian.AppendUint32(nil, v)) }
	for _, c := range m.Corners {
		write(uint32(c))
	}
	for _, a := range m.Attributes {
		for _, e := range a.Entry {
			for k := range a.Components {
				write(math.Float32bits(float32(a.Values[int(e)*a.Components+k])))
			}
		}
	}
	return hex.EncodeToString(h.Sum(nil))
}

// Every mesh decodes to the corners and the values the independent decoder gives, to the
// last bit.
func TestAnIndependentDecoderAgrees(t *testing.T) {
	for _, p := range meshes(t) {
		m, err := Decode(context.Background(), p.Data, 1<<20)
		if !assert.NoError(t, err, p.Name) {
			continue
		}
		assert.Equal(t, [3]int{p.Points, p.Faces, p.Layers}, [3]int{m.Points, len(m.Corners) / 3, len(m.Attributes)}, p.Name)
		assert.Equal(t, p.SHA256, digest(m), p.Name)
	}
}

// A stream cut short or changed anywhere is an error with a place or another sound mesh,
// never a panic, and never more than was allowed.
func TestDamagedMeshes(t *testing.T) {
	for i, p := range meshes(t) {
		if i%5 != 0 || testing.Short() && i%25 != 0 {
			continue
		}
		for cut := range len(p.Data) {
			if cut > 60 && cut%11 != 0 {
				continue
			}
			_, err := Decode(context.Background(), p.Data[:cut], 1<<20)
			require.Error(t, err, "%s cut to %d", p.Name, cut)
		}
		for at := 11; at < len(p.Data); at += 1 + at/40 {
			bad := append([]byte(nil), p.Data...)
			bad[at] ^= byte(1 + at*37%255)
			if m, err := Decode(context.Background(), bad, 4*p.Faces); err == nil {
				sound(t, m, 4*p.Faces)
			}
		}
	}
}

// sound checks what a mesh promises.
func sound(t testing.TB, m *Mesh, limit int) {
	require.LessOrEqual(t, len(m.Corners), 3*limit)
	for _, c := range m.Corners {
		require.True(t, c >= 0 && int(c) < m.Points)
	}
	for _, a := range m.Attributes {
		require.Len(t, a.Entry, m.Points)
		for _, e := range a.Entry {
			require.True(t, e >= 0 && int(e+1)*a.Components <= len(a.Values))
		}
	}
}

func TestLimitsAndUnknownStreams(t *testing.T) {
	p := meshes(t)[0]
	_, err := Decode(context.Background(), p.Data, p.Faces-1)
	var bad *FormatError
	require.ErrorAs(t, err, &bad)
	for at, want := range map[int]string{5: "version", 7: "cloud"} {
		old := append([]byte(nil), p.Data...)
		old[at] = 0
		_, err := Decode(context.Background(), old, 1<<20)
		var no UnsupportedError
		require.ErrorAs(t, err, &no)
		assert.ErrorContains(t, err, want)
	}
	ctx, cancel := context.WithCancel(context.Background())
	cancel()
	_, err = Decode(ctx, p.Data, 1<<20)
	assert.True(t, errors.Is(err, context.Canceled))
}

func FuzzDecode(f *testing.F) {
	for i, p := range meshes(f) {
		if len(p.Data) < 1500 && i%3 == 0 {
			f.Add(p.Data)
		}
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		if m, err := Decode(context.Background(), data, 1<<14); err == nil {
			sound(t, m, 1<<14)
		}
	})
}
