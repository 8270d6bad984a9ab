package web

import (
	"fmt"
	"math"
	"net/http"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/cloud"
	"yarvek/core/prep"
	"yarvek/core/station/pivot"
	"yarvek/core/station/source"
	"yarvek/internal/work"
)

// doors are small files of formats that targets say nothing of: a triangle each, and points without one.
var doors = map[string]string{
	"door.dae": `<COLLADA version="1.4.1"><asset><unit meter="0.0254"/><up_axis>Z_UP</up_axis></asset><library_geometries>
<geometry id="g"><mesh><source id="p"><float_array id="a">0 0 0 10 0 0 0 0 10</float_array><technique_common><accessor
source="#a" stride="3" count="3"><param name="X"/><param name="Y"/><param name="Z"/></accessor></technique_common>
</source>
<vertices id="v"><input semantic="POSITION" source="#p"/></vertices><triangles count="1"><input semantic="VERTEX"
source="#v" offset="0"/><p>0 1 2</p></triangles></mesh></geometry></library_geometries><library_visual_scenes>
<visual_scene id="s"><node name="door"><instance_geometry url="#g"/></node></visual_scene></library_visual_scenes>
<scene><instance_visual_scene url="#s"/></scene></COLLADA>`,
	"door.ply": "ply\nformat ascii 1.0\nelement vertex 3\nproperty float x\nproperty float y\nproperty float z\n" +
		"element face 1\nproperty list uchar int vertex_indices\nend_header\n0 0 0\n1 0 0\n0 1 0\n3 0 1 2\n",
	"points.ply": "ply\nformat ascii 1.0\nelement vertex 4\nproperty float x\nproperty float y\nproperty float z\n" +
		"property float nx\nproperty float ny\nproperty float nz\nend_header\n0 0 0 0 1 0\n1 0 0 0 1 0\n0 1 0 1 0 0\n" +
		"0 0 1 0 0 1\n",
	"door.stl": "solid door\nfacet normal 0 0 0\nouter loop\nvertex 0 0 0\nvertex 1 0 0\nvertex 0 0 1\nendloop\n" +
		"endfacet\nendsolid door\n",
	"door.usda": "#usda 1.0\ndef Mesh \"door\" {\n int[] faceVertexCounts = [3]\n int[] faceVertexIndices = [0, 1, 2]\n" +
		" point3f[] points = [(0,0,0), (100,0,0), (0,100,0)]\n}\n",
}

// Whatever comes in goes through all stations and leaves.
func TestEveryDoorLeadsThroughAllStations(t *testing.T) {
	for name, text := range doors {
		t.Run(name, func(t *testing.T) {
			c := newClient(t)
			c.bring(name, text)
			for _, in := range prep.Stations() {
				assert.Equal(t, http.StatusOK, c.get("/assets/1/"+in.ID).Code, in.ID)
			}
			has(t, c.get("/assets/1/came"), "As")
			assert.NotContains(t, c.get("/assets/1/came").Body.String(), "Not done")
			sent, err := c.desk.Send(t.Context(), 1, work.Leave{Reason: "a trial"})
			require.NoError(t, err)
			assert.True(t, sent.Certificate.Arrived())
			assert.Equal(t, http.StatusOK, c.get(fmt.Sprintf("/assets/1/export?sent=%d", sent.ID)).Code)
		})
	}
}

