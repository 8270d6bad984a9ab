package scene

// Scheme is a way that a surface is divided.
type Scheme string

// The schemes, by the names in use in files.
const (
	CatmullClark Scheme = "catmullClark"
	Loop         Scheme = "loop"
	Bilinear     Scheme = "bilinear"
)

// EdgeKey is an edge by its two points, the lower first.
type EdgeKey [2]int32

// EdgeOf is that between two points.
func EdgeOf(a, b int32) EdgeKey { return EdgeKey{min(a, b), max(a, b)} }

// Cage says that a mesh is the cage of a surface that is divided. It counts for the mesh as it was read: what changes
// points or faces drops it, or makes the surface.
type Cage struct {
	Scheme Scheme
	// Sharp is how sharp edges are: 0 for smooth, one more for each division that they stay so, +Inf for ever. Borders
	// are sharp by themselves.
	Sharp map[EdgeKey]float64
}
