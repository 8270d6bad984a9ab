package work

import (
	"archive/zip"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"path"
	"slices"
	"strings"

	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/internal/store"
)

// Upload is files on their way in, already kept as blobs.
type Upload struct {
	desk    *Desk
	files   []store.File
	names   map[string]bool
	size    int64
	Refused []Refusal
}

// Refusal is a file that did not come in, and why.
type Refusal struct {
	Name string
	Why  string
}

// Came is an asset that did.
type Came struct {
	Asset    store.Asset
	Missing  []finding.Finding // companions that are not there
	Findings int
}

// Intake is the outcome of an upload.
type Intake struct {
	Kit     store.Kit
	Came    []Came
	Refused []Refusal
	Unused  []string // files nothing refers to
}

// NewUpload begins one.
func (d *Desk) NewUpload() *Upload { return &Upload{desk: d, names: map[string]bool{}} }

func (u *Upload) refuse(name, format string, args ...any) {
	u.Refused = append(u.Refused, Refusal{name, fmt.Sprintf(format, args...)})
}

// Add takes one file; a zip is unpacked. What is wrong with it becomes a refusal,
// and an error is only given when the upload as a whole can't go on.
func (u *Upload) Add(name string, r io.Reader) error {
	l := u.desk.Limits
	clean, err := bundle.Clean(name)
	if err != nil {
		// A name that leads elsewhere keeps its last part; the bytes are harmless.
		clean = bundle.Safe(path.Base(strings.ReplaceAll(name, `\`, "/")))
	}
	if len(u.files) >= l.FilesEach {
		u.refuse(clean, "an upload may hold %d files. Send the rest after it", l.FilesEach)
		return nil
	}
	limited := &io.LimitedReader{R: r, N: l.Upload - u.size + 1}
	sha, n, err := u.desk.Store.PutBlob(limited)
	if err != nil {
		return err
	}
	if u.size += n; u.size > l.Upload {
		u.refuse(clean, "the upload is larger than %s. Send fewer files at once, or start with a higher --max-upload", Bytes(l.Upload))
		return inputError("the upload is larger than %s", Bytes(l.Upload))
	}
	if strings.EqualFold(path.Ext(clean), ".zip") {
		return u.unzip(clean, sha, n)
	}
	u.keep(clean, sha, n)
	return nil
}

func (u *Upload) keep(name, sha string, n int64) {
	if u.names[name] {
		u.refuse(name, "two files of the upload have this name; the first came in")
		return
	}
	u.names[name] = true
	u.files = append(u.files, store.File{Name: name, SHA: sha, Size: n})
}

// unzip unpacks a kept zip. Sizes are counted while unpacking: what the archive
// says of itself is not believed.
func (u *Upload) unzip(name, sha string, packed int64) error {
	l := u.desk.Limits
	f, err := u.desk.Store.OpenBlob(sha)
	if err != nil {
		return err
	}
	defer f.Close()
	z, err := zip.NewReader(f, packed)
	if err != nil {
		u.refuse(name, "is no zip that can be opened: %v. It may be cut short; send it again", err)
		return nil
	}
	if len(z.File) > l.ZipFiles {
		u.refuse(name, "holds %d files, and %d are allowed. Send the meshes it is about", len(z.File), l.ZipFiles)
		return nil
	}
	var out int64
	for _, e := range z.File {
		if strings.HasSuffix(e.Name, "/") || hidden(e.Name) {
			continue
		}
		clean, err := bundle.Clean(e.Name)
		if err != nil {
			u.refuse(name, "its entry %v, so that entry was not unpacked", err)
			continue
		}
		rc, err := e.Open()
		if err != nil {
			u.refuse(path.Join(name, clean), "can't be unpacked: %v", err)
			continue
		}
		room := min(l.Unzipped-out, max(1<<20, packed*l.ZipRatio)-out)
		limited := &io.LimitedReader{R: rc, N: room + 1}
		esha, n, err := u.desk.Store.PutBlob(limited)
		_ = rc.Close()
		if n > room {
			u.refuse(name, "unpacks to more than %s, or to more than %d times its size, which no set of meshes does. The rest of it was not unpacked", Bytes(l.Unzipped), l.ZipRatio)
			return nil
		}
		if err != nil {
			if errors.Is(err, os.ErrPermission) {
				return err
			}
			u.refuse(path.Join(name, clean), "can't be unpacked: %v", err)
			continue
		}
		out += n
		u.keep(clean, esha, n)
	}
	return nil
}

// hidden entries are what archiving programs add for themselves.
func hidden(name string) bool {
	return strings.HasPrefix(path.Base(name), ".") || strings.HasPrefix(name, "__")
}

// Bytes writes a size in bytes for people.
func Bytes(n int64) string { return figure.Bytes(n) }

// TakeIn reads the upload's meshes and makes an asset of each, in the background.
func (d *Desk) TakeIn(kit int64, u *Upload) *Job {
	return d.Jobs.Start("Reading the upload", func(ctx context.Context, job *Job) (any, error) {
		return d.takeIn(ctx, kit, u, job)
	})
}

func (d *Desk) takeIn(ctx context.Context, kit int64, u *Upload, job *Job) (*Intake, error) {
	out := &Intake{Refused: u.Refused}
	var err error
	if out.Kit, err = d.Store.Kit(ctx, kit); err != nil {
		return nil, err
	}
	set, err := d.bundleOf(store.Revision{Files: u.files})
	if err != nil {
		return nil, err
	}
	var meshes []store.File
	used := map[string]bool{}
	var total, before int64
	for _, f := range u.files {
		if format.IsMesh(f.Name) {
			meshes = append(meshes, f)
			used[f.Name] = true
			total += f.Size
		}
	}
	for _, m := range meshes {
		if err := ctx.Err(); err != nil {
			return nil, err
		}
		step := "Reading " + m.Name
		job.Report(step, float64(before)/float64(max(1, total)))
		companions := format.Companions(set, m.Name)
		for _, c := range companions {
			used[c] = true
		}
		came, err := d.takeOne(ctx, kit, set, m, u.pick(append(companions, m.Name), len(meshes) == 1), func(done, all int64) {
			job.Report(step, (float64(before)+float64(m.Size)*float64(done)/float64(max(1, all)))/float64(max(1, total)))
		})
		switch {
		case ctx.Err() != nil:
			return nil, ctx.Err()
		case err != nil:
			out.Refused = append(out.Refused, Refusal{m.Name, withoutName(err, m.Name)})
		default:
			out.Came = append(out.Came, came)
			// Made now, the kit's page has it at once; if it fails, the page says why.
			_, _ = d.summary(ctx, out.Kit, came.Asset)
		}
		before += m.Size
	}
	for _, f := range u.files {
		switch {
		case used[f.Name] || len(meshes) == 1:
		case companion(f.Name):
			out.Unused = append(out.Unused, f.Name)
		default:
			out.Refused = append(out.Refused, Refusal{f.Name, "is no FBX, OBJ, GLB, glTF or zip, and no mesh refers to it"})
		}
	}
	if len(meshes) == 0 && len(u.files) > 0 && len(out.Refused) == 0 {
		out.Refused = append(out.Refused, Refusal{u.files[0].Name, "no mesh came with it. Send the FBX, OBJ, GLB or glTF too"})
	}
	return out, nil
}

func companion(name string) bool {
	return slices.Contains([]string{".mtl", ".bin", ".png", ".jpg", ".jpeg", ".webp", ".tga", ".bmp", ".tif", ".tiff", ".gif"}, strings.ToLower(path.Ext(name)))
}

// withoutName drops the file's name where the page shows it beside.
func withoutName(err error, name string) string {
	s := strings.TrimPrefix(err.Error(), name)
	return strings.TrimLeft(s, ":, ")
}

// pick chooses files of the upload by name; all of them when there is one mesh only.
func (u *Upload) pick(names []string, all bool) []store.File {
	var list []store.File
	for _, f := range u.files {
		if all || slices.Contains(names, f.Name) {
			list = append(list, f)
		}
	}
	return list
}

func (d *Desk) takeOne(ctx context.Context, kit int64, set *bundle.Bundle, m store.File, files []store.File, progress func(done, all int64)) (Came, error) {
	s, found, err := format.Read(ctx, set, m.Name, progress)
	if err != nil {
		return Came{}, err
	}
	name := strings.TrimSuffix(path.Base(m.Name), path.Ext(m.Name))
	a, err := d.Store.NewAsset(ctx, kit, name, m.Name, files)
	if err != nil {
		return Came{}, err
	}
	rev, err := d.Store.Current(ctx, a.ID)
	if err != nil {
		return Came{}, err
	}
	d.scenes.put(sourceKey(rev), read{s, found})
	c := Came{Asset: a, Findings: len(found)}
	for _, f := range found {
		if strings.Contains(f.Code, "missing") {
			c.Missing = append(c.Missing, f)
		}
	}
	return c, nil
}
