// Package source is station 1: what came in, and what of it goes on.
//
// A survey looks at the scene as it was read and does not depend on decisions. Run
// then leaves behind, renames, moves, shares, splits and merges as decided.
package source

import (
	"context"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"yarvek/core/finding"
	"yarvek/core/geom"
	"yarvek/core/naming"
	"yarvek/core/process/divide"
	"yarvek/core/scene"
	"yarvek/core/station"
)

// Info is the station's place among the ten.
var Info = station.Info{ID: "source", Name: "Source", Number: 1, Question: "What came in, and what of it goes on?"}

// Decisions say what of the scene goes on and in what form. A node is named by its
// path of names, so that a decision finds it again in the next revision.
type Decisions struct {
	Leave []string `json:"leave,omitempty"` // nodes left behind
	Keep  []string `json:"keep,omitempty"`  // nodes kept although a rule leaves them
	Rules []Rule   `json:"rules,omitempty"`

	Names   map[string]string `json:"names,omitempty"`  // new names, by node
	Rename  []Rename          `json:"rename,omitempty"` // new names by pattern, in order
	Sharing []string          `json:"sharing,omitempty"`
	Split   []Split           `json:"split,omitempty"`
	Crop    []Crop            `json:"crop,omitempty"` // before splitting, in order
	Merge   Merge             `json:"merge,omitempty"`

	DropUnused bool `json:"dropUnused,omitempty"` // materials no face uses stay behind
	JoinTwins  bool `json:"joinTwins,omitempty"`  // materials equal but for their names become the first of them

	Groups []Group `json:"groups,omitempty"`

	// Piece keeps of points without faces the largest piece; Thin keeps one of each cube of that edge, in metres as
	// read, 0 all of them.
	Piece bool    `json:"piece,omitempty"`
	Thin  float64 `json:"thin,omitempty"`

	// Variants are which of what the file offers is meant, by the key of the set; the file's choice where none is said.
	// The reader has to know them.
	Variants map[string]string `json:"variants,omitempty"`

	// Divide is how often cages of smooth surfaces are divided; 0 leaves them as they came.
	Divide int `json:"divide,omitempty"`

	// Roles are what nodes go on as in place of the meshes they are, by node.
	Roles map[string]Role `json:"roles,omitempty"`

	// Grid is the step of a grid that meshes wider than it are cut by, as seen from above: metres as read, 0 for none.
	Grid float64 `json:"grid,omitempty"`

	// Move is the place that becomes the origin of a scene far from it; metres as read.
	Move geom.Vec3 `json:"move,omitzero"`
	// Error is the largest rounding of 32-bit coordinates that is accepted, in metres;
	// zero means DefaultError.
	Error float64 `json:"error,omitempty"`
}

// DefaultError is a tenth of a millimetre.
const DefaultError = 0.0001

// Rename gives every node whose name matches a new one; see package naming.
type Rename struct {
	Match string `json:"match"`
	To    string `json:"to"`
}

// Split takes the mesh of a node apart.
type Split struct {
	Node string  `json:"node"`
	By   SplitBy `json:"by"`
}

// SplitBy says along what a mesh is taken apart.
type SplitBy string

// A mesh is split into its connected parts, or by slot.
const (
	ByParts SplitBy = "parts"
	BySlot  SplitBy = "slot"
)

// Merge says how many meshes become of those kept.
type Merge string

// The ways to merge.
const (
	Apart     Merge = ""
	MergeAll  Merge = "all"
	MergeSlot Merge = "slot"
	MergeSome Merge = "group"
)

// Group is nodes that become one mesh.
type Group struct {
	Name  string   `json:"name"`
	Nodes []string `json:"nodes"`
}

// Limits on what a person can ask for.
const (
	maxRules = 64
	maxParts = 2000 // nodes one split may make
)

