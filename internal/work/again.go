package work

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"path"
	"strings"

	"yarvek/internal/store"
)

// Rewritten is what came of making an export again.
type Rewritten struct {
	Same bool   // to the byte
	File string // the first that came out otherwise, "" where they are the same or it is not known which
}

// Again makes an export again by the decisions, the revision and the target that it was made by, and tells whether the
// same bytes come out. Nothing is kept of it. What is not kept with an export is the kit's map of slots, its grid, and
// what asset and kit were called: where these count and changed, other bytes come out.
func (d *Desk) Again(ctx context.Context, export int64, progress func(string, float64)) (Rewritten, error) {
	r, err := d.remake(ctx, export, progress)
	if err != nil {
		return Rewritten{}, err
	}
	e, by := r.export, r.by
	if by.Name == "" { // the file is called as it was then
		by.Name = strings.TrimSuffix(e.Name, path.Ext(e.Name))
	}
	made, err := r.make(ctx, by)
	if err != nil {
		return Rewritten{}, err
	}
	_, data, err := wrapped(made)
	if err != nil {
		return Rewritten{}, err
	}
	if digest(data) == e.SHA {
		return Rewritten{Same: true}, nil
	}
	was := map[string]string{}
	for _, f := range e.Packing.Files {
		was[f.Name] = f.SHA
	}
	for _, f := range packed(made) {
		if was[f.Name] != digest(f.Data) {
			return Rewritten{File: f.Name}, nil
		}
	}
	return Rewritten{}, nil
}

func digest(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

// AgainLater is Again as a job, whose outcome is a Rewritten.
func (d *Desk) AgainLater(ctx context.Context, export int64) (*Job, error) {
	e, err := d.store.Export(ctx, export)
	if err != nil {
		return nil, err
	}
	return d.Jobs.Queue(Order{Lane: Arriving, About: fmt.Sprintf("export %d again", export),
		Title: "Making " + e.Name + " again", Person: store.By(ctx), Bytes: 40 * e.Size,
		Run: func(ctx context.Context, job *Job) (any, error) {
			job.Report("Making it again", 0)
			return d.Again(ctx, export, job.Report)
		},
		Again: func(ctx context.Context) (*Job, error) { return d.AgainLater(ctx, export) }}), nil
}
