package show

import (
	"context"
	"encoding/xml"
	"errors"
	"fmt"
	"io"
	"math"
	"os"
	"path/filepath"
	"regexp"
	"runtime"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/geom"
	"yarvek/core/prep"
	"yarvek/core/station"
	"yarvek/core/station/pivot"
	"yarvek/core/station/size"
	"yarvek/core/target"
	"yarvek/internal/draft"
	"yarvek/internal/store"
	"yarvek/internal/work"
)

// bench is a board over a desk with one asset in it.
type bench struct {
	*Board
	t     testing.TB
	desk  *work.Desk
	kit   int64
	cache string
	store *store.Store
}

func newBench(t testing.TB) *bench {
	t.Helper()
	s, err := store.Open(t.TempDir())
	require.NoError(t, err)
	d := work.New(s, work.DefaultLimits, nil)
	k, err := d.NewKit(context.Background(), "Tern Point", target.Shipped[1].ID)
	require.NoError(t, err)
	b := &bench{New(d), t, d, k.ID, s.CacheDir(), s}
	t.Cleanup(b.close)
	return b
}

// close lets go of everything before the test ends, so that many benches one after the
// other need the memory of one. Closing twice is closing once.
func (b *bench) close() {
	if b.desk == nil {
		return
	}
	b.desk.Close()
	_ = b.store.Close()
	*b = bench{}
}

func (b *bench) bring(name, text string) int64 {
	b.t.Helper()
	u := b.desk.NewUpload()
	require.NoError(b.t, u.Add(name, strings.NewReader(text)))
	a, err := b.desk.Bring(context.Background(), b.kit, strings.TrimSuffix(name, ".obj"), u)
	require.NoError(b.t, err)
	return a.ID
}

func (b *bench) open(id int64) *work.Opened {
	b.t.Helper()
	o, err := b.desk.Open(context.Background(), id)
	require.NoError(b.t, err)
	return o
}

func (b *bench) decide(id int64, change func(p *prep.Prep)) *work.Opened {
	b.t.Helper()
	_, err := b.desk.Decide(context.Background(), id, b.open(id).Base(),
		func(p *prep.Prep) error { change(p); return nil })
	require.NoError(b.t, err)
	return b.open(id)
}

const quay = "o deck\nv 0 0 0\nv 4 0 0\nv 4 0 2\nv 0 0 2\nf 1 4 3 2\no hook\nv 0 1 0\nv 1 1 0\nv 0 2 0\nf 5 6 7\n"

// Every station on the list has a face with nothing left out, and draws.
func TestEveryStationHasAWholeFace(t *testing.T) {
	b := newBench(t)
	o := b.open(b.bring("quay.obj", quay))
	for _, in := range prep.Stations() {
		f, err := faceOf(in.ID)
		require.NoError(t, err, in.ID)
		assert.NotNil(t, f.layers, in.ID)
		assert.NotNil(t, f.outline, in.ID)
		p, err := b.Draw(context.Background(), o, in.ID, 0)
		require.NoError(t, err, in.ID)
		if f.drawn == nil {
			assert.Contains(t, p.Drawn.SVG, "Measured drawing of quay", in.ID)
		} else {
			assert.Regexp(t, `role="(group|img)" aria-label="[^"]*quay`, p.Drawn.SVG, in.ID)
		}
		_, err = b.Preview(context.Background(), o, in.ID, 0, o.Prep)
		require.NoError(t, err, in.ID)
	}
	assert.Len(t, faces, len(prep.Stations()), "and no face is of no station")
}

func TestAStationThatIsNotThereSaysSo(t *testing.T) {
	b := newBench(t)
	o := b.open(b.bring("quay.obj", quay))
	ctx := context.Background()
	var unknown *station.UnknownError
	_, err := b.Draw(ctx, o, "unheard", 0)
	require.ErrorAs(t, err, &unknown)
	assert.Equal(t, "unheard", unknown.ID)
	_, err = b.Preview(ctx, o, "unheard", 0, o.Prep)
	assert.ErrorAs(t, err, &unknown)
	_, err = b.Pick(ctx, o, Sight{Station: "unheard"})
	assert.ErrorAs(t, err, &unknown)
	_, err = b.Turntable(ctx, o, "unheard", 0)
	assert.ErrorAs(t, err, &unknown)
	_, err = b.Painted(ctx, o, "unheard", draft.AsMaterials)
	assert.ErrorAs(t, err, &unknown)
	_, err = Measure(o, "unheard", geom.Vec3{}, geom.Vec3{1, 0, 0})
	assert.ErrorAs(t, err, &unknown)
}

