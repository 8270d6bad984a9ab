package axes

import (
	"fmt"
	"math"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/scene"
)

// floorWithin is how far from a floor points count as on it: so many times as far as points lie apart.
const floorWithin = 1.5

// floored looks whether points stand on a floor that was scanned askew, and offers to level it.
func (r *Report) floored(out *scene.Scene, tu geom.Mat3, d Decisions) {
	for _, m := range out.Meshes {
		c := m.Cloud
		if c == nil {
			continue
		}
		up := r.Target.Up.Vec()
		f, ok := c.FloorOf(up, max(floorWithin*c.Spacing(), c.Box().Size().Max()/500))
		if !ok || f.Tilt < leastTilt {
			return
		}
		// Kept as the pose before the turns, as the remedy for a tilt is.
		to := geom.GLTF.To(r.Target)
		pose := to.Transpose().Mul(tu.Transpose().Mul(f.Levelled(up).M).Mul(tu)).Mul(to).Mul(
			geom.FromRotationVector(d.Pose.Mul(math.Pi / 180)))
		level := d
		level.Pose = rounded(pose)
		r.Say(finding.Finding{Code: "axes/floor", Severity: finding.Look,
			Title: "The floor is " + figure.Degrees(f.Tilt) + " askew",
			Text: fmt.Sprintf("Found from %s points in one plane, which they are off by %s on the whole.",
				figure.Count(f.Points), figure.Length(f.RMS)),
			Place: finding.Place{Point: &f.At},
			Remedies: []finding.Remedy{{Label: "Level it", Effect: "It turns by that much, by the shortest way.",
				Decision: level}}})
		return
	}
}
