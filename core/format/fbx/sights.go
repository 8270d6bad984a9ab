package fbx

import (
	"fmt"
	"math"

	"yarvek/core/format/pack"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// A camera looks along +X of its node with +Y up, a light shines along -Y.
var (
	looks, looksUp   = geom.Vec3{1, 0, 0}, geom.Vec3{0, 1, 0}
	shines, shinesUp = geom.Vec3{0, -1, 0}, geom.Vec3{0, 0, -1}
)

// What the numbers of a camera's and a light's attribute mean.
const (
	parallelView  = 1 // CameraProjectionType
	widthAngle    = 1 // ApertureMode: the angle is of the width
	percentOfOne  = 100
	usualAngle    = 25.115
	usualAspect   = 4. / 3
	usualNear     = 10.
	usualFar      = 4000.
	usualOuter    = 45.
	withinDegrees = 180.
)

// lightKinds are the kinds of light by their LightType.
var lightKinds = []scene.LightKind{scene.Lamp, scene.Sun, scene.Spot}

// sight reads what a camera or a light is from its attribute, or its own properties. What can't be meant is passed
// over: nothing of the asset depends on it.
func (r *reader) sight(o *object, n scene.Node, world geom.Affine) {
	p := o.props
	for _, a := range r.doc.below(o.key, "NodeAttribute") {
		p = a.props
	}
	of := scene.Sight{Name: n.Name}
	if n.Kind == scene.KindCamera {
		if of.Camera = readCamera(p, r.scale[0][0]); of.Camera != nil {
			r.s.AddSight(of, world, looks, looksUp)
		}
		return
	}
	if of.Light = readLight(p, r.scale[0][0]); of.Light != nil {
		r.s.AddSight(of, world, shines, shinesUp)
	}
}

func readCamera(p properties, metres float64) *scene.Camera {
	aspect := usualAspect
	if w, h := p.get("AspectWidth").float(0), p.get("AspectHeight").float(0); w > 0 && h > 0 {
		aspect = w / h
	}
	c := &scene.Camera{Aspect: aspect, Near: p.get("NearPlane").float(usualNear) * metres,
		Far: p.get("FarPlane").float(usualFar) * metres}
	if p.get("CameraProjectionType").float(0) == parallelView {
		c.High = p.get("OrthoZoom").float(1) * metres
	} else {
		c.Angle = p.get("FieldOfView").float(usualAngle)
		if p.get("ApertureMode").float(2) == widthAngle {
			c.Angle = 2 * math.Atan(math.Tan(c.Angle*math.Pi/360)/aspect) * 180 / math.Pi
		}
	}
	if v := c.Angle + c.High + c.Near + c.Far; v-v != 0 || c.Angle+c.High <= 0 || c.Angle >= withinDegrees || c.Near <= 0 {
		return nil
	}
	return c
}

func readLight(p properties, metres float64) *scene.Light {
	k := int(p.get("LightType").float(0))
	if k < 0 || k >= len(lightKinds) {
		return nil
	}
	l := &scene.Light{Kind: lightKinds[k], Color: p.get("Color").vec([3]float64{1, 1, 1}),
		Strength: p.get("Intensity").float(percentOfOne) / percentOfOne}
	if p.get("EnableFarAttenuation").float(0) != 0 {
		l.Range = p.get("FarAttenuationEnd").float(0) * metres
	}
	if l.Kind == scene.Spot {
		l.Outer = p.get("OuterAngle").float(usualOuter) / 2
		l.Inner = p.get("InnerAngle").float(0) / 2
	}
	for _, v := range []float64{l.Color[0], l.Color[1], l.Color[2], l.Strength, l.Range, l.Outer, l.Inner} {
		if v-v != 0 || v < 0 {
			return nil
		}
	}
	return l
}

// sights writes cameras and lights, each as a model below the root.
func (w *writer) sights() {
	for _, s := range w.s.Sights {
		class, at, p := "Camera", s.LookingAt(looks, looksUp), rec("Properties70")
		switch {
		case s.Camera != nil:
			w.camera(s, p)
		case s.Light != nil:
			class, at = "Light", s.LookingAt(shines, shinesUp)
			w.light(s, p)
		default:
			continue
		}
		t, turn, _ := decompose(at)
		model, attribute := w.id(), w.id()
		w.objects.add(rec("Model", model, s.Name+"\x00\x01Model", class).add(rec("Version", int32(232)),
			rec("Properties70").add(prop70("InheritType", "enum", "", "", int32(1)),
				prop70("DefaultAttributeIndex", "int", "Integer", "", int32(0)),
				prop70("Lcl Translation", "Lcl Translation", "", "A", t[0], t[1], t[2]),
				prop70("Lcl Rotation", "Lcl Rotation", "", "A", turn[0], turn[1], turn[2]),
				prop70("Lcl Scaling", "Lcl Scaling", "", "A", 1.0, 1.0, 1.0)),
			rec("Shading", true), rec("Culling", "CullingOff")))
		w.counts[countModel]++
		w.objects.add(rec("NodeAttribute", attribute, s.Name+"\x00\x01NodeAttribute", class).add(p,
			rec("TypeFlags", class), rec("GeometryVersion", int32(124))))
		w.counts[countAttribute]++
		w.link(model, 0, "")
		w.link(attribute, model, "")
	}
}

func (w *writer) camera(s scene.Sight, p *record) {
	c := s.Camera
	aspect := c.Aspect
	if aspect == 0 {
		aspect = usualAspect
	}
	number := func(name string, v float64) *record { return prop70(name, "Number", "", "A", v) }
	p.add(prop70("AspectRatioMode", "enum", "", "", int32(1)), prop70("AspectWidth", "double", "Number", "", aspect*1000),
		prop70("AspectHeight", "double", "Number", "", 1000.0), prop70("ApertureMode", "enum", "", "", int32(2)),
		prop70("NearPlane", "double", "Number", "", c.Near))
	if c.Far > 0 {
		p.add(prop70("FarPlane", "double", "Number", "", c.Far))
	} else {
		p.add(prop70("FarPlane", "double", "Number", "", 1e6*c.Near))
		w.out.SayOf(pack.Nodes, pack.Sight, s.Name,
			fmt.Sprintf("camera “%s” sees a million times its near plane far", s.Name), "FBX has no endless view")
	}
	if c.Angle > 0 {
		p.add(prop70("CameraProjectionType", "enum", "", "", int32(0)), number("FieldOfView", c.Angle),
			number("FieldOfViewY", c.Angle))
		return
	}
	p.add(prop70("CameraProjectionType", "enum", "", "", int32(parallelView)), number("OrthoZoom", c.High))
}

func (w *writer) light(s scene.Sight, p *record) {
	l := s.Light
	for k, kind := range lightKinds {
		if kind == l.Kind {
			p.add(prop70("LightType", "enum", "", "", int32(k)))
		}
	}
	p.add(prop70("CastLight", "bool", "", "", int32(1)),
		prop70("Color", "Color", "", "A", l.Color[0], l.Color[1], l.Color[2]),
		prop70("Intensity", "Number", "", "A", l.Strength*percentOfOne))
	if l.Range > 0 {
		p.add(prop70("EnableFarAttenuation", "bool", "", "", int32(1)),
			prop70("FarAttenuationEnd", "Number", "", "A", l.Range))
	}
	if l.Kind == scene.Spot {
		p.add(prop70("InnerAngle", "Number", "", "A", 2*l.Inner), prop70("OuterAngle", "Number", "", "A", 2*l.Outer))
	}
}