// Of points the largest piece and one in each cube are kept by the form that stands where there are points alone.
func TestPointsAreDecidedAtSource(t *testing.T) {
	c := newClient(t)
	var b strings.Builder
	b.WriteString("ply\nformat ascii 1.0\nelement vertex 1001\nproperty float x\nproperty float y\nproperty float z\n" +
		"end_header\n")
	for i := range 1000 {
		fmt.Fprintf(&b, "%g 0 %g\n", float64(i%40)/40, float64(i/40)/25)
	}
	b.WriteString("0 90 0\n")
	c.bring("quay.ply", b.String())
	page := c.get("/assets/1/source")
	has(t, page, "One point in each cube of")
	has(t, page, "Keep the largest piece")
	c.decide("source", "act", "entries", "section", "points", "piece", "yes", "thin", "100")
	has(t, c.get("/assets/1/source"), "<strong>1")
	c.decide("source", "act", "thinseen", "from", "20 m")
	seen, err := c.desk.Open(t.Context(), 1)
	require.NoError(t, err)
	at := seen.Kit.Target.View
	pixel := 2 * 20 * math.Tan(at.Angle/2*math.Pi/180) / float64(at.Lines)
	assert.InEpsilon(t, pixel*at.Tolerance/math.Sqrt(3), seen.Prep.Source.Thin, .01, "a cube that is a pixel across")
	refused := c.post("/assets/1/source", c.form("act", "thinseen", "from", "0"))
	assert.Equal(t, http.StatusUnprocessableEntity, refused.Code)
	c.decide("source", "act", "entries", "section", "points", "piece", "yes", "thin", "100")
	o, err := c.desk.Open(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, source.Decisions{Piece: true, Thin: .1}, o.Prep.Source)
	assert.InDelta(t, 100, o.Result.Delivery.Scene.Count().Dots, 21)
	sent, err := c.desk.Send(t.Context(), 1, work.Leave{Reason: "a trial"})
	require.NoError(t, err)
	assert.Equal(t, "ply", sent.Format)
	c.decide("pivot", "act", "feature", "sort", "plane", "at", "0.5,0,0.5", "reach", "30 cm")
	o, err = c.desk.Open(t.Context(), 1)
	require.NoError(t, err)
	assert.InDelta(t, 0, o.Prep.Pivot.Picks[0][1], 1e-9, "they lie on the ground")
	assert.Equal(t, pivot.Feature{Sort: cloud.Plane}, o.Prep.Pivot.Feature)
	has(t, c.get("/assets/1/pivot"), "Pick it")
	w := c.post("/assets/1/pivot", c.form("act", "feature", "sort", "ball", "at", "0.5,0,0.5", "reach", "1 mm"))
	assert.Equal(t, http.StatusUnprocessableEntity, w.Code)
	assert.Contains(t, w.Body.String(), "within")
	other := newClient(t)
	other.bring("door.ply", doors["door.ply"])
	assert.NotContains(t, other.get("/assets/1/source").Body.String(), "One point in each cube of")
}

// twoHeads is a scene of which either a lamp or a horn comes in, white or red.
const twoHeads = `#usda 1.0
(
    defaultPrim = "beacon"
    metersPerUnit = 1
    upAxis = "Y"
)
def Xform "beacon" (
    variants = { string head = "lamp" }
    prepend variantSets = ["head", "paint"]
)
{
    def Mesh "mast" {
        int[] faceVertexCounts = [3]
        int[] faceVertexIndices = [0, 1, 2]
        point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 4, 0)]
        rel material:binding = </beacon/coat>
    }
    def Material "coat" {
        token outputs:surface.connect = </beacon/coat/s.outputs:surface>
        def Shader "s" {
            uniform token info:id = "UsdPreviewSurface"
            token outputs:surface
        }
    }
    variantSet "head" = {
        "lamp" { def Mesh "lamp" {
            int[] faceVertexCounts = [3, 3]
            int[] faceVertexIndices = [0, 1, 2, 0, 2, 3]
            point3f[] points = [(0, 4, 0), (1, 4, 0), (1, 5, 0), (0, 5, 0)]
        } }
        "horn" { def Mesh "horn" {
            int[] faceVertexCounts = [3]
            int[] faceVertexIndices = [0, 1, 2]
            point3f[] points = [(0, 4, 0), (1, 4, 0), (0, 6, 0)]
        } }
    }
    variantSet "paint" = {
        "white" { over "coat" { over "s" { color3f inputs:diffuseColor = (1, 1, 1) } } }
        "red" { over "coat" { over "s" { color3f inputs:diffuseColor = (1, 0, 0) } } }
    }
}
`

