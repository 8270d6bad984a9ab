package meshopt

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"os"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// stream is one of testdata/streams.json, made by an independent encoder (tools/packed);
// the digest is of what that encoder's own decoder gave.
type packedStream struct {
	Name   string
	Mode   Mode
	Filter Filter
	Count  int
	Stride int
	Data   []byte
	SHA256 string
}

func streams(t testing.TB) []packedStream {
	data, err := os.ReadFile("testdata/streams.json")
	require.NoError(t, err)
	var all []packedStream
	require.NoError(t, json.Unmarshal(data, &all))
	require.Greater(t, len(all), 60)
	return all
}

// Every stream decodes to the bytes the independent decoder gives.
func TestAnIndependentDecoderAgrees(t *testing.T) {
	for _, s := range streams(t) {
		got, err := Decode(s.Data, s.Mode, s.Filter, s.Count, s.Stride)
		if assert.NoError(t, err, s.Name) {
			sum := sha256.Sum256(got)
			assert.Equal(t, s.SHA256, hex.EncodeToString(sum[:]), s.Name)
		}
	}
}

// A stream cut short or asked for more than it holds is an error with a place, never a
// panic and never half a mesh.
func TestShortStreamsAreRefused(t *testing.T) {
	for _, s := range streams(t) {
		for cut := range len(s.Data) {
			if cut > 40 && cut < len(s.Data)-40 && cut%7 != 0 {
				continue
			}
			_, err := Decode(s.Data[:cut], s.Mode, s.Filter, s.Count, s.Stride)
			if s.Mode != Attributes && err == nil {
				continue // the tail of an index stream is a table whose bytes it may not need
			}
			var e *FormatError
			require.ErrorAs(t, err, &e, "%s cut to %d", s.Name, cut)
		}
		_, err := Decode(s.Data, s.Mode, s.Filter, 1<<28/s.Stride/3*3, s.Stride)
		require.Error(t, err, s.Name)
	}
}

func TestWhatIsNoStreamIsRefused(t *testing.T) {
	for name, try := range map[string]struct {
		data          []byte
		mode          Mode
		filter        Filter
		count, stride int
	}{
		"mode":           {nil, "POINTS", None, 1, 4},
		"empty":          {nil, Attributes, None, 1, 4},
		"stride":         {make([]byte, 99), Attributes, None, 1, 6},
		"index stride":   {make([]byte, 99), Triangles, None, 3, 3},
		"filter":         {make([]byte, 99), Indices, Octahedral, 3, 4},
		"half triangles": {make([]byte, 99), Triangles, None, 4, 4},
		"first byte":     {make([]byte, 99), Indices, None, 4, 4},
		"negative":       {make([]byte, 99), Indices, None, -4, 4},
	} {
		_, err := Decode(try.data, try.mode, try.filter, try.count, try.stride)
		var e *FormatError
		assert.True(t, errors.As(err, &e), name)
	}
	s := streams(t)[0]
	_, err := Decode(s.Data, s.Mode, "SHARPEN", s.Count, s.Stride)
	assert.ErrorContains(t, err, "unknown")
}

func FuzzDecode(f *testing.F) {
	for _, s := range streams(f) {
		f.Add(s.Data, string(s.Mode), string(s.Filter), uint16(s.Count), uint8(s.Stride-1))
	}
	f.Fuzz(func(t *testing.T, data []byte, mode, filter string, count uint16, stride uint8) {
		out, err := Decode(data, Mode(mode), Filter(filter), int(count), int(stride)+1)
		if err == nil && len(out) != int(count)*(int(stride)+1) {
			t.Fatal("wrong size")
		}
	})
}
