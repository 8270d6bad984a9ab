package work

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"strings"
	"unicode/utf8"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format/pack"
	"yarvek/core/naming"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/internal/store"
)

// Packing is what an export's packing list says: every file with its digest, everything in them, what was changed on
// the way, and what stayed behind. Lists made before the contents were kept have none.
type Packing struct {
	Files    []store.File   `json:"files"`
	Folder   string         `json:"folder,omitempty"` // of the outbox that they belong into, with slashes
	Contents []deliver.Item `json:"contents,omitempty"`
	Changes  []pack.Change  `json:"changes"`
	Left     []LeftBehind   `json:"left,omitempty"`
	Released *Released      `json:"released,omitempty"` // it was held, and sent knowingly
	More     int            `json:"more,omitempty"`     // things that are not listed one by one, of contents and left
}

// LeftBehind is something that came and did not leave.
type LeftBehind struct {
	Sort  string   `json:"sort"` // in the plural: "nodes", "cameras", "materials", ...
	Count int      `json:"count"`
	Names []string `json:"names,omitempty"`
	Why   string   `json:"why"`
}

// mostListed bounds the names of a packing list.
const mostListed = 5000

// Released is why something left that must be fixed.
type Released struct {
	Reason   string   `json:"reason"`
	By       string   `json:"by,omitempty"`
	Findings []string `json:"findings"` // titles of what must be fixed
}

// longestReason bounds a reason, in letters.
const longestReason = 400

// released tells whether an asset may leave, and what goes onto its packing list where it is held; nil where it is not.
func released(ctx context.Context, o *Opened, reason string) (*Released, error) {
	n := o.Result.Delivery.Scene.Count()
	if o.Result.Export.Held == 0 || n.Polygons+n.Dots == 0 { // nothing is to leave then
		return nil, nil
	}
	r := &Released{Reason: strings.Join(strings.Fields(reason), " "), By: store.By(ctx)}
	switch {
	case r.Reason == "":
		return nil, fault.Input("%s must be fixed first, so nothing was sent",
			figure.Plural(o.Result.Export.Held, "finding", "findings")).Advise(
			"Put it right, or write why it may leave all the same; that goes onto the packing list")
	case utf8.RuneCountInString(r.Reason) > longestReason:
		return nil, fault.Input("a reason has at most %d letters", longestReason)
	}
	if err := naming.Plain(r.Reason); err != nil {
		return nil, fault.Input("the reason can't be kept: %v", err)
	}
	for _, f := range o.Result.Findings() {
		if f.Severity == finding.MustFix {
			r.Findings = append(r.Findings, f.Title)
		}
	}
	return r, nil
}

// packing is the packing list of what was made of an asset.
func packing(o *Opened, p *deliver.Parcel) Packing {
	list := Packing{Folder: p.Folder, Changes: p.Package.Changes, Contents: p.Contents}
	for _, f := range packed(p) {
		list.Files = append(list.Files, store.File{Name: f.Name, SHA: digest(f.Data), Size: int64(len(f.Data))})
	}
	was := map[string]string{} // in the file, by the name at Source
	for _, n := range o.Result.Source.Nodes {
		if n.GoesOn() {
			was[n.Name] = n.Was
		}
	}
	for i := range list.Contents {
		x := &list.Contents[i]
		came := x.Was
		if came == "" {
			came = x.Name
		}
		if first, ok := was[came]; ok && first != came && x.Sort != "slot" && x.Sort != "picture" {
			if x.Why == "" {
				x.Why = "named at Source"
			} else {
				x.Why = "named at Source, and " + x.Why
			}
			x.Was = first
		}
	}
	byHand(o, list.Contents)
	list.Left = leftBehind(o, p)
	list.cut()
	return list
}

