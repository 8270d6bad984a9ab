package work

import (
	"archive/zip"
	"bytes"
	"cmp"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"maps"
	"mime"
	"path"
	"slices"
	"time"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
	"yarvek/core/station"
	"yarvek/internal/store"
)

// Packing is what an export's packing list says: every file with its digest, everything in them, what was changed on
// the way, and what stayed behind. Lists made before the contents were kept have none.
type Packing struct {
	Files    []store.File   `json:"files"`
	Contents []deliver.Item `json:"contents,omitempty"`
	Changes  []pack.Change  `json:"changes"`
	Left     []LeftBehind   `json:"left,omitempty"`
	More     int            `json:"more,omitempty"` // things that are not listed one by one, of contents and left
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

// Sent is an export as its page shows it.
type Sent struct {
	store.Export
	Packing     Packing
	Certificate deliver.Certificate
}

// sent unpacks the kept JSON of an export.
func sent(e store.Export) (Sent, error) {
	d := Sent{Export: e}
	if err := json.Unmarshal(e.Packing, &d.Packing); err != nil {
		return d, fmt.Errorf("the packing list of export %d: %w", e.ID, err)
	}
	if err := json.Unmarshal(e.Certificate, &d.Certificate); err != nil {
		return d, fmt.Errorf("the certificate of export %d: %w", e.ID, err)
	}
	return d, nil
}

// Send writes the asset as its Export station decides, reads it back, and keeps the
// package with its packing list and certificate. want is the ID of the target it is meant
// for, "" for whichever the kit has; another one is not sent for.
func (d *Desk) Send(ctx context.Context, asset int64, want string) (Sent, error) {
	return d.send(ctx, asset, want, nil)
}

// send is Send; progress, which may be nil, is told how far it is.
func (d *Desk) send(ctx context.Context, asset int64, want string, progress func(string, float64)) (Sent, error) {
	o, err := d.Open(ctx, asset)
	if err != nil {
		return Sent{}, err
	}
	if now := o.Kit.Target; want != "" && want != now.ID {
		return Sent{}, fault.Input(
			"the kit's target was changed to “%s” in another window meanwhile, so nothing was sent. The sheet now shows "+
				"the asset for that target", now.Name)
	}
	if o, err = d.Made(ctx, o, progress); err != nil {
		return Sent{}, err
	}
	p, err := deliver.Make(ctx, deliver.Order{Delivery: o.Result.Delivery, Decisions: o.Prep.Export, Asset: o.Asset.Name,
		Kit: o.Kit.Name, Target: o.Kit.Target})
	if err != nil {
		return Sent{}, err
	}
	list := packing(o, p)
	file, data := p.Package.Files[0].Name, p.Package.Files[0].Data
	if len(p.Package.Files) > 1 {
		file = bundle.Safe(p.Name) + ".zip"
		if data, err = Zip(p.Package.Files); err != nil {
			return Sent{}, err
		}
	}
	e := store.Export{AssetID: asset, Revision: o.Revision.Number, Seq: o.Step.Seq, Prep: o.Prep.JSON(),
		Target: o.Kit.Target, Format: p.Format.ID, Name: file}
	if e.SHA, e.Size, err = d.store.PutBlob(bytes.NewReader(data)); err != nil {
		return Sent{}, err
	}
	if e.Packing, err = json.Marshal(list); err != nil {
		return Sent{}, err
	}
	if e.Certificate, err = json.Marshal(p.Certificate); err != nil {
		return Sent{}, err
	}
	kept, err := d.store.AddExport(ctx, e)
	if err != nil {
		return Sent{}, err
	}
	return sent(kept)
}

// packing is the packing list of what was made of an asset.
func packing(o *Opened, p *deliver.Parcel) Packing {
	list := Packing{Changes: p.Package.Changes, Contents: p.Contents}
	for _, f := range p.Package.Files {
		sum := sha256.Sum256(f.Data)
		list.Files = append(list.Files, store.File{Name: f.Name, SHA: hex.EncodeToString(sum[:]), Size: int64(len(f.Data))})
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

// SendLater is Send as a job, whose outcome is a Sent. One that has something to make first that takes long waits
// for its turn among the jobs that do.
func (d *Desk) SendLater(ctx context.Context, asset int64, want string) (*Job, error) {
	o, err := d.Open(ctx, asset)
	if err != nil {
		return nil, err
	}
	lane := Arriving
	if o.Result.Pending() {
		lane = Long
	}
	as := store.As(store.From(context.Background(), store.Address(ctx)), store.By(ctx))
	return d.Jobs.Queue(Order{Lane: lane, About: fmt.Sprintf("export of asset %d", asset),
		Title: "Writing " + o.Asset.Name + " and reading it back", Person: store.By(ctx),
		Bytes: bytesEach * int64(o.Result.Delivery.Scene.Count().Triangles),
		Run: func(ctx context.Context, job *Job) (any, error) {
			job.Report("Writing it and reading it back", 0)
			return d.send(store.As(store.From(ctx, store.Address(as)), store.By(as)), asset, want, job.Report)
		}}), nil
}

// Exports lists a kit's exports, or one asset's when asset is not 0, the newest first, from one on and at most so
// many, and tells how many there are. One that is damaged is there with its Harm.
func (d *Desk) Exports(ctx context.Context, kit, asset int64, from, most int) ([]Sent, int, error) {
	list, n, err := d.store.Exports(ctx, kit, asset, from, most)
	if err != nil {
		return nil, 0, err
	}
	out := make([]Sent, len(list))
	for i, e := range list {
		if e.Harm != nil {
			out[i].Export = e
		} else if out[i], err = sent(e); err != nil {
			out[i] = Sent{Export: e}
			out[i].Harm = fault.From(fault.Damaged, err)
		}
	}
	return out, n, nil
}

// Sent finds an export.
func (d *Desk) Sent(ctx context.Context, export int64) (Sent, error) {
	e, err := d.store.Export(ctx, export)
	if err != nil {
		return Sent{}, err
	}
	return sent(e)
}

// Owner is the asset an export was made of, and its kit, as they are called now.
func (d *Desk) Owner(ctx context.Context, asset int64) (Asset, Kit, error) {
	st, err := d.store.State(ctx, asset)
	return st.Asset, st.Kit, err
}

// Download opens the file of an export; the caller closes it.
func (d *Desk) Download(ctx context.Context, export int64) (store.Export, io.ReadSeekCloser, error) {
	e, err := d.store.Export(ctx, export)
	if err != nil {
		return e, nil, err
	}
	f, err := d.store.OpenBlob(e.SHA)
	if err != nil {
		return e, nil, keptFault(e.Name, err)
	}
	return e, f, nil
}

// Zip packs files with a fixed date, so that equal files make equal archives.
func Zip(files []bundle.File) ([]byte, error) {
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for _, f := range files {
		w, err := z.CreateHeader(&zip.FileHeader{Name: f.Name, Method: zip.Deflate,
			Modified: time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)})
		if err != nil {
			return nil, err
		}
		if _, err := w.Write(f.Data); err != nil {
			return nil, err
		}
	}
	// The directory at the archive's end is only written by Close.
	if err := z.Close(); err != nil {
		return nil, err
	}
	return buf.Bytes(), nil
}

// MediaType of an export's file.
func MediaType(name string) string {
	if t := format.MediaType(path.Ext(name)); t != "" {
		return t
	}
	if t := mime.TypeByExtension(path.Ext(name)); t != "" {
		return t
	}
	return "application/octet-stream"
}
