package slots

// LightMade is a light set as it came out.
type LightMade struct {
	There  bool // one is decided and there
	Kept   bool // it came along
	Charts int
	Fill   float64 // share of the plane that charts cover
	Worst  float64 // stretch by area, root mean square over the worst chart
	Mean   float64 // over all
	Gap    float64 // the smallest between two charts, in texels
	Over   bool    // charts overlap
	Set    string  // its name
	Number int     // of the UV set
}