func TestPicksComeBackWhereSourceKeepsThem(t *testing.T) {
	ctx := context.Background()
	b := newBench(t)
	o := b.decide(b.bring("quay.obj", quay), func(p *prep.Prep) {
		p.Size.Fit, p.Size.Factor = size.ByFactor, 3
		p.Axes.Up = geom.PosX
		p.Pivot.Place, p.Pivot.Heading = pivot.OnMass, 30
	})
	tip := geom.Vec3{0, 2, 0}
	for _, st := range []string{"size", "axes", "pivot"} {
		at, err := OnPaper(o, st, tip)
		require.NoError(t, err)
		found := false
		for _, xy := range at {
			p, err := b.Pick(ctx, o, Sight{Station: st, X: xy[0], Y: xy[1]})
			if err == nil && p.Source.Near(tip, 1e-6) {
				assert.Equal(t, draft.Corner, p.Kind)
				assert.Contains(t, p.Say, "a corner of an edge")
				found = true
			}
		}
		assert.True(t, found, st)
	}
	m, err := Measure(o, "pivot", geom.Vec3{}, geom.Vec3{4, 0, 0})
	require.NoError(t, err)
	assert.InDelta(t, 12, m.Length, 1e-9)
	_, err = b.Pick(ctx, o, Sight{Station: "size", X: 1, Y: 1})
	assert.Equal(t, fault.Missing, fault.KindOf(err))
}

// numbers are all those of the attributes of elements of a class in an SVG.
func boxOfClass(t *testing.T, svg, class string) (x0, y0, x1, y1 float64) {
	t.Helper()
	x0, y0, x1, y1 = math.Inf(1), math.Inf(1), math.Inf(-1), math.Inf(-1)
	add := func(x, y float64) { x0, y0, x1, y1 = min(x0, x), min(y0, y), max(x1, x), max(y1, y) }
	dec := xml.NewDecoder(strings.NewReader(svg))
	num := func(s string) float64 {
		v, err := strconv.ParseFloat(s, 64)
		require.NoError(t, err)
		return v
	}
	for {
		tok, err := dec.Token()
		if errors.Is(err, io.EOF) {
			return x0, y0, x1, y1
		}
		require.NoError(t, err)
		e, ok := tok.(xml.StartElement)
		if !ok {
			continue
		}
		a := map[string]string{}
		for _, at := range e.Attr {
			a[at.Name.Local] = at.Value
		}
		if a["class"] != class {
			continue
		}
		dx, dy := 0.0, 0.0
		if m := regexp.MustCompile(`translate\(([-\d.]+) ([-\d.]+)\)`).FindStringSubmatch(a["transform"]); m != nil {
			dx, dy = num(m[1]), num(m[2])
		}
		switch e.Name.Local {
		case "path":
			for _, m := range regexp.MustCompile(`[ML](-?[\d.]+) (-?[\d.]+)`).FindAllStringSubmatch(a["d"], -1) {
				add(dx+num(m[1]), dy+num(m[2]))
			}
		case "rect":
			add(num(a["x"]), num(a["y"]))
			add(num(a["x"])+num(a["width"]), num(a["y"])+num(a["height"]))
		case "circle":
			add(num(a["cx"]), num(a["cy"]))
		}
	}
}

