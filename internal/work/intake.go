package work

import (
	"archive/zip"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"path"
	"slices"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/finding"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/internal/store"
)

// Upload is files on their way in, already kept as blobs. Whoever has it ends it by Close, or gives it to TakeIn;
// what no asset has got by then is gone.
type Upload struct {
	desk     *Desk
	coming   *store.Bringing
	files    []store.File
	names    map[string]bool
	size     int64
	Refused  []Refusal
	entries  int   // of all its zips
	unpacked int64 // bytes of them
	Passed   []string
	came     []Came          // of it, before an earlier run of the program ended
	there    map[string]bool // the meshes that those are, by name
}

// Refusal is a file that did not come in, and why.
type Refusal struct {
	Name string
	Why  string
}

// Came is an asset that did.
type Came struct {
	Asset    Asset
	State    store.State
	Missing  []finding.Finding // companions that are not there
	Findings int
	// Namesake is the asset that had the name before, of ID 0 for none: this one may be
	// meant as its next revision.
	Namesake Asset
}

// Intake is the outcome of an upload.
type Intake struct {
	Kit     Kit
	Came    []Came
	Refused []Refusal
	Unused  []string // files nothing refers to
	Unread  []string // meshes that were not come to when it was stopped
	Passed  []string // entries of zips that archiving programs add for themselves
}

// NewUpload begins one.
func (d *Desk) NewUpload() *Upload {
	return &Upload{desk: d, coming: d.store.Bring(), names: map[string]bool{}}
}

// Close does away with what no asset has got. Closing it again does nothing.
func (u *Upload) Close() {
	if err := u.coming.End(context.Background()); err != nil {
		u.desk.log.Warn("files of an upload were left behind", "error", err)
	}
}

// Room tells whether an upload may go into a kit, by what the kit and whoever sends it have already.
func (d *Desk) Room(ctx context.Context, kit int64, u *Upload) error {
	ofKit, ofPerson, err := d.store.Held(ctx, kit, store.By(ctx))
	if err != nil {
		return err
	}
	if most := d.Limits.Kit; most > 0 && ofKit+u.size+u.unpacked > most {
		return fault.New(fault.Limit, "the kit holds %s and may hold %s, so the %s that were sent did not come in",
			figure.Bytes(ofKit), figure.Bytes(most), figure.Bytes(u.size+u.unpacked)).
			Advise("Begin another kit, or start with a higher --max-kit")
	}
	if most := d.Limits.Person; most > 0 && store.By(ctx) != "" && ofPerson+u.size+u.unpacked > most {
		return fault.New(fault.Limit, "you have brought in %s and may bring in %s, so the %s that were sent did not come in",
			figure.Bytes(ofPerson), figure.Bytes(most), figure.Bytes(u.size+u.unpacked)).
			Advise("Ask whoever runs this Yarvek for a higher --max-person")
	}
	return nil
}

// refuse notes a file that is not taken, with a reason for a person.
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
	sha, n, err := u.coming.Put(r, max(0, l.Upload-u.size))
	u.size += n
	if err != nil && !errors.Is(err, store.ErrTooLong) {
		return err
	}
	if u.size > l.Upload {
		return fault.New(fault.Limit, "the upload is larger than %s", figure.Bytes(l.Upload)).
			Advise("Send fewer files at once, or start with a higher --max-upload")
	}
	if bundle.IsArchive(clean) {
		return u.unzip(clean, sha, n)
	}
	u.keep(clean, sha, n)
	return nil
}

// keep notes a file that lies in the store.
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
	f, err := u.desk.store.OpenBlob(sha)
	if err != nil {
		return keptFault(name, err)
	}
	defer f.Close()
	z, err := zip.NewReader(f, packed)
	if err != nil {
		u.refuse(name, "is no zip that can be opened: %v. It may be cut short; send it again", err)
		return nil
	}
	if u.entries += len(z.File); u.entries > l.ZipFiles {
		u.refuse(name, "holds %d files, and the zips of an upload may hold %d in all. Send the meshes it is about",
			len(z.File), l.ZipFiles)
		return nil
	}
	var out int64
	for _, e := range z.File {
		if strings.HasSuffix(e.Name, "/") {
			continue
		}
		if bundle.Hidden(e.Name) {
			u.Passed = append(u.Passed, path.Join(name, fault.Shown(e.Name)))
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
		room := min(l.Unzipped-u.unpacked, max(1<<20, packed*l.ZipRatio)-out)
		entry := &watched{r: rc}
		esha, n, err := u.coming.Put(entry, max(0, room))
		_ = rc.Close()
		out += n // what is refused counts: it was unpacked, too
		u.unpacked += n
		switch {
		case errors.Is(err, store.ErrTooLong):
			u.refuse(name, "unpacks, with the other zips of the upload, to more than %s, or to more than %d times its size, "+
				"which "+
				"no set of meshes does. The rest of it was not unpacked",
				figure.Bytes(l.Unzipped), l.ZipRatio)
			return nil
		case entry.err != nil:
			u.refuse(path.Join(name, clean), "can't be unpacked: %v", entry.err)
			continue
		case err != nil:
			return err // it was read well and could not be kept: no fault of the zip
		}
		u.keep(clean, esha, n)
	}
	return nil
}

