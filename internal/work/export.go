package work

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"mime"
	"path"
	"time"

	"yarvek/core/arrival"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/internal/store"
)

// Packing is what an export's packing list says.
type Packing struct {
	Files   []store.File  `json:"files"`
	Changes []pack.Change `json:"changes"`
}

// Delivery is an export as its page shows it.
type Delivery struct {
	store.Export
	Packing     Packing
	Certificate arrival.Certificate
}

// deliver unpacks the kept JSON of an export.
func deliver(e store.Export) (Delivery, error) {
	d := Delivery{Export: e}
	if err := json.Unmarshal(e.Packing, &d.Packing); err != nil {
		return d, err
	}
	return d, json.Unmarshal(e.Certificate, &d.Certificate)
}

// Export writes the asset as its Export station decides, reads it back, and keeps
// the package with its packing list and certificate.
func (d *Desk) Export(ctx context.Context, id int64) (Delivery, error) {
	sh, err := d.Open(ctx, id)
	if err != nil {
		return Delivery{}, err
	}
	if sh.Result.Source.Kept == 0 {
		return Delivery{}, inputError("nothing goes on, so there is nothing to export. Keep a node at Source")
	}
	name := sh.Prep.Export.Name
	if name == "" {
		name = sh.Asset.Name
	}
	formatID := sh.Prep.Export.FormatID()
	ready, said := sh.Prep.Export.Shape(sh.Result.Ready)
	pk, err := format.Write(ready, formatID, name, sh.Kit.Target)
	if err != nil {
		return Delivery{}, err
	}
	pk.Changes = append(pk.Changes, said...)
	cert, err := arrival.Check(ctx, ready, pk, formatID, sh.Kit.Target)
	if err != nil {
		return Delivery{}, err
	}
	list := Packing{Changes: pk.Changes}
	for _, f := range pk.Files {
		list.Files = append(list.Files, store.File{Name: f.Name, Size: int64(len(f.Data))})
	}
	file, data := pk.Files[0].Name, pk.Files[0].Data
	if len(pk.Files) > 1 {
		file = bundle.Safe(name) + ".zip"
		if data, err = Zip(pk.Files); err != nil {
			return Delivery{}, err
		}
	}
	e := store.Export{AssetID: id, Revision: sh.Revision.Number, Seq: sh.History.Seq, Prep: sh.Prep.JSON(),
		Target: sh.Kit.Target, Format: formatID, Name: file}
	if e.SHA, e.Size, err = d.Store.PutBlob(bytes.NewReader(data)); err != nil {
		return Delivery{}, err
	}
	if e.Packing, err = json.Marshal(list); err != nil {
		return Delivery{}, err
	}
	if e.Certificate, err = json.Marshal(cert); err != nil {
		return Delivery{}, err
	}
	eid, err := d.Store.AddExport(ctx, e)
	if err != nil {
		return Delivery{}, err
	}
	return d.Delivery(ctx, eid)
}

// Zip packs files with a fixed date, so that equal files make equal archives.
func Zip(files []bundle.File) ([]byte, error) {
	var buf bytes.Buffer
	z := zip.NewWriter(&buf)
	for _, f := range files {
		w, err := z.CreateHeader(&zip.FileHeader{Name: f.Name, Method: zip.Deflate, Modified: time.Date(2000, 1, 1, 0, 0, 0, 0, time.UTC)})
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

// Delivery finds a kept export.
func (d *Desk) Delivery(ctx context.Context, id int64) (Delivery, error) {
	e, err := d.Store.Export(ctx, id)
	if err != nil {
		return Delivery{}, err
	}
	return deliver(e)
}

// Deliveries lists a kit's exports, or one asset's.
func (d *Desk) Deliveries(ctx context.Context, kit, asset int64) ([]Delivery, error) {
	list, err := d.Store.Exports(ctx, kit, asset)
	if err != nil {
		return nil, err
	}
	var out []Delivery
	for _, e := range list {
		dl, err := deliver(e)
		if err != nil {
			return nil, fmt.Errorf("export %d: %w", e.ID, err)
		}
		out = append(out, dl)
	}
	return out, nil
}

// MediaType of an export's file.
func MediaType(name string) string {
	switch path.Ext(name) {
	case ".glb":
		return "model/gltf-binary"
	case ".gltf":
		return "model/gltf+json"
	case ".obj":
		return "model/obj"
	}
	if t := mime.TypeByExtension(path.Ext(name)); t != "" {
		return t
	}
	return "application/octet-stream"
}