// A preview outlines what would become of the asset where it would be: its geometry is
// that of the drawing it foretells, and nothing is decided by it.
func TestPreviewsShowWhereThingsWouldBe(t *testing.T) {
	ctx := context.Background()
	b := newBench(t)
	id := b.bring("quay.obj", quay)
	o := b.open(id)
	preview := func(st string, change func(p *prep.Prep)) string {
		t.Helper()
		p := o.Prep
		change(&p)
		svg, err := b.Preview(ctx, o, st, 0, p)
		require.NoError(t, err)
		assert.Contains(t, svg, "would", st)
		return svg
	}
	// At Size: half as large about the middle of its base.
	now, err := look(o, "size", 0)
	require.NoError(t, err)
	half := preview("size", func(p *prep.Prep) { p.Size.Fit, p.Size.Factor = size.ByFactor, .5 })
	x0, y0, x1, y1 := boxOfClass(t, half, "outline")
	front, side := now.layout.Places(now.box, now.box.Min)[draft.Front],
		now.layout.Places(now.box, now.box.Min)[draft.RightSide]
	w, h, d := now.box.Size()[0]*now.layout.Scale, now.box.Size()[1]*now.layout.Scale, now.box.Size()[2]*now.layout.Scale
	assert.InDelta(t, front[0]+w/4, x0, 1, "half of it, about the middle")
	assert.InDelta(t, front[1], y1, 1, "on the same base")
	assert.InDelta(t, side[0]-d/4, x1, 1, "the side view is its own")
	assert.Less(t, y0, front[1]-h/4)
	// At Source: the box of what would stay behind.
	left := preview("source", func(p *prep.Prep) { p.Source.Leave = []string{"hook"} })
	at, err := OnPaper(o, "source", geom.Vec3{0, 2, 0})
	require.NoError(t, err)
	x0, y0, _, _ = boxOfClass(t, left, "outline")
	assert.InDelta(t, at[draft.Front][0]-2, min(x0, at[draft.Plan][0]-2), 1)
	assert.Contains(t, left, "1 node would stay behind")
	assert.LessOrEqual(t, y0, at[draft.Front][1])
	// At Pivot: the datum where it would be, in all three views.
	seat := preview("pivot", func(p *prep.Prep) { p.Pivot = pivot.BaseCentre })
	for side, xy := range must(OnPaper(o, "pivot", geom.Vec3{2, 0, 1})) {
		assert.Contains(t, seat, fmt.Sprintf(`cx="%.1f" cy="%.1f" r="12"`, xy[0], xy[1]), "view %d", side)
	}
	// At Axes the height becomes another extent.
	up := preview("axes", func(p *prep.Prep) { p.Axes.Up = geom.PosX })
	assert.Contains(t, up, "4.00\u202fm high")
	assert.Equal(t, 0, b.open(id).Step.Seq, "nothing was decided")
}

func must[T any](v T, err error) T {
	if err != nil {
		panic(err)
	}
	return v
}

// A cache folder that is emptied, or filled with rubbish, costs time and nothing else.
func TestTheCacheMayBeDeletedAtAnyMoment(t *testing.T) {
	ctx := context.Background()
	b := newBench(t)
	o := b.open(b.bring("quay.obj", quay))
	first, err := b.Draw(ctx, o, "size", 0)
	require.NoError(t, err)
	files, err := filepath.Glob(filepath.Join(b.cache, "*"))
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, f := range files {
		require.NoError(t, os.WriteFile(f, []byte(`{"torn`), 0o644))
	}
	again, err := b.Draw(ctx, o, "size", 0)
	require.NoError(t, err)
	assert.Equal(t, first.Drawn.SVG, again.Drawn.SVG)
	// So it is for a desk that has nothing at hand.
	other := New(b.desk)
	b.desk.Derived = work.NewDerived(b.cache, 1<<20, nil)
	fresh, err := other.Draw(ctx, o, "size", 0)
	require.NoError(t, err)
	assert.Equal(t, first.Drawn.SVG, fresh.Drawn.SVG)
}

// row is an asset of a size in the line-up.
func row(name string, w, h float64) work.Row {
	return work.Row{State: store.State{Asset: store.Asset{ID: int64(len(name)), Name: name}},
		Summary: work.Summary{ClassID: "street-furniture", Fits: max(w, h) <= 6, Size: geom.Vec3{w, h, w}}}
}