// Validate checks the decisions.
func (d Decisions) Validate() error {
	if len(d.Rules) > maxRules || len(d.Rename) > maxRules || len(d.Groups) > 1000 {
		return fmt.Errorf("at most %d rules are kept", maxRules)
	}
	for _, r := range d.Rules {
		if err := r.Validate(); err != nil {
			return err
		}
	}
	if len(d.Crop) > maxCrops {
		return fmt.Errorf("at most %d boxes are kept", maxCrops)
	}
	for _, c := range d.Crop {
		if err := c.Validate(); err != nil {
			return err
		}
	}
	for _, r := range d.Rename {
		if _, err := naming.Parse(r.Match); err != nil {
			return err
		}
		if err := naming.Check(r.To); err != nil {
			return err
		}
	}
	for _, s := range d.Split {
		if s.By != ByParts && s.By != BySlot {
			return fmt.Errorf("%q is no way to split: expected parts or slot", s.By)
		}
	}
	if !slices.Contains([]Merge{Apart, MergeAll, MergeSlot, MergeSome}, d.Merge) {
		return fmt.Errorf("%q is no way to merge: expected all, slot or group", d.Merge)
	}
	if err := scene.ValidGrid(d.Grid); err != nil {
		return err
	}
	if d.Divide < 0 || d.Divide > divide.MostTimes {
		return fmt.Errorf("cages can't be divided %d times: expected 0 to %d", d.Divide, divide.MostTimes)
	}
	if err := d.validVariants(); err != nil {
		return err
	}
	for k, role := range d.Roles {
		if err := role.Validate(); err != nil {
			return fmt.Errorf("“%s”: %w", station.LastName(k), err)
		}
	}
	for _, c := range d.Move {
		if !(math.Abs(c) <= 1e12) {
			return fmt.Errorf("a move by %g m is out of bounds", c)
		}
	}
	if err := d.validThin(); err != nil {
		return err
	}
	if !(d.Error >= 0 && d.Error <= 1e6) {
		return fmt.Errorf("an error of %g m can't be meant", d.Error)
	}
	return nil
}

