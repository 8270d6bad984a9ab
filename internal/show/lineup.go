package show

import (
	"context"
	"fmt"
	"html"
	"math"
	"slices"
	"strings"
	"time"

	"yarvek/core/split"
	"yarvek/core/station/pivot"
	"yarvek/internal/draft"
	"yarvek/internal/work"
)

// Stand is an asset on the line-up.
type Stand struct {
	work.Row
	X, W, H float64    // middle, width and height on the paper; pixels
	Speck   bool       // so small that a pointer shows it
	Broken  bool       // too large for the scale, so drawn with a break
	Across  bool       // the break runs across its width, not its height
	Scale   float64    // of the kept picture to the line-up's
	View    draft.View // kept picture of its front
	Waits   bool       // for being drawn
}

// Lineup is all assets of a kit on one ground line. Lengths are pixels of the paper.
type Lineup struct {
	Stands  []Stand
	Scale   float64 // pixels a metre
	Width   float64
	Ticks   []Tick
	PersonX float64
	GroundY float64
	Height  float64
	Fit     bool // each is fitted to its place, and the scale is nobody's
	Long    bool // wider than the page, so it scrolls
	Waits   bool // something of it is not drawn yet
}

// Tick is a mark of the measuring tape beside the line-up.
type Tick struct {
	Y     float64
	Label string
	Long  float64
}

// Line-up geometry in pixels.
const (
	lineupH      = 324.0
	lineupGround = 270.0
	lineupTop    = 26.0
	lineupLeft   = 66.0
	slotLeast    = 92.0  // the room each asset has at least
	lineupPixels = 230.0 // the size kept pictures are drawn at
	scaleLeast   = 24.0  // pixels a metre; below it the line-up scrolls instead
	speckBelow   = 6.0
)

// Lineup stands the assets on one line: at one scale, or each fitted to its place. The
// scale serves those of plausible size. One that is far too large for it is drawn with a
// break, as a draughtsman shows what does not fit, so that nobody reads the scale off it.
//
// It waits for what must be drawn first no longer than to a moment, the zero one for as long as it takes; what is not
// drawn until then has the size it is to have.
func (b *Board) Lineup(ctx context.Context, rows []work.Row, fit bool, width float64, until time.Time) (Lineup, error) {
	l := arrange(rows, fit, width)
	soon, cancel := ctx, context.CancelFunc(func() {})
	if !until.IsZero() {
		soon, cancel = context.WithDeadline(ctx, until)
	}
	defer cancel()
	errs := make([]error, len(l.Stands))
	err := split.Each(ctx, len(l.Stands), func(i int) {
		s := &l.Stands[i]
		errs[i] = b.picture(soon, s)
		if errs[i] != nil && ctx.Err() == nil && soon.Err() != nil {
			errs[i], s.Waits = nil, true
		}
	})
	for i, e := range errs {
		l.Waits = l.Waits || l.Stands[i].Waits
		if err == nil {
			err = e
		}
	}
	return l, err
}

// LookLater looks at all assets of a kit and draws them, as a job: the one that is at it already, if there is one.
func (b *Board) LookLater(ctx context.Context, kit work.Kit) *work.Job {
	return b.desk.LookLater(ctx, kit, func(ctx context.Context, r work.Row) {
		_ = b.picture(ctx, &Stand{Row: r, Scale: 1}) // what can't be drawn says so where it is looked at
	})
}

// picture gives a stand its view.
func (b *Board) picture(ctx context.Context, s *Stand) (err error) {
	largest := max(s.Summary.Size[0], s.Summary.Size[1])
	if s.Summary.Unread != "" || largest < draft.Least {
		return nil
	}
	kept := lineupPixels / largest
	key := frontKey(s.State, kept)
	var ok bool
	if s.View, ok = work.Kept[draft.View](b.desk.Derived, "lineup", key); !ok {
		if s.View, err = b.frontOf(ctx, s.State, key, kept); err != nil {
			return err
		}
	}
	s.Scale /= kept
	return nil
}

// frontKey names what a front is made of.
func frontKey(st work.AssetState, scale float64) string {
	return fmt.Sprintf("%s\n%g", work.SummaryKey(st), scale)
}