// Variants are chosen at Source: what is not in them comes in, whatever the file chooses, and goes again.
func TestVariantsAreChosenAtSource(t *testing.T) {
	c := newClient(t)
	c.bring("beacon.usda", twoHeads)
	is := func() (triangles int, high, green float64) {
		o, err := c.desk.Open(t.Context(), 1)
		require.NoError(t, err)
		s := o.Result.Delivery.Scene
		return s.Count().Triangles, s.Bounds().Size()[1], s.Materials[0].BaseColor[1]
	}
	check := func(triangles int, high, green float64) {
		t.Helper()
		n, h, g := is()
		assert.Equal(t, [3]float64{float64(triangles), high, green}, [3]float64{float64(n), h, g})
	}
	check(3, 5, 1)
	has(t, c.get("/assets/1/source"), "Take this one")
	c.decide("source", "act", "variant", "set", "/beacon{head}", "is", "horn")
	check(2, 6, 1)
	c.decide("source", "act", "variant", "set", "/beacon{paint}", "is", "red")
	check(2, 6, 0)
	has(t, c.get("/assets/1/source"), `<option selected>horn</option>`)
	o, err := c.desk.Open(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, []string{"Use “horn” of “head” for “beacon”", "Use “red” of “paint” for “beacon”"},
		o.Prep.Source.Lines())
	c.decide("source", "act", "variant", "set", "/beacon{head}", "is", "")
	check(3, 5, 0)
	c.decide("source", "act", "variant", "set", "/beacon{head}", "is", "bell")
	check(3, 5, 0)
	has(t, c.get("/assets/1/source"), "There is no variant “bell”")
	other := newClient(t)
	other.bring("bare.usda", `#usda 1.0
def Xform "a" (variants = { string is = "full" } prepend variantSets = "is")
{
    variantSet "is" = {
        "full" { def Mesh "m" {
            int[] faceVertexCounts = [3]
            int[] faceVertexIndices = [0, 1, 2]
            point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 4, 0)]
        } }
        "bare" { }
    }
}
`)
	other.decide("source", "act", "variant", "set", "/a{is}", "is", "bare")
	page := other.get("/assets/1/source")
	has(t, page, "What is chosen does not come in")
	has(t, page, "The file’s") // takes it back
}

// cushion is a cube that stands for a smooth surface.
const cushion = `#usda 1.0
( metersPerUnit = 1 )
def Mesh "cushion" {
    uniform token subdivisionScheme = "catmullClark"
    int[] faceVertexCounts = [4, 4, 4, 4, 4, 4]
    int[] faceVertexIndices = [0, 2, 3, 1, 4, 5, 7, 6, 0, 1, 5, 4, 2, 6, 7, 3, 0, 4, 6, 2, 1, 3, 7, 5]
    point3f[] points = [(0, 0, 0), (1, 0, 0), (0, 1, 0), (1, 1, 0), (0, 0, 1), (1, 0, 1), (0, 1, 1), (1, 1, 1)]
}
`

// Cages are divided by the form that stands where there are some, and that stays to take it back.
func TestCagesAreDividedAtSource(t *testing.T) {
	c := newClient(t)
	c.bring("cushion.usda", cushion)
	has(t, c.get("/assets/1/source"), "Divide cages")
	has(t, c.get("/assets/1/source"), "6 faces become 24")
	c.decide("source", "act", "entries", "section", "cages", "divide", "2")
	o, err := c.desk.Open(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, 96, o.Result.Delivery.Scene.Count().Polygons)
	has(t, c.get("/assets/1/source"), "Divide cages")
	c.decide("source", "act", "entries", "section", "cages", "divide", "0")
	o, err = c.desk.Open(t.Context(), 1)
	require.NoError(t, err)
	assert.Equal(t, 6, o.Result.Delivery.Scene.Count().Polygons)
}
