package work

import (
	"archive/zip"
	"context"
	"encoding/json"
	"errors"
	"io"
	"path"
	"strings"

	"yarvek/core/deliver"
	"yarvek/core/fault"
	"yarvek/core/format"
	"yarvek/core/strict"
	"yarvek/internal/store"
)

// Opinion is what a reader of another make says of an export, beside what this house's reader does.
type Opinion struct {
	Reader   string            `json:"reader"`
	Verdicts []deliver.Verdict `json:"verdicts"`
}

// Agree tells whether they say the same.
func (o Opinion) Agree() bool { return deliver.Agree(o.Verdicts) }

// longestReader bounds the name of a reader, in bytes.
const longestReader = 60

// TakeOpinion keeps what a reader says of an export: the JSON of deliver.Figures.
func (d *Desk) TakeOpinion(ctx context.Context, export int64, reader string, figures []byte) error {
	e, err := d.Sent(ctx, export)
	if err != nil {
		return err
	}
	if e.Certificate.Figures == nil {
		return fault.Input("this export was sent before its figures were kept, so there is nothing to set a reading beside").
			Advise("Send it again")
	}
	var f deliver.Figures
	if err := strict.Unmarshal(figures, &f); err != nil {
		return fault.Input("what the reader said can’t be read: %v", err)
	}
	if reader == "" || len(reader) > longestReader {
		return fault.Input("a reader has a name of at most %d letters", longestReader)
	}
	body, err := json.Marshal(f)
	if err != nil {
		return err
	}
	return d.store.KeepOpinion(ctx, store.Opinion{Export: export, Reader: reader, Body: body})
}

// Opinions lists what readers of another make say of an export.
func (d *Desk) Opinions(ctx context.Context, e Sent) ([]Opinion, error) {
	if e.Certificate.Figures == nil {
		return nil, nil
	}
	by, err := format.ByID(e.Format)
	if err != nil {
		return nil, err
	}
	kept, err := d.store.Opinions(ctx, e.ID)
	if err != nil {
		return nil, err
	}
	var list []Opinion
	for _, o := range kept {
		var f deliver.Figures
		if json.Unmarshal(o.Body, &f) != nil {
			continue // of another program; it can be asked for again
		}
		list = append(list, Opinion{o.Reader, e.Certificate.Figures.Against(f, by)})
	}
	return list, nil
}

// FileOf opens one file of an export by its name; the caller closes it.
func (d *Desk) FileOf(ctx context.Context, export int64, name string) (io.ReadCloser, error) {
	e, f, err := d.Download(ctx, export)
	if err != nil {
		return nil, err
	}
	if !strings.EqualFold(path.Ext(e.Name), ".zip") {
		if name == e.Name {
			return f, nil
		}
		_ = f.Close()
		return nil, ErrNotFound
	}
	at, ok := f.(io.ReaderAt)
	if !ok {
		_ = f.Close()
		return nil, errors.New("a kept file can't be read in parts")
	}
	z, err := zip.NewReader(at, e.Size)
	if err == nil {
		for _, in := range z.File {
			if in.Name == name {
				r, err := in.Open()
				if err != nil {
					break
				}
				return both{r, f}, nil
			}
		}
		err = ErrNotFound
	}
	_ = f.Close()
	return nil, err
}

// both reads from one thing and closes another with it.
type both struct {
	io.ReadCloser
	under io.Closer
}

// Close closes both.
func (b both) Close() error { return errors.Join(b.ReadCloser.Close(), b.under.Close()) }