// byHand says of LODs and shapes as what they came, and of the others that they were made.
func byHand(o *Opened, list []deliver.Item) {
	names := func(keys []string) (l []string) {
		for _, k := range keys {
			l = append(l, station.LastName(k))
		}
		return l
	}
	came := map[int][]string{} // by the number of a LOD
	for n, l := range o.Result.LODs.LODs {
		if l.Fetched.Hand == nil {
			continue
		}
		for _, h := range o.Result.Source.Hand {
			if h.N == l.Fetched.Hand.N {
				came[n] = names(h.Nodes)
			}
		}
	}
	count := map[int]int{} // items of each LOD
	for _, x := range list {
		count[x.LOD]++
	}
	at, shape := map[int]int{}, 0
	for i := range list {
		x := &list[i]
		switch x.Sort {
		case "LOD":
			l := came[x.LOD]
			if x.Made = len(l) == 0; len(l) == count[x.LOD] {
				x.Was = l[at[x.LOD]]
			}
			at[x.LOD]++
		case "collision":
			x.Made = true
			if s := o.Result.Collision.Shapes; shape < len(s) && s[shape].Hand >= 0 {
				x.Was, x.Made = station.LastName(s[shape].Key), false
			}
			shape++
		}
	}
}

// leftBehind lists what came with an asset and did not leave, by sort and reason.
func leftBehind(o *Opened, p *deliver.Parcel) []LeftBehind {
	by := map[[2]string][]string{}
	add := func(sort, name, why string) { by[[2]string{sort, why}] = append(by[[2]string{sort, why}], name) }
	for _, n := range o.Result.Source.Nodes {
		switch {
		case n.GoesOn() || n.Carries:
		case n.Why != "":
			add("nodes", n.Was, "by a rule of yours: "+n.Why)
		case n.Kind == scene.KindMesh || n.Kind == scene.KindEmpty || n.Kind == scene.KindLOD:
			add("nodes", n.Was, "left out by you")
		case n.Kind == scene.KindCamera || n.Kind == scene.KindLight: // they are told of below
		default:
			add(string(n.Kind)+"s", n.Was, "it holds no polygon")
		}
	}
	leaves := map[string]bool{}
	for _, x := range p.Contents {
		if x.Sort == "slot" || x.Sort == "picture" {
			leaves[x.Sort+x.Name], leaves[x.Sort+x.Was] = true, true
		}
	}
	sums := map[string]bool{}
	for _, im := range o.Result.Delivery.Scene.Images {
		sums[im.Sum()] = true
	}
	slots := map[string]bool{} // that leave, by what they were called when they came
	for _, x := range o.Result.Slots.Slots {
		slots[x.Key] = true
	}
	for _, m := range o.Result.Read.Materials {
		if !slots[m.Name] && !leaves["slot"+m.Name] {
			add("materials", m.Name, "no face that goes on uses it, or it was joined with its twin")
		}
	}
	for _, im := range o.Result.Read.Images {
		if im.Found() && !sums[im.Sum()] && !leaves["picture"+im.Name] {
			add("pictures", im.Name, "nothing that leaves uses it as it came")
		}
	}
	var list []LeftBehind
	keys := slices.SortedFunc(maps.Keys(by), func(a, b [2]string) int {
		return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1]))
	})
	for _, k := range keys {
		list = append(list, LeftBehind{Sort: k[0], Count: len(by[k]), Names: by[k], Why: k[1]})
	}
	for _, l := range o.Result.Read.Left {
		switch by := p.Decisions; {
		case l.What == "camera" && by.Cameras && p.Format.Sights, l.What == "light" && by.Lights && p.Format.Sights:
			continue
		case l.What == "camera" && by.Cameras, l.What == "light" && by.Lights:
			l.Why = p.Format.Name + " holds none"
		case l.What == "camera", l.What == "light":
			l.Why = "left by you: Export can send them"
		}
		list = append(list, LeftBehind{Sort: l.What + "s", Count: l.Count, Names: l.Names, Why: l.Why})
	}
	return list
}

// cut keeps a list to what a page and a row can hold, and counts the rest.
func (p *Packing) cut() {
	if n := len(p.Contents) - mostListed; n > 0 {
		p.Contents, p.More = p.Contents[:mostListed], n
	}
	room := mostListed
	for i := range p.Left {
		if n := len(p.Left[i].Names) - room; n > 0 {
			p.Left[i].Names, p.More = p.Left[i].Names[:room], p.More+n
		}
		room -= len(p.Left[i].Names)
	}
}