// watched remembers why reading broke off, so that a zip that can't be read is told from
// a disk that can't be written.
type watched struct {
	r   io.Reader
	err error
}

// Read reads, and remembers an error other than the end.
func (w *watched) Read(p []byte) (int, error) {
	n, err := w.r.Read(p)
	if err != nil && !errors.Is(err, io.EOF) {
		w.err = err
	}
	return n, err
}

// What arrives is weighed at so many times its size, up to a gigabyte.
const (
	arrivingTimes = 64
	arrivingMost  = 1 << 30
)

// TakeIn reads the upload's meshes and makes an asset of each, in the background. The
// job's outcome is an *Intake; stopped on its way, it says what had come in by then and
// what was not come to.
func (d *Desk) TakeIn(ctx context.Context, kit int64, u *Upload) (*Job, error) {
	if err := d.Room(ctx, kit, u); err != nil {
		u.Close()
		return nil, err
	}
	var meshes []store.File
	for _, f := range u.files {
		if format.IsMesh(f.Name) {
			meshes = append(meshes, f)
		}
	}
	o := d.taking(ctx, kit, u)
	o.ID = rand.Text()
	if err := d.store.KeepUpload(ctx, o.ID, kit, meshes); err != nil {
		u.Close()
		return nil, err
	}
	return d.undertake(ctx, kit, errand{Files: u.files, Refused: u.Refused, Passed: u.Passed}, o)
}

// taking is the order of TakeIn.
func (d *Desk) taking(ctx context.Context, kit int64, u *Upload) Order {
	by := store.By(ctx)
	return Order{Lane: Arriving, About: aboutKit(kit), Title: "Reading the upload", Person: by,
		Bytes: min(arrivingMost, arrivingTimes*u.size),
		Run: func(ctx context.Context, job *Job) (any, error) {
			return d.takeIn(store.As(ctx, by), kit, u, job)
		},
		Left: func(ended bool) {
			if ended { // else the next start reads on
				u.Close()
			}
		}}
}

// left is an upload that an earlier run of the program did not read to its end: what is left of it to be read. Files
// that are not there any more are refused.
func (d *Desk) left(ctx context.Context, job string, e errand) (*Upload, error) {
	u := d.NewUpload()
	u.Refused, u.Passed = e.Refused, e.Passed
	in, err := d.Interrupted(ctx, job)
	if err != nil {
		return nil, err
	}
	u.came, u.there = in.Came, map[string]bool{}
	for _, f := range e.Files {
		u.there[f.Name] = format.IsMesh(f.Name) && !slices.Contains(in.Unread, f.Name)
		if err := u.coming.Adopt(f.SHA); err != nil {
			u.refuse(f.Name, "was lost when the program ended. Send it again")
			continue
		}
		u.files = append(u.files, f)
		u.size += f.Size
	}
	return u, nil
}

// aboutKit names a kit for jobs.
func aboutKit(kit int64) string { return fmt.Sprintf("kit %d", kit) }

// Uploads lists the jobs that take files into a kit, or did and were not seen to end.
func (d *Desk) Uploads(kit int64) []string { return d.Jobs.About(aboutKit(kit)) }

// Interrupted tells what became of an upload whose job this process does not know, since
// it was started after the job was: which assets came in, and which meshes did not. The
// error is ErrNotFound for a job that nobody knows.
func (d *Desk) Interrupted(ctx context.Context, job string) (*Intake, error) {
	kit, came, not, err := d.store.UploadOf(ctx, job)
	if err != nil {
		return nil, err
	}
	out := &Intake{}
	if out.Kit, err = d.store.Kit(ctx, kit); err != nil {
		return nil, err
	}
	for _, a := range came {
		out.Came = append(out.Came, Came{Asset: a})
	}
	for _, f := range not {
		out.Unread = append(out.Unread, f.Name)
	}
	return out, nil
}

// reporter is told how far a job is; a *Job is one.
type reporter interface {
	Report(step string, fraction float64)
}