// Refs lists the nodes the decisions name, sorted.
func (d Decisions) Refs() []string {
	list := slices.Concat(d.Leave, d.Keep, d.Sharing, slices.Collect(maps.Keys(d.Names)))
	for _, s := range d.Split {
		list = append(list, s.Node)
	}
	for _, g := range d.Groups {
		list = append(list, g.Nodes...)
	}
	for k, role := range d.Roles {
		if list = append(list, k); role.Of != "" {
			list = append(list, role.Of)
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// Repoint returns the decisions with one node named in the place of another; an empty
// name drops what was decided for it.
func (d Decisions) Repoint(from, to string) station.Decisions { return d.repointed(from, to) }

// repointed does the work of Repoint with the station’s own type.
func (d Decisions) repointed(from, to string) Decisions {
	swap := func(list []string) []string { return station.Repointed(list, from, to) }
	d.Leave, d.Keep, d.Sharing = swap(d.Leave), swap(d.Keep), swap(d.Sharing)
	names := maps.Clone(d.Names)
	if name, ok := names[from]; ok {
		delete(names, from)
		if to != "" {
			names[to] = name
		}
		if len(names) == 0 {
			names = nil
		}
	}
	d.Names = names
	var split []Split
	for _, s := range d.Split {
		if s.Node == from {
			s.Node = to
		}
		if s.Node != "" {
			split = append(split, s)
		}
	}
	d.Split = split
	var groups []Group
	for _, g := range d.Groups {
		if g.Nodes = swap(g.Nodes); len(g.Nodes) > 0 {
			groups = append(groups, g)
		}
	}
	d.Groups = groups
	d.Roles = repointedRoles(d.Roles, from, to)
	return d
}

// repointedRoles names a node in the place of another; what stands for one that is dropped has no role any more.
func repointedRoles(roles map[string]Role, from, to string) map[string]Role {
	out := map[string]Role{}
	for k, role := range roles {
		if k == from {
			k = to
		}
		if role.Of == from {
			role.Of = to
		}
		if k != "" && (role.Of != "" || role.As == AsMarker) {
			out[k] = role
		}
	}
	if len(out) == 0 {
		return nil
	}
	return out
}

// Node is one row of the tree.
type Node struct {
	Key       string
	Name      string // after renaming in place
	Was       string // as the file has it
	Kind      scene.Kind
	Depth     int
	Triangles int
	Dots      int // points without faces
	Slots     []string
	Instance  bool // shares its mesh with another node
	Kept      bool
	Why       string // it was left: the rule in words, "" when by itself
	LOD       int    // it goes on as that LOD of another, 0 for none
	Solid     bool   // it goes on as a shape to collide with
	Marker    bool   // it goes on as its place and name alone
	Carries   bool   // something below it is kept, so it stays as an empty node
	Lone      []string
	For       string // what it stands for by the target's patterns or by decision, "" for itself
	Idle      bool   // its name says nothing
	Group     string
	Box       geom.Box
}

// GoesOn tells whether the node goes on, as a mesh or in another role.
func (n Node) GoesOn() bool { return n.Kept || n.LOD > 0 || n.Solid || n.Marker }

// Report is what the station found.
type Report struct {
	station.Account
	Counts   scene.Counts
	Straying []Straying   // of each cloud, before any was left out
	Out      scene.Counts // of what goes on
	Nodes    []Node
	Left     []scene.Left
	Variants []scene.Variants // that the file offers
	Kept     int              // nodes with a mesh that go on
	Merging  []Effect
	Twins    []Twins
	Main     geom.Box // of the main body
	Error    float64  // of 32-bit coordinates as they go on; metres
	Accepted float64
	Box      geom.Box // of what goes on

	Flickering []Flickering // pairs of nodes that go on
	Hand       []Hand       // coarser meshes that came along
	Solids     []HandSolid  // shapes to collide with that did

	format   string // of the file, for the tape
	revision int
}

// Flickering is two nodes whose faces lie in one plane, look the same way and cover one another.
type Flickering struct {
	A, B   string
	Keys   [2]string      // of them, as they came
	Area   float64        // square metres as read
	At     geom.Vec3      // in coordinates as the station leaves them
	Normal geom.Vec3      // of the plane
	Remedy finding.Remedy // leaves one of them out
}

// Figure is the file's format and the revision's number.
func (r *Report) Figure() string { return fmt.Sprintf("%s · rev %d", r.format, r.revision) }

// Ask is what the station needs to know besides the scene.
type Ask struct {
	Read     []finding.Finding // of the reader
	Revision int               // number of the revision that was read
	Counts   scene.Counts      // of the scene as it was read
}

// run is one pass through the station.
type run struct {
	ctx    context.Context
	s      *Came
	survey *Survey
	stands stands
	d      Decisions
	rep    *Report
	from   []int // nodes that go on, by those of the outcome while none are joined
}

// Run decides what goes on and puts it into the form decided for. The survey must
// be that of what came, and that be cropped and taken apart as decided.
//
// The outcome shares meshes with it. When ctx ends it returns early, and what it
// returns means nothing.
func Run(ctx context.Context, s *Came, v *Survey, ask Ask, d Decisions) (*scene.Scene, *Report) {
	rep := &Report{Counts: ask.Counts, Left: s.Left, Main: v.Main, Accepted: d.Error, format: s.Format,
		revision: ask.Revision}
	rep.Say(ask.Read...)
	rep.Say(s.said...)
	if rep.Accepted == 0 {
		rep.Accepted = DefaultError
	}
	r := &run{ctx: ctx, s: s, survey: v, d: d, rep: rep}
	r.stands = r.standing()
	r.rows()
	out, from := r.prune()
	if ctx.Err() != nil {
		return out, rep
	}
	r.from = from
	r.points(out)
	hand, handFrom := r.hand(out, from)
	out, hand = r.formed(out, from, hand, handFrom)
	if ctx.Err() != nil {
		return out, rep
	}
	if d.Merge == Apart { // each node of the outcome is one of the tree
		for i, k := range from {
			rep.Nodes[k].Name = out.Nodes[i].Name
		}
	}
	r.renameMeshes(out)
	rep.Hand, rep.Solids = hand, r.solids()
	rep.Out = out.Count()
	rep.Box = out.Bounds()
	r.judge(out)
	return out, rep
}

// rows lists the nodes for the tree of the worksheet, in the order they came.
func (r *run) rows() {
	s, v, rep := r.s, r.survey, r.rep
	users := s.Users()
	depth := make([]int, len(s.Nodes))
	rep.Nodes = make([]Node, len(s.Nodes))
	judge := r.judges()
	slots := make([][]string, len(s.Meshes))
	group := map[string]string{}
	for _, g := range r.d.Groups {
		for _, k := range g.Nodes {
			group[k] = g.Name
		}
	}
	for i, n := range s.Nodes {
		if n.Parent >= 0 {
			depth[i] = depth[n.Parent] + 1
		}
		row := Node{Key: v.Keys[i], Name: n.Name, Was: n.Name, Kind: n.Kind, Depth: depth[i],
			Box:  v.Boxes[i].Shifted(r.d.Move.Mul(-1)),
			Lone: v.LoneOf(i), For: r.stands.by[i].words(), Group: group[v.Keys[i]]}
		if h := s.hubOf[i]; h >= 0 { // a part is called after what it was part of
			row.Name = rep.Nodes[h].Name + strings.TrimPrefix(n.Name, s.Nodes[h].Name)
		}
		if to := r.d.Names[v.Keys[i]]; to != "" {
			row.Name = to
		}
		row.Idle = n.Mesh >= 0 && naming.Idle(row.Name)
		if n.Mesh >= 0 {
			m := s.Meshes[n.Mesh]
			row.Triangles = m.Triangles()
			if m.Cloud != nil {
				row.Dots = len(m.Cloud.Points)
			}
			row.Instance = len(users[n.Mesh]) > 1
			if slots[n.Mesh] == nil {
				slots[n.Mesh] = slotNames(s.Scene, m)
			}
			row.Slots = slots[n.Mesh]
		}
		row.Kept, row.Why, row.LOD = judge(i)
		row.Solid = row.Why == solidWhy
		row.Marker = row.Why == markerWhy
		row.Carries = row.Marker
		if row.Kept && n.Mesh >= 0 {
			rep.Kept++
		}
		rep.Nodes[i] = row
	}
	for i := len(s.Nodes) - 1; i >= 0; i-- {
		if p := s.Nodes[i].Parent; p >= 0 && (rep.Nodes[i].Kept || rep.Nodes[i].Carries) {
			rep.Nodes[p].Carries = true
		}
	}
}

// slotNames are the slots the faces of a mesh use, in order.
func slotNames(s *scene.Scene, m *scene.Mesh) []string {
	list, seen := []string{}, map[string]bool{}
	for _, k := range m.UsedSlots() {
		name := scene.NoSlot
		if k >= 0 {
			name = s.Materials[k].Name
		}
		if !seen[name] {
			seen[name] = true
			list = append(list, name)
		}
	}
	return list
}

// prune builds the scene of what is kept; a left node with kept children stays as
// an empty one, so that they stand where they stood. from tells where each node
// comes from.
func (r *run) prune() (out *scene.Scene, from []int) {
	s, rows := r.s, r.rep.Nodes
	c := *s.Scene
	c.Nodes, c.Meshes = nil, nil
	at := make([]int, len(s.Nodes))
	used := map[int]int{}
	for i, n := range s.Nodes {
		at[i] = -1
		if s.hub[i] || !rows[i].Kept && !rows[i].Carries {
			continue
		}
		for n.Parent >= 0 && s.hub[n.Parent] { // its parts take the place of what was taken apart
			n.Parent, n.Local = s.Nodes[n.Parent].Parent, s.Nodes[n.Parent].Local.Mul(n.Local)
		}
		if n.Parent >= 0 {
			n.Parent = at[n.Parent]
		}
		n.Name = rows[i].Name
		if !rows[i].Kept {
			n.Kind, n.Mesh, n.Hidden = scene.KindEmpty, -1, false
		}
		if n.Mesh >= 0 {
			k, seen := used[n.Mesh]
			if !seen {
				k = len(c.Meshes)
				used[n.Mesh] = k
				c.Meshes = append(c.Meshes, s.Meshes[n.Mesh])
			}
			n.Mesh = k
		}
		at[i] = len(c.Nodes)
		c.Nodes = append(c.Nodes, n)
		from = append(from, i)
	}
	return &c, from
}

// formed puts the scene and what was made by hand to stand for it into the form decided for.
func (r *run) formed(out *scene.Scene, from []int, hand []Hand, handFrom [][]int) (*scene.Scene, []Hand) {
	place := func(s *scene.Scene) *scene.Scene {
		if r.d.Move != (geom.Vec3{}) {
			return s.CarriedIn(r.ctx, geom.Translation(r.d.Move.Mul(-1))).Recentred()
		}
		return s
	}
	out = place(out)
	r.rep.Twins = r.twins()
	if len(r.d.Sharing) > 0 {
		out = r.share(out, from)
	}
	if r.ctx.Err() != nil {
		return out, nil
	}
	r.rep.Merging = effects(out, r.groupOf(from))
	out = r.merge(out, from)
	scenes := []*scene.Scene{out}
	for i, h := range hand {
		scenes = append(scenes, r.merge(place(h.Scene), handFrom[i]))
	}
	scenes = r.materials(scenes)
	for i, s := range scenes {
		r.rename(s)
		if i > 0 {
			hand[i-1].Scene = s
		}
	}
	return scenes[0], hand
}

// materials joins those that are equal and drops those that nobody uses, as decided, of all scenes
// alike.
func (r *run) materials(all []*scene.Scene) []*scene.Scene {
	each := func(to []int) {
		for i, s := range all {
			all[i] = s.WithMaterials(to)
		}
	}
	if r.d.JoinTwins {
		twins := all[0].MaterialTwins()
		to, n := make([]int, len(all[0].Materials)), 0
		for i := range to {
			if first, ok := twins[i]; ok {
				to[i] = to[first]
				continue
			}
			to[i] = n
			n++
		}
		if len(twins) > 0 {
			each(to)
		}
	}
	used := map[int]bool{}
	for _, s := range all {
		for _, k := range s.UsedMaterials() {
			used[k] = true
		}
	}
	to, n := make([]int, len(all[0].Materials)), 0
	for i := range to {
		if to[i] = -1; used[i] {
			to[i] = n
			n++
		}
	}
	if r.d.DropUnused && n < len(to) {
		each(to)
	}
	return all
}

// renameMeshes calls a mesh as its node is called now, where both were called the same in the
// file and no other node places it.
func (r *run) renameMeshes(out *scene.Scene) {
	was := map[string]string{} // names in the file, by those now
	for _, n := range r.rep.Nodes {
		was[n.Name] = n.Was
	}
	users := out.Users()
	var own []*scene.Mesh
	for _, n := range out.Nodes {
		if n.Mesh < 0 || len(users[n.Mesh]) > 1 {
			continue
		}
		m := out.Meshes[n.Mesh]
		if before, ok := was[n.Name]; !ok || before == n.Name || m.Name != before {
			continue
		}
		if own == nil {
			own = slices.Clone(out.Meshes)
			out.Meshes = own
		}
		renamed := *m
		renamed.Name = n.Name
		own[n.Mesh] = &renamed
	}
}

// rename applies the patterns; out's nodes are the run's own.
func (r *run) rename(out *scene.Scene) {
	names := make([]string, len(out.Nodes))
	for i, n := range out.Nodes {
		names[i] = n.Name
	}
	renameAll(r.d.Rename, names)
	for i := range out.Nodes {
		out.Nodes[i].Name = names[i]
	}
}