func TestTheLineupKeepsItsScale(t *testing.T) {
	l := arrange([]work.Row{row("lamp", .5, 3), row("tower", 60, 220), row("post", .2, 1), row("barrier", 300, 2)}, false,
		1248)
	assert.InDelta(t, 3*l.Scale, l.Stands[0].H, 1e-9)
	assert.InDelta(t, l.Scale, l.Stands[2].H, 1e-9)
	assert.LessOrEqual(t, l.Stands[1].H, lineupGround-lineupTop-breakGap+1e-9, "the tower is no larger than the paper")
	assert.Greater(t, l.Scale, 60.0, "and does not shrink the others")
	for i, s := range l.Stands {
		if i > 0 {
			assert.GreaterOrEqual(t, s.X-l.Stands[i-1].X, (s.W+l.Stands[i-1].W)/2, "nobody stands in anybody")
		}
	}
	// What is not at the line-up's scale is drawn with a break, and only that.
	assert.Equal(t, []bool{false, true, false, true}, []bool{l.Stands[0].Broken, l.Stands[1].Broken, l.Stands[2].Broken,
		l.Stands[3].Broken})
	assert.False(t, l.Stands[1].Across)
	assert.True(t, l.Stands[3].Across, "a break runs across what is too long")
	view := draft.View{Width: 230, Height: 230, Path: "M0 0L230 230"}
	for i := range l.Stands {
		l.Stands[i].View, l.Stands[i].Scale = view, 1
	}
	assert.NotContains(t, l.Stands[0].SVG(270), `class="break"`)
	broken := l.Stands[1].SVG(270)
	assert.Equal(t, 2, strings.Count(broken, `class="break"`), "a ragged line along either border")
	assert.Equal(t, 2, strings.Count(broken, "<clipPath"), "both ends, nothing of the middle")
	for _, s := range arrange([]work.Row{row("lamp", .5, 3), row("tower", 60, 220)}, true, 1248).Stands {
		assert.False(t, s.Broken, "fitted, nothing pretends to a scale")
	}
}

func TestSpecksArePointedAt(t *testing.T) {
	l := arrange([]work.Row{row("lamp", .5, 3), row("crumb", .001, .002)}, false, 1248)
	assert.False(t, l.Stands[0].Speck)
	assert.True(t, l.Stands[1].Speck)
	assert.InDelta(t, .002*l.Scale, l.Stands[1].H, 1e-9, "a speck stays a speck")
}

// The line-up draws what it shows, and what can't be read stands there without a
// picture.
func TestTheLineupHasItsPictures(t *testing.T) {
	ctx := context.Background()
	b := newBench(t)
	b.bring("quay.obj", quay)
	b.bring("torn.obj", "v 1,5 0 0\n")
	_, rows, err := b.desk.Overview(ctx, b.kit)
	require.NoError(t, err)
	require.Len(t, rows, 2)
	assert.Contains(t, rows[1].Summary.Unread, "line 1")
	l, err := b.Lineup(ctx, rows, false, 1248, time.Time{})
	require.NoError(t, err)
	assert.Contains(t, l.Stands[0].SVG(270), "<image")
	assert.Empty(t, l.Stands[1].SVG(270))
}

func TestTwoRevisionsAreDrawnAtOneScale(t *testing.T) {
	ctx := context.Background()
	b := newBench(t)
	o := b.open(b.bring("quay.obj", quay))
	twice, err := b.desk.With(ctx, o, prep.Prep{Size: size.Decisions{Fit: size.ByFactor, Factor: 2}})
	require.NoError(t, err)
	was, is, err := b.Fronts(ctx, o, twice)
	require.NoError(t, err)
	width := func(svg string) float64 {
		m := regexp.MustCompile(`<image [^>]*width="([\d.]+)"`).FindStringSubmatch(svg)
		require.NotNil(t, m)
		return must(strconv.ParseFloat(m[1], 64))
	}
	assert.InDelta(t, 2, width(is)/width(was), .05)
}

// idle waits until nothing is computed any more: what was abandoned goes on in
// goroutines of its own until it notices.
func (b *bench) idle() {
	for busy() {
		time.Sleep(200 * time.Microsecond)
	}
}

// busy tells whether any memo has a computation under way.
func busy() bool {
	buf := make([]byte, 1<<20)
	return strings.Contains(string(buf[:runtime.Stack(buf, true)]), "memo.(*Memo[")
}
