package gltf

import (
	"encoding/json"
	"math"

	"yarvek/core/geom"
	"yarvek/core/scene"
)

// Cameras (glTF 2.0, section 3.10) and lights (KHR_lights_punctual) look and shine along -Z of their node, with +Y up.
var (
	ahead = geom.Vec3{0, 0, -1}
	above = geom.Vec3{0, 1, 0}
)

const lightsExtension = "KHR_lights_punctual"

type camera struct {
	Name        string       `json:"name,omitempty"`
	Type        string       `json:"type"`
	Perspective *perspective `json:"perspective,omitempty"`
	Parallel    *parallel    `json:"orthographic,omitempty"`
}

type perspective struct {
	Aspect float64 `json:"aspectRatio,omitempty"`
	Angle  float64 `json:"yfov"` // radians
	Far    float64 `json:"zfar,omitempty"`
	Near   float64 `json:"znear"`
}

type parallel struct {
	Wide float64 `json:"xmag"` // half the view's
	High float64 `json:"ymag"`
	Far  float64 `json:"zfar"`
	Near float64 `json:"znear"`
}

type light struct {
	Name     string      `json:"name,omitempty"`
	Color    *[3]float64 `json:"color,omitempty"`
	Strength *float64    `json:"intensity,omitempty"`
	Type     string      `json:"type"`
	Range    float64     `json:"range,omitempty"`
	Spot     *cone       `json:"spot,omitempty"`
}

type cone struct {
	Inner float64  `json:"innerConeAngle"` // radians from the axis
	Outer *float64 `json:"outerConeAngle,omitempty"`
}

type lightList struct {
	Lights []light `json:"lights"`
}

const degrees = 180 / math.Pi

// lightKinds are the words of the extension for kinds of light.
var lightKinds = map[string]scene.LightKind{"directional": scene.Sun, "point": scene.Lamp, "spot": scene.Spot}

// lights are those of the document, as far as they can be read.
func (r *reader) lights() []light {
	var all struct {
		Lights lightList `json:"KHR_lights_punctual"`
	}
	if r.doc.Extensions == nil || json.Unmarshal(r.doc.Extensions, &all) != nil {
		return nil
	}
	return all.Lights.Lights
}

// sights reads the cameras and lights that hang on nodes: pairs of a node of the scene and of the document. What can't
// be meant is passed over: nothing of the asset depends on it.
func (r *reader) sights(seen [][2]int) {
	if len(seen) == 0 {
		return
	}
	worlds, lights := r.s.Worlds(), r.lights()
	for _, pair := range seen {
		i, nd := pair[0], r.doc.Nodes[pair[1]]
		var at struct {
			Light *int `json:"light"`
		}
		shines := nd.Extensions[lightsExtension] != nil && json.Unmarshal(nd.Extensions[lightsExtension], &at) == nil &&
			at.Light != nil && *at.Light >= 0 && *at.Light < len(lights)
		sees := nd.Camera != nil && *nd.Camera >= 0 && *nd.Camera < len(r.doc.Cameras)
		if !shines && !sees {
			continue
		}
		if sees {
			if c := r.doc.Cameras[*nd.Camera].read(); c != nil {
				r.s.AddSight(scene.Sight{Name: r.s.Nodes[i].Name, Camera: c}, worlds[i], ahead, above)
			}
		}
		if shines {
			if l := lights[*at.Light].read(); l != nil {
				r.s.AddSight(scene.Sight{Name: r.s.Nodes[i].Name, Light: l}, worlds[i], ahead, above)
			}
		}
	}
}

// read is the camera, nil for one that can't be meant.
func (c camera) read() *scene.Camera {
	switch {
	case c.Perspective != nil:
		p := c.Perspective
		out := &scene.Camera{Angle: p.Angle * degrees, Aspect: p.Aspect, Near: p.Near, Far: p.Far}
		if finiteAll(out.Angle, out.Aspect, out.Near, out.Far) && out.Angle > 0 && out.Angle < 180 && out.Aspect >= 0 &&
			out.Near > 0 {
			return out
		}
	case c.Parallel != nil:
		p := c.Parallel
		out := &scene.Camera{High: 2 * math.Abs(p.High), Near: p.Near, Far: p.Far}
		if p.High != 0 {
			out.Aspect = math.Abs(p.Wide / p.High)
		}
		if finiteAll(out.High, out.Aspect, out.Near, out.Far) && out.High > 0 {
			return out
		}
	}
	return nil
}

// read is the light, nil for one that can't be meant.
func (l light) read() *scene.Light {
	kind, ok := lightKinds[l.Type]
	out := &scene.Light{Kind: kind, Color: [3]float64{1, 1, 1}, Strength: 1, Range: l.Range}
	if l.Color != nil {
		out.Color = *l.Color
	}
	if l.Strength != nil {
		out.Strength = *l.Strength
	}
	if kind == scene.Spot {
		out.Outer = 45
		if l.Spot != nil {
			if out.Inner = l.Spot.Inner * degrees; l.Spot.Outer != nil {
				out.Outer = *l.Spot.Outer * degrees
			}
		}
	}
	if !ok || !finiteAll(out.Color[0], out.Color[1], out.Color[2], out.Strength, out.Range, out.Inner, out.Outer) {
		return nil
	}
	return out
}

// sights writes cameras and lights, each on a root of its own, and gives these.
func (w *writer) sights() (roots []int) {
	var lights lightList
	for _, s := range w.s.Sights {
		nd := node{Name: s.Name}
		place(&nd, s.LookingAt(ahead, above))
		switch {
		case s.Camera != nil:
			k := len(w.doc.Cameras)
			nd.Camera = &k
			w.doc.Cameras = append(w.doc.Cameras, cameraOf(s))
		case s.Light != nil:
			nd.Extensions = w.extension(lightsExtension, map[string]int{"light": len(lights.Lights)})
			lights.Lights = append(lights.Lights, lightOf(s))
		default:
			continue
		}
		roots = append(roots, len(w.doc.Nodes))
		w.doc.Nodes = append(w.doc.Nodes, nd)
	}
	if len(lights.Lights) > 0 {
		if raw, err := json.Marshal(map[string]lightList{lightsExtension: lights}); err == nil {
			w.doc.Extensions = raw
		}
	}
	return roots
}

func cameraOf(s scene.Sight) camera {
	c := s.Camera
	if c.Angle > 0 {
		return camera{Name: s.Name, Type: "perspective", Perspective: &perspective{Aspect: c.Aspect,
			Angle: c.Angle / degrees, Near: max(c.Near, 1e-4), Far: c.Far}}
	}
	wide := c.Aspect
	if wide == 0 {
		wide = 1
	}
	far := c.Far
	if far <= c.Near { // section 3.10.3 wants one
		far = c.Near + 1000
	}
	return camera{Name: s.Name, Type: "orthographic", Parallel: &parallel{Wide: c.High * wide / 2, High: c.High / 2,
		Near: max(0, c.Near), Far: far}}
}

func lightOf(s scene.Sight) light {
	l := s.Light
	color, strength := l.Color, l.Strength
	out := light{Name: s.Name, Color: &color, Strength: &strength, Range: l.Range}
	for word, kind := range lightKinds {
		if kind == l.Kind {
			out.Type = word
		}
	}
	if l.Kind == scene.Spot {
		outer := min(max(l.Outer, 0.01), 90) / degrees
		out.Spot = &cone{Inner: min(max(0, l.Inner/degrees), outer-1e-4), Outer: &outer}
	}
	return out
}
