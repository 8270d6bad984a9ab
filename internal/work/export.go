package work

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"mime"
	"path"
	"slices"
	"time"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/internal/store"
)

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

// Leave says how an asset is to be sent.
type Leave struct {
	// Target is the ID of the target it is meant for, "" for whichever the kit has; another one is not sent for.
	Target string
	// Reason is why it may leave though something of it must be fixed; without one it is held then.
	Reason string
}

// Send writes the asset as its Export station decides, reads it back, and keeps the
// package with its packing list and certificate.
func (d *Desk) Send(ctx context.Context, asset int64, as Leave) (Sent, error) {
	return d.send(ctx, asset, as, nil)
}

// send is Send; progress, which may be nil, is told how far it is.
func (d *Desk) send(ctx context.Context, asset int64, as Leave, progress func(string, float64)) (Sent, error) {
	o, err := d.Open(ctx, asset)
	if err != nil {
		return Sent{}, err
	}
	if now := o.Kit.Target; as.Target != "" && as.Target != now.ID {
		return Sent{}, fault.Input(
			"the kit's target was changed to “%s” in another window meanwhile, so nothing was sent. The sheet now shows "+
				"the asset for that target", now.Name)
	}
	if o, err = d.Made(ctx, o, progress); err != nil {
		return Sent{}, err
	}
	may, err := released(ctx, o, as.Reason)
	if err != nil {
		return Sent{}, err
	}
	p, err := deliver.Make(ctx, deliver.Order{Delivery: o.Result.Delivery, Decisions: o.Prep.Export, Asset: o.Asset.Name,
		Kit: o.Kit.Name, Class: className(o), Target: o.Kit.Target})
	if err != nil {
		return Sent{}, err
	}
	list := packing(o, p)
	list.Released = may
	file, data, err := wrapped(p)
	if err != nil {
		return Sent{}, err
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
	if o.Prep.Export.Outbox {
		// It was sent and can be downloaded, whatever comes of this; the page says that it is not there, and why when it
		// is tried again.
		if _, err := d.Place(ctx, kept.ID, false); err != nil {
			d.log.Warn("an export was not written into the folder of its kit", "export", kept.ID, "error", err)
		}
	}
	return sent(kept)
}

// className is what the class of an asset is called, "" for none.
func className(o *Opened) string {
	c, ok := o.Kit.Target.Class(o.Prep.Size.Class)
	if !ok || o.Prep.Size.Class == "" {
		return ""
	}
	return c.Name
}

// packed are the files of a package as they lie in its zip, below its folder; one alone is in none.
func packed(p *deliver.Parcel) []bundle.File {
	out := slices.Clone(p.Package.Files)
	if len(out) > 1 {
		for i := range out {
			out[i].Name = path.Join(p.Folder, out[i].Name)
		}
	}
	return out
}

// wrapped is a package as one file: its only one, or a zip of all. Equal packages give equal bytes.
func wrapped(p *deliver.Parcel) (name string, data []byte, err error) {
	if len(p.Package.Files) == 1 {
		return p.Package.Files[0].Name, p.Package.Files[0].Data, nil
	}
	data, err = Zip(packed(p))
	return bundle.Safe(p.Name) + ".zip", data, err
}

// SendLater is Send as a job, whose outcome is a Sent. One that has something to make first that takes long waits
// for its turn among the jobs that do.
func (d *Desk) SendLater(ctx context.Context, asset int64, leave Leave) (*Job, error) {
	o, err := d.Open(ctx, asset)
	if err != nil {
		return nil, err
	}
	if _, err := released(ctx, o, leave.Reason); err != nil {
		return nil, err // it need not wait for its turn to be told so
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
			return d.send(store.As(store.From(ctx, store.Address(as)), store.By(as)), asset, leave, job.Report)
		},
		Again: func(ctx context.Context) (*Job, error) { return d.SendLater(ctx, asset, leave) }}), nil
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
