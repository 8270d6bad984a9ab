package main

import (
	"encoding/json"
	"fmt"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"github.com/spf13/cobra"

	"yarvek/core/format"
	"yarvek/core/measure/deviation"
	"yarvek/core/process/ladder"
	"yarvek/core/process/simplify"
	"yarvek/core/scene"
	"yarvek/core/station/lods"
)

// simplified is what simplify answers.
type simplified struct {
	In        int                 `json:"in"` // triangles, every instance counted
	Out       int                 `json:"out"`
	Ms        int64               `json:"ms"` // simplifying alone
	Deviation simplifiedDeviation `json:"deviation"`
	BytesPeak uint64              `json:"bytesPeak"` // held at most while simplifying, beyond what was before
	Held      string              `json:"held,omitempty"`
}

// simplifiedDeviation is the larger of both directions, and both; metres.
type simplifiedDeviation struct {
	deviation.Figures
	There  deviation.Figures `json:"there"`
	Back   deviation.Figures `json:"back"`
	Points int               `json:"points"`
}

func simplifyCommand() *cobra.Command {
	o := simplify.SceneOptions{Detail: simplify.Usual.Detail}
	var out, mesh, lock string
	var mm float64
	var a asked
	c := &cobra.Command{Use: "simplify FILE|ZIP -o OUT.(obj|glb|gltf|fbx) (--ratio R | --triangles N | --deviation MM)",
		Args:  cobra.ExactArgs(1),
		Short: "Make a mesh file of fewer triangles that looks the same",
		Long: "Prints one JSON object: triangles before and after, the time, how far the surfaces are apart (metres, both " +
			"ways, sampled), and\n" +
			"the memory it took. Borders, seams of UVs and normals, and borders of slots stay in place. A short form of " +
			"prepare: --set says the rest, as\n--set outside=1 or --set angle=40.",
		RunE: func(c *cobra.Command, args []string) error {
			switch {
			case !(o.Detail >= 0 && o.Detail <= 10*simplify.Usual.Detail):
				return fmt.Errorf("a detail of %g can't be meant: expected 0 to %g", o.Detail, 10*simplify.Usual.Detail)
			case o.Ratio < 0 || o.Ratio > 1 || o.Triangles < 0 || mm < 0:
				return fmt.Errorf("a ratio is above 0 and up to 1, triangles and a deviation are above 0")
			case o.Ratio == 0 && o.Triangles == 0 && mm == 0:
				return fmt.Errorf("nothing is asked for: give --ratio, --triangles or --deviation")
			}
			o.Deviation = mm / 1000
			if lock != "" {
				o.Locked = map[string]bool{}
				for s := range strings.SplitSeq(lock, ",") {
					o.Locked[strings.TrimSpace(s)] = true
				}
			}
			p, err := a.decided(lods.Info.ID)
			if err != nil {
				return err
			}
			d := p.LODs
			if p.LODs.Making, p.LODs.Outside = (ladder.Making{}), 0; len(p.LODs.Lines()) > 0 {
				return fmt.Errorf("how many LODs there are is for ladder and prepare: simplify makes one of what --ratio, " +
					"--triangles and --deviation say")
			}
			switch {
			case d.Making.Detail < 0:
				o.Detail = 0
			case d.Making.Detail > 0:
				o.Detail = simplify.Usual.Detail * float64(d.Making.Detail) / 100
			}
			o.Mirrored, o.Borders = o.Mirrored || d.Making.Mirrored, o.Borders || d.Making.Borders
			o.KeepPoints = o.KeepPoints || d.Making.KeepPoints
			return simplifyFile(c, args[0], mesh, out, o, d)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().Float64Var(&o.Ratio, "ratio", 0, "share of the triangles to come down to")
	c.Flags().IntVar(&o.Triangles, "triangles", 0, "triangles to come down to")
	c.Flags().Float64Var(&mm, "deviation", 0, "millimetres that the surfaces may be apart")
	c.Flags().Float64Var(&o.Detail, "detail", o.Detail,
		"how much normals, UVs and colours count beside the shape; 0 for not at all")
	c.Flags().BoolVar(&o.Mirrored, "mirrored", false, "keep halves that mirror one another mirrored")
	c.Flags().BoolVar(&o.Borders, "hold-borders", false, "hold the points of open borders")
	c.Flags().BoolVar(&o.KeepPoints, "keep-points", false, "leave points only where points are")
	c.Flags().StringVar(&lock, "lock", "", "slots that stay as they are, with commas between")
	a.flags(c, lods.Info.ID)
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	_ = c.MarkFlagRequired("out")
	return c
}

func simplifyFile(c *cobra.Command, file, mesh, out string, o simplify.SceneOptions, d lods.Decisions) error {
	f, m, err := readFor(c.Context(), out, file, mesh)
	if err != nil {
		return err
	}
	defer m.close()
	s := m.scene
	for slot := range o.Locked {
		if !slices.ContainsFunc(s.Materials, func(m scene.Material) bool { return m.Name == slot }) {
			return noSlot(s, slot)
		}
	}
	answer := simplified{In: s.Count().Triangles}
	debug.SetGCPercent(collectAt)
	peak := watchMemory()
	began := time.Now()
	whole := s
	if d.Outside > 0 {
		whole = ladder.Put(s, ladder.Outside(c.Context(), s))
	}
	less, held := simplify.Scene(c.Context(), whole, o)
	if d.Making.Angle > 0 {
		less = less.Clone()
		for i, m := range less.Meshes {
			less.Meshes[i] = ladder.Shaded(c.Context(), m, d.Making)
		}
	}
	answer.Ms, answer.BytesPeak, answer.Held = time.Since(began).Milliseconds(), peak(), held
	answer.Out = less.Count().Triangles
	off := deviation.Of(c.Context(), s, less, 2*simplify.Samples(answer.In))
	answer.Deviation = simplifiedDeviation{off.Worst(), off.There, off.Back, off.Points}
	p, err := format.Write(c.Context(), scene.Delivery{Scene: less}, f, bareName(out), ownFrame(less))
	if err != nil {
		return err
	}
	if err := writeAll(p, out, quietly); err != nil {
		return err
	}
	enc := json.NewEncoder(c.OutOrStdout())
	enc.SetEscapeHTML(false)
	return enc.Encode(answer)
}

// watchMemory looks at the memory that is held every few milliseconds; the function it gives ends
// that and tells how much more than at the beginning was held at most.
func watchMemory() func() uint64 {
	var m runtime.MemStats
	runtime.GC()
	runtime.ReadMemStats(&m)
	before := m.HeapAlloc
	var most atomic.Uint64
	stop, ended := make(chan struct{}), make(chan struct{})
	look := func() {
		var m runtime.MemStats
		runtime.ReadMemStats(&m)
		if m.HeapAlloc > before {
			most.Store(max(most.Load(), m.HeapAlloc-before))
		}
	}
	go func() {
		defer close(ended)
		for {
			select {
			case <-stop:
				return
			case <-time.After(5 * time.Millisecond):
				look()
			}
		}
	}()
	return func() uint64 {
		close(stop)
		<-ended
		look()
		return most.Load()
	}
}