// frontOf is the front of an asset as it was at one moment, without opening it when the
// picture is kept.
func (b *Board) frontOf(ctx context.Context, st work.AssetState, key string, scale float64) (draft.View, error) {
	return work.Derive(ctx, b.desk.Derived, "lineup", key,
		func(ctx context.Context) (draft.View, error) {
			o, err := b.desk.OpenState(ctx, st)
			if err != nil {
				return draft.View{}, err
			}
			if _, err := o.Result.Stop(pivot.Info.ID); err != nil {
				return draft.View{}, err
			}
			return b.front(ctx, o, scale)
		})
}

// Of the small front of an asset in a report.
const frontW, frontH = 96.0, 64.0

// Front is a small drawing of the front of an asset of a kit, "" where there is nothing to draw.
func (b *Board) Front(ctx context.Context, r work.Row) (string, error) {
	s := Stand{Row: r, Scale: 1}
	if err := b.picture(ctx, &s); err != nil || s.View.Width == 0 && s.View.Height == 0 {
		return "", err
	}
	k := min((frontW-4)/max(s.View.Width, 1), (frontH-8)/max(s.View.Height, 1))
	return fmt.Sprintf(`<svg class="drawing front" viewBox="0 0 %.0f %.0f" aria-hidden="true"><g transform="translate(`+
		`%.1f %.1f) scale(%.4f)">%s</g><line class="ground" x1="2" x2="%.0f" y1="%.0f" y2="%.0f"/></svg>`, frontW, frontH,
		(frontW-s.View.Width*k)/2, frontH-4, k, s.View.SVG(0, 0), frontW-2, frontH-4, frontH-4), nil
}

// arrange finds scale and places.
func arrange(rows []work.Row, fit bool, width float64) Lineup {
	l := Lineup{Fit: fit, GroundY: lineupGround, Height: lineupH, Width: width}
	const room = lineupGround - lineupTop
	tallest := 1.8
	for _, r := range rows {
		if r.Summary.Fits {
			tallest = max(tallest, r.Summary.Size[1])
		}
	}
	l.Scale = room / (tallest * 1.08)
	// One that is far off its size gets the least room: it must not thin out the rest.
	slot := func(s work.Summary, k float64) float64 {
		if !s.Fits {
			return slotLeast
		}
		return max(slotLeast, s.Size[0]*k+26)
	}
	slots := func(k float64) float64 {
		total := lineupLeft + 0.5*k + 40
		for _, r := range rows {
			total += slot(r.Summary, k)
		}
		return total
	}
	for slots(l.Scale) > width && l.Scale > scaleLeast {
		l.Scale *= 0.97
	}
	l.Long = slots(l.Scale) > width
	l.Width = max(width, slots(l.Scale))
	l.PersonX = lineupLeft + 14
	x := l.PersonX + 0.5*l.Scale + 26
	for _, r := range rows {
		s, at := r.Summary, Stand{Row: r}
		wide := slot(s, l.Scale)
		at.X = x + wide/2
		x += wide
		if largest := max(s.Size[0], s.Size[1]); largest >= draft.Least {
			k := l.Scale
			if most := min(room/s.Size[1], (wide-16)/s.Size[0]); fit {
				k = most
			} else if k > most {
				// It is drawn no larger than leaves room for the break.
				at.Broken, at.Across = true, s.Size[0] > s.Size[1]
				k = min((room-breakGap)/s.Size[1], (wide-16-breakGap)/s.Size[0])
			}
			at.W, at.H, at.Scale = s.Size[0]*k, s.Size[1]*k, k
		}
		at.Speck = !s.Unlooked && max(at.W, at.H) < speckBelow
		l.Stands = append(l.Stands, at)
	}
	l.Ticks = ticks(l.Scale)
	return l
}

