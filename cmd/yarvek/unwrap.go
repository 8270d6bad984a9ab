package main

import (
	"cmp"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"yarvek/core/picture/outfit"
	"yarvek/core/prep"
	"yarvek/core/station/slots"
	"yarvek/core/target/class"
)

// unwrapped is what unwrap answers.
type unwrapped struct {
	Set     string  `json:"set"`
	Number  int     `json:"number"` // of the UV set, from 0
	Charts  int     `json:"charts"`
	Fill    float64 `json:"fill"`         // share of the square that charts cover
	Stretch float64 `json:"stretch"`      // L2, of all; 1 for none
	Worst   float64 `json:"worstStretch"` // of one chart
	Gap     float64 `json:"smallestGap"`  // texels
	Overlap bool    `json:"overlap"`
	Ms      int64   `json:"ms"`
}

func unwrapCommand() *cobra.Command {
	var out, mesh string
	var a asked
	by := outfit.Light{Size: outfit.UsualLightSize, Padding: outfit.UsualLightPadding, Name: outfit.UsualLightName}
	c := &cobra.Command{Use: "unwrap FILE|ZIP -o OUT.(obj|glb|gltf|fbx)", Args: cobra.ExactArgs(1),
		Short: "Unfold a mesh file without overlap into a UV set of its own, and say how well it lies",
		Long: "Prints one JSON object: charts, what they fill of the square, how much they stretch (L2, 1 for none), the " +
			"smallest gap between\n" +
			"two in texels, and the time. Writes the mesh with the set as its second, or in the place of the set of that name.",
		RunE: func(c *cobra.Command, args []string) error {
			l, err := lightOf(c, a, by)
			if err != nil {
				return err
			}
			return unwrapFile(c, args[0], mesh, out, l)
		}}
	c.Flags().StringVarP(&out, "out", "o", "", "file to write; its suffix chooses the format")
	c.Flags().IntVar(&by.Size, "size", by.Size, "texels a side")
	c.Flags().IntVar(&by.Padding, "padding", by.Padding, "texels between charts")
	a.flags(c, slots.Info.ID)
	c.Flags().Lookup("set").Usage = "name of the UV set, " + by.Name + " while none is said; or NAME=VALUE at " +
		slots.Info.ID + ", as only=wood,iron. May be given again"
	c.Flags().StringVar(&mesh, "mesh", "", "which mesh of a zip, by its name in it")
	_ = c.MarkFlagRequired("out")
	return c
}

// lightOf is the set that flags, a prep and values on top ask for. A --set without a value names it.
func lightOf(c *cobra.Command, a asked, by outfit.Light) (l outfit.Light, err error) {
	var sets []string
	name := ""
	for _, s := range a.sets {
		if strings.Contains(s, "=") {
			sets = append(sets, s)
		} else {
			name = s
		}
	}
	var p prep.Prep
	if a.file != "" {
		if p, err = (asked{file: a.file}).decided(slots.Info.ID); err != nil {
			return l, err
		}
	}
	p.Slots.Light.Size = cmp.Or(p.Slots.Light.Size, by.Size) // there is to be one
	if p, err = decidedAt(p, sets, slots.Info.ID); err != nil {
		return l, err
	}
	l = p.Slots.Light
	if c.Flags().Changed("size") {
		l.Size = by.Size
	}
	if c.Flags().Changed("padding") {
		l.Padding = by.Padding
	}
	l.Padding, l.Name = cmp.Or(l.Padding, by.Padding), cmp.Or(name, l.Name, by.Name)
	l.Again = true // it is asked for
	if l.Size < 1 {
		return l, fmt.Errorf("a set of %d texels a side can't be meant", l.Size)
	}
	return l, (slots.Decisions{Light: l}).Validate()
}

func unwrapFile(c *cobra.Command, file, mesh, out string, l outfit.Light) error {
	f, m, err := readFor(c.Context(), out, file, mesh)
	if err != nil {
		return err
	}
	defer m.close()
	began := time.Now()
	s, r, err := slots.Do(c.Context(), m.scene, nil, slots.Decisions{Light: l}, outfit.Ask{Target: ownFrame(m.scene)},
		class.Unsorted)
	if err != nil {
		return err
	}
	made := r.Light
	switch {
	case made.Full:
		return fmt.Errorf("%s: its charts don't fit on %d texels with %d between them: take a larger --size or a smaller "+
			"--padding",
			file, l.Size, l.Padding)
	case made.Charts == 0:
		return fmt.Errorf("%s has no polygons to unfold", file)
	}
	round := func(v float64) float64 { return math.Round(v*1e4) / 1e4 }
	a := unwrapped{made.Set, made.Number, made.Charts, round(made.Fill), round(made.Mean), round(made.Worst),
		round(made.Gap), made.Over,
		time.Since(began).Milliseconds()}
	_, differs := sendAs(c, s, f, out, ownFrame(s))
	if differs != nil && !errors.Is(differs, errDifferent) {
		return differs
	}
	return cmp.Or(answer(c, a), differs)
}
