package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"
)

// addRevision keeps a revision that comes about now, in a transaction.
func addRevision(ctx context.Context, tx *sql.Tx, asset int64, number int, main string, files []File) error {
	return insertRevision(ctx, tx, asset, AlongRevision{number, main, Made{time.Now(), By(ctx)}, files})
}

// insertRevision keeps a revision with its files, in a transaction.
func insertRevision(ctx context.Context, tx *sql.Tx, asset int64, r AlongRevision) error {
	res, err := tx.ExecContext(ctx, `INSERT INTO revisions (asset_id, number, main, created, signed)
		VALUES (?, ?, ?, ?, ?)`, asset, r.Number, r.Main, r.Made.At.UTC().Format(stamp), r.Made.By)
	if err != nil {
		return err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return err
	}
	for _, f := range r.Files {
		_, err := tx.ExecContext(ctx, `INSERT INTO revision_files (revision_id, name, sha, size) VALUES (?, ?, ?, ?)`, id,
			f.Name, f.SHA, f.Size)
		if err != nil {
			return err
		}
	}
	return reseal(ctx, tx, "revisions", id)
}

// AddRevision gives an asset its next revision and returns its number. Unless use is
// set, the one in force stays in force. base is the number of the revision in force that
// the files were put together from; when it is another by now the error is ErrStale.
func (s *Store) AddRevision(ctx context.Context, asset int64, base int, main string, files []File, use bool) (n int,
	err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		n, err = nextRevision(ctx, tx, asset, base, main, files, use)
		return err
	})
	return n, err
}

// nextRevision is AddRevision within a transaction.
func nextRevision(ctx context.Context, tx *sql.Tx, asset int64, base int, main string, files []File, use bool) (n int,
	err error) {
	if _, err := openAsset(ctx, tx, asset); err != nil {
		return 0, err
	}
	force, err := currentOf(ctx, tx, asset)
	if err != nil {
		return 0, err
	}
	if force.Number != base {
		return 0, ErrStale
	}
	if err := tx.QueryRowContext(ctx, `SELECT max(number) FROM revisions WHERE asset_id = ?`, asset).Scan(&n); err != nil {
		return 0, missing(err)
	}
	n++
	if err := addRevision(ctx, tx, asset, n, main, files); err != nil {
		return 0, err
	}
	if use {
		base = n
	}
	return n, one(tx.ExecContext(ctx, `UPDATE assets SET revision = ?, changes = changes + ?, signed = ? WHERE id = ?`,
		base, use, By(ctx), asset))
}

// ErrNotOfKit is given for assets that can't be joined, since they are of two kits, or one and the same.
var ErrNotOfKit = errors.New("it is no other asset of the kit")

// Join makes the files of an asset the next revision of another of its kit, which stays in the revision it has, and
// takes the asset out of the kit. It returns the number of the revision.
func (s *Store) Join(ctx context.Context, asset, into int64) (n int, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		a, err := openAsset(ctx, tx, asset)
		if err != nil {
			return err
		}
		b, err := openAsset(ctx, tx, into)
		if err != nil {
			return err
		}
		if a.ID == b.ID || a.KitID != b.KitID {
			return fmt.Errorf("%w: “%s”", ErrNotOfKit, a.Name)
		}
		from, err := currentOf(ctx, tx, asset)
		if err != nil {
			return err
		}
		to, err := currentOf(ctx, tx, into)
		if err != nil {
			return err
		}
		if n, err = nextRevision(ctx, tx, into, to.Number, from.Main, from.Files, false); err != nil {
			return err
		}
		_, err = removeAsset(ctx, tx, asset, true)
		return err
	})
	return n, err
}

// TakeRevision puts a revision in force, together with the prep for it unless that is
// nil: both or neither. base is the count of changes the page showed.
func (s *Store) TakeRevision(ctx context.Context, asset int64, number, base int, prep []byte, label string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := change(ctx, tx, asset, base); err != nil {
			return err
		}
		if prep != nil {
			if err := savePrep(ctx, tx, asset, prep, label); err != nil {
				return err
			}
		}
		return one(tx.ExecContext(ctx, `UPDATE assets SET revision = ?, signed = ?
			WHERE id = ? AND EXISTS (SELECT 1 FROM revisions WHERE asset_id = ? AND number =`+
			` ?)`, number, By(ctx), asset, asset, number))
	})
}

// revisionColumns are those of a revision; the first tells whether it is sound.
var revisionColumns = held("revisions", "r") + `, r.id, r.id, r.number, r.main, r.created, r.signed`

// scanRevision reads a row of the columns of revisions.
func scanRevision(row scanner) (r Revision, err error) {
	var sound bool
	var key, created string
	err = row.Scan(&sound, &key, &r.ID, &r.Number, &r.Main, &created, &r.By)
	r.Created = when(created)
	r.Harm, err = harm(err, "revisions", sound, key)
	return r, err
}

// Current is the revision in force.
func (s *Store) Current(ctx context.Context, asset int64) (r Revision, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		r, err = currentOf(ctx, tx, asset)
		return err
	})
	return r, err
}

// currentOf is the revision in force.
func currentOf(ctx context.Context, db queries, asset int64) (Revision, error) {
	return revision(ctx, db, asset, inForce)
}

// Revision finds one by its number.
func (s *Store) Revision(ctx context.Context, asset int64, number int) (r Revision, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		r, err = revision(ctx, tx, asset, `?2`, number)
		return err
	})
	return r, err
}

// revision reads the row a condition names, ErrNotFound when there is none.
func revision(ctx context.Context, db queries, asset int64, number string, args ...any) (Revision, error) {
	r, err := scanRevision(db.QueryRowContext(ctx,
		`SELECT `+revisionColumns+` FROM revisions r JOIN assets a ON a.id = r.asset_id
		WHERE r.asset_id = ?1 AND r.number = `+number, append([]any{asset}, args...)...))
	if err = cmp.Or(err, r.Harm); err != nil {
		return r, err
	}
	r.Files, err = filesOf(ctx, db, r.ID)
	return r, err
}

// filesOf are the files of a revision, by its row, in the order of their names.
func filesOf(ctx context.Context, db queries, row int64) ([]File, error) {
	return all(ctx, db, scanFile, `SELECT name, sha, size FROM revision_files WHERE revision_id = ? ORDER BY name`, row)
}

// scanFile reads name, digest and size.
func scanFile(row scanner) (f File, err error) {
	err = row.Scan(&f.Name, &f.SHA, &f.Size)
	return f, err
}

// Revisions lists all of an asset's, the newest first, without their files. One that is damaged is there with its
// Harm.
func (s *Store) Revisions(ctx context.Context, asset int64) ([]Revision, error) {
	return all(ctx, s.db, scanRevision, `SELECT `+revisionColumns+` FROM revisions r WHERE r.asset_id = ?
		ORDER BY r.number DESC`, asset)
}