// takeIn makes an asset of each mesh file of an upload. It stops between two; what it
// made stays.
func (d *Desk) takeIn(ctx context.Context, kit int64, u *Upload, job reporter) (*Intake, error) {
	out := &Intake{Refused: u.Refused, Passed: u.Passed, Came: u.came}
	var err error
	// A stop ends the reading, and not the telling of how far it came.
	if out.Kit, err = d.store.Kit(context.WithoutCancel(ctx), kit); err != nil {
		return nil, err
	}
	set := d.bundleOf(u.files)
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
	var names []string
	for _, m := range meshes {
		names = append(names, m.Name)
	}
	if parts := format.Parts(ctx, set, names); len(parts) > 0 {
		meshes = slices.DeleteFunc(meshes, func(m store.File) bool { return parts[m.Name] })
	}
	for i, m := range meshes {
		step := "Reading " + m.Name
		job.Report(step, float64(before)/float64(max(1, total)))
		companions := format.Companions(ctx, set, m.Name)
		for _, c := range companions {
			used[c] = true
		}
		files := u.pick(append(companions, m.Name), len(meshes) == 1)
		if u.there[m.Name] {
			before += m.Size
			continue
		}
		came, err := d.takeOne(ctx, kit, set, m, files, func(done, all int64) {
			job.Report(step, (float64(before)+float64(m.Size)*float64(done)/float64(max(1, all)))/float64(max(1, total)))
		})
		switch {
		case ctx.Err() != nil:
			for _, rest := range meshes[i:] {
				out.Unread = append(out.Unread, rest.Name)
			}
			return out, nil
		case fault.KindOf(err) != 0:
			out.Refused = append(out.Refused, Refusal{m.Name, plain(err, m.Name)})
		case err != nil:
			return out, err
		default:
			out.Came = append(out.Came, came)
			// Made now, the kit's page has it at once; if it fails, the page says why.
			_, _ = d.Summary(ctx, came.State)
		}
		before += m.Size
	}
	d.rest(out, u, used, len(meshes))
	return out, nil
}

// headOf is how a kept file begins, nothing where it can't be read.
func (d *Desk) headOf(f store.File) []byte {
	blob, err := d.store.OpenBlob(f.SHA)
	if err != nil {
		return nil
	}
	defer blob.Close()
	head := make([]byte, 4096)
	n, _ := io.ReadFull(blob, head)
	return head[:n]
}

// rest says what of the upload belongs to no mesh.
func (d *Desk) rest(out *Intake, u *Upload, used map[string]bool, meshes int) {
	for _, f := range u.files {
		switch {
		case used[f.Name] || meshes == 1:
		case companion(f.Name):
			out.Unused = append(out.Unused, f.Name)
		default:
			out.Refused = append(out.Refused, Refusal{f.Name, plain(format.NoMesh(f.Name, d.headOf(f)), f.Name)})
		}
	}
	if meshes == 0 && len(u.files) > 0 && len(out.Refused) == 0 {
		out.Refused = append(out.Refused,
			Refusal{u.files[0].Name, "no mesh came with it. Send the mesh, too: " + format.Names()})
	}
}

// plain is why a file was refused, without its name, which stands beside it.
func plain(err error, name string) string {
	var e *fault.Error
	if errors.As(err, &e) && e.File == name {
		return e.Plain()
	}
	return err.Error()
}

var companions = []string{".mtl", ".bin", ".png", ".jpg", ".jpeg", ".webp", ".tga", ".bmp", ".tif", ".tiff", ".gif"}

// companion tells a file that may go with a mesh by its suffix.
func companion(name string) bool {
	return slices.Contains(companions, strings.ToLower(path.Ext(name)))
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

// takeOne makes the asset of one mesh file and those it names.
func (d *Desk) takeOne(ctx context.Context, kit int64, set *bundle.Bundle, m store.File, files []store.File,
	progress func(done, all int64)) (Came, error) {
	s, found, err := format.Read(ctx, set, m.Name, progress)
	if err != nil {
		return Came{}, err
	}
	name := strings.TrimSuffix(path.Base(m.Name), path.Ext(m.Name))
	there, err := d.store.Assets(ctx, kit, false)
	if err != nil {
		return Came{}, err
	}
	a, err := d.store.NewAsset(ctx, kit, name, m.Name, files)
	if err != nil {
		return Came{}, err
	}
	if a, err = d.begun(ctx, a, s); err != nil {
		return Came{}, err
	}
	st, err := d.store.State(ctx, a.ID)
	if err != nil {
		return Came{}, err
	}
	d.sources.Put(sourceKey(st.Revision, nil), read{s, found})
	c := Came{Asset: a, State: st, Findings: len(found)}
	for _, old := range there {
		if strings.EqualFold(old.Name, a.Name) {
			c.Namesake = old // the newest of them
		}
	}
	for _, f := range found {
		if f.Missing() {
			c.Missing = append(c.Missing, f)
		}
	}
	return c, nil
}