// ticks are the marks of the tape: 1, 2 or 5 times a power of ten, labelled where there is room, each divided in ten.
func ticks(scale float64) []Tick {
	step := 1.0
	for p := math.Pow(10, math.Floor(math.Log10(34/scale))); ; p *= 10 {
		i := slices.IndexFunc([]float64{1, 2, 5}, func(k float64) bool { return scale*k*p >= 34 })
		if i >= 0 {
			step = []float64{1, 2, 5}[i] * p
			break
		}
	}
	var list []Tick
	for i := 0; ; i++ {
		m := step * float64(i) / 10
		t := Tick{Y: lineupGround - m*scale, Long: 7}
		if t.Y < lineupTop-18 {
			return list
		}
		if i%10 == 0 {
			t.Label, t.Long = fmt.Sprintf("%g", m), 20
		} else if i%5 == 0 {
			t.Long = 12
		}
		list = append(list, t)
	}
}

// breakGap is the width of a break in pixels, breakTooth that of one of its teeth.
const (
	breakGap   = 11.0
	breakTooth = 9.0
)

// SVG draws the asset where it stands; ground is the height of the ground line.
func (s Stand) SVG(ground float64) string {
	if s.Waits && s.W > 0 {
		return fmt.Sprintf(`<rect class="undrawn" x="%.2f" y="%.2f" width="%.2f" height="%.2f"/>`, s.X-s.W/2, ground-s.H, s.W,
			s.H)
	}
	if s.View.Width == 0 && s.View.Height == 0 || s.Scale == 0 {
		return ""
	}
	var sb strings.Builder
	x := s.X - s.W/2
	place := func(dx, dy float64) {
		fmt.Fprintf(&sb, `<g transform="translate(%.2f %.2f) scale(%.5f)">%s</g>`, x+dx, ground+dy, s.Scale, s.View.SVG(0, 0))
	}
	if !s.Broken {
		place(0, 0)
	} else {
		s.broken(&sb, x, ground, place)
	}
	fmt.Fprintf(&sb, `<title>%s</title>`, html.EscapeString(s.Asset.Name))
	return sb.String()
}

// broken draws both ends of the asset with a gap between them, whose borders are ragged.
// Nothing of it is to scale, so it is the ends and not the middle that are shown.
func (s Stand) broken(sb *strings.Builder, x, ground float64, place func(dx, dy float64)) {
	mid, id := ground-s.H*0.55, fmt.Sprintf("break-%d", s.Asset.ID)
	w, h := s.W, s.H
	ends := [2][4]float64{{x - 4, mid, w + 8, ground - mid + 4}, {x - 4, ground - h - 4, w + 8, mid - ground + h + 4}}
	move := [2][2]float64{{0, breakGap / 2}, {0, -breakGap / 2}}
	if s.Across {
		mid = x + w*0.5
		ends = [2][4]float64{{x - 4, ground - h - 4, mid - x + 4, h + 8}, {mid, ground - h - 4, x + w - mid + 4, h + 8}}
		move = [2][2]float64{{-breakGap / 2, 0}, {breakGap / 2, 0}}
	}
	if !s.Across {
		move[0][1], move[1][1] = 0, -breakGap // the base stays on the ground
	}
	for i, e := range ends {
		fmt.Fprintf(sb, `<clipPath id="%s-%d"><rect x="%.1f" y="%.1f" width="%.1f" height="%.1f"/></clipPath>`, id, i, e[0],
			e[1], e[2],
			e[3])
		fmt.Fprintf(sb, `<g transform="translate(%.1f %.1f)"><g clip-path="url(#%s-%d)">`, move[i][0], move[i][1], id, i)
		place(0, 0)
		sb.WriteString(`</g></g>`)
	}
	for i := range ends {
		fmt.Fprintf(sb, `<path class="break" d="%s"/>`, ragged(s, x, mid, ground, move[i]))
	}
}

// ragged is the zigzag along one border of a break.
func ragged(s Stand, x, mid, ground float64, by [2]float64) string {
	var d strings.Builder
	length := s.W + 16
	if s.Across {
		length = s.H + 16
	}
	for i := 0; float64(i)*breakTooth <= length; i++ {
		u, v := float64(i)*breakTooth-8, 2.5*float64(i%2*2-1)
		px, py := x+u+by[0], mid+v+by[1]
		if s.Across {
			px, py = mid+v+by[0], ground-s.H+u+by[1]
		}
		c := "L"
		if i == 0 {
			c = "M"
		}
		fmt.Fprintf(&d, "%s%.1f %.1f", c, px, py)
	}
	return d.String()
}
