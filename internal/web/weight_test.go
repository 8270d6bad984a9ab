package web

import (
	"bytes"
	"compress/gzip"
	"context"
	"net/http"
	"os"
	"regexp"
	"strconv"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/format/gltf"
	"yarvek/core/format/pack"
	"yarvek/core/shape"
	"yarvek/core/shape/shapetest"
)

// The pages of a dense scan are small as they travel, packed: what is drawn small comes when
// it is scrolled to. It has 57 600 triangles here, or four times the square of
// YARVEK_RINGS.
func TestPagesOfADenseScanAreSmall(t *testing.T) {
	rings, err := strconv.Atoi(os.Getenv("YARVEK_RINGS"))
	if err != nil {
		rings = 120
	}
	s := shape.Scene("scan", nil, shapetest.Boulder(rings))
	out, err := gltf.Write(context.Background(), s, pack.Options{Name: "scan"})
	require.NoError(t, err)
	c := newClient(t)
	c.bring("scan.glb", string(out.Files[0].Data))
	for _, at := range []string{"source", "size", "axes", "pivot", "export"} {
		w := c.get("/assets/1/" + at)
		require.Equal(t, http.StatusOK, w.Code)
		n := packedSize(t, w.Body.Bytes())
		t.Logf("%s: %d triangles, %.1f kB packed", at, s.Count().Triangles, float64(n)/1000)
		assert.Less(t, n, 150_000, at)
		if at != "axes" {
			continue
		}
		small := regexp.MustCompile(`src="(/assets/1/small\.svg\?[^"]+)"`).FindAllStringSubmatch(w.Body.String(), -1)
		require.GreaterOrEqual(t, len(small), 14, "six to stand, four to face, and how it lies in the target")
		for _, m := range small {
			d := c.get(strings.ReplaceAll(m[1], "&amp;", "&"))
			require.Equal(t, http.StatusOK, d.Code, m[1])
			assert.Equal(t, "image/svg+xml", d.Header().Get("Content-Type"))
			assert.Contains(t, d.Header().Get("Cache-Control"), "immutable")
			assert.Contains(t, d.Body.String(), "data:image/png")
			assert.Less(t, packedSize(t, d.Body.Bytes()), 30_000)
		}
	}
	for _, turn := range []string{"", "1,2,3", "1,0,0,0,1,0,0,0,NaN", "0.5,0,0,0,0.5,0,0,0,0.5", "1,0,0,0,1,0,0,0,x"} {
		assert.Equal(t, http.StatusUnprocessableEntity, c.get("/assets/1/small.svg?turn="+turn).Code, turn)
	}
	assert.Equal(t, "no-store", c.get("/assets/1/small.svg?turn=1,0,0,0,1,0,0,0,1&of=before").Header().Get(
		"Cache-Control"))
}

// packedSize is how many bytes travel.
func packedSize(t *testing.T, b []byte) int {
	var packed bytes.Buffer
	z, err := gzip.NewWriterLevel(&packed, 5)
	require.NoError(t, err)
	_, err = z.Write(b)
	require.NoError(t, err)
	require.NoError(t, z.Close())
	return packed.Len()
}
