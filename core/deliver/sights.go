package deliver

import (
	"fmt"
	"math"

	"yarvek/core/figure"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
)

// sights compares cameras and lights: where each stands, where it looks or shines to, and how.
func (c *Certificate) sights(sent, got []scene.Sight, size float64) {
	if len(sent)+len(got) == 0 {
		return
	}
	there := map[string][]scene.Sight{}
	for _, s := range got {
		there[s.Name] = append(there[s.Name], s)
	}
	var off []difference
	for _, s := range sent {
		list := there[s.Name]
		if len(list) == 0 {
			off = append(off, difference{pack.Sight, s.Name, "“" + s.Name + "” is gone"})
			continue
		}
		there[s.Name] = list[1:]
		if why := unlikeSight(s, list[0], size); why != "" {
			off = append(off, difference{pack.Sight, s.Name, fmt.Sprintf("“%s” %s", s.Name, why)})
		}
	}
	for name, list := range there {
		for range list {
			off = append(off, difference{pack.Sight, name, "“" + name + "” was not sent"})
		}
	}
	c.differences("sights", "Cameras and lights", len(sent), "camera or light", "cameras and lights", off)
}

// unlikeSight says what of a camera or a light arrived otherwise, "" for nothing.
func unlikeSight(a, b scene.Sight, size float64) string {
	round := a.Light != nil && a.Light.Kind == scene.Lamp // it shines nowhere in particular
	switch {
	case a.At.Dist(b.At) > 1e-5*max(size, a.At.Len(), 1e-6):
		return "stands " + figure.Length(a.At.Dist(b.At)) + " off"
	case !round && !(a.Along.Dot(b.Along) > 1-1e-6):
		return "is turned"
	case a.Camera != nil && !(a.Up.Dot(b.Up) > 1-1e-6):
		return "is tipped"
	case (a.Camera == nil) != (b.Camera == nil), (a.Light == nil) != (b.Light == nil):
		return "is something else"
	}
	differ := func(list ...float64) bool {
		for i := 0; i < len(list); i += 2 {
			if !(math.Abs(list[i]-list[i+1]) <= 1e-4*max(1e-3, math.Abs(list[i]))) {
				return true
			}
		}
		return false
	}
	if x, y := a.Camera, b.Camera; x != nil {
		aspect := y.Aspect
		if x.Aspect == 0 {
			aspect = 0 // left to the screen
		}
		if differ(x.Angle, y.Angle, x.High, y.High, x.Aspect, aspect, x.Near, y.Near, x.Far, y.Far) {
			return "sees otherwise"
		}
		return ""
	}
	x, y := a.Light, b.Light
	if x.Kind != y.Kind || differ(x.Color[0], y.Color[0], x.Color[1], y.Color[1], x.Color[2], y.Color[2], x.Strength,
		y.Strength, x.Range, y.Range, x.Inner, y.Inner, x.Outer, y.Outer) {
		return "shines otherwise"
	}
	return ""
}
