package store

import (
	"context"
	"database/sql"
)

// addRevision keeps a revision's files in a transaction.
func addRevision(ctx context.Context, tx *sql.Tx, asset int64, number int, main string, files []File) error {
	res, err := tx.ExecContext(ctx, `INSERT INTO revisions (asset_id, number, main, created, signed)
		VALUES (?, ?, ?, ?, ?)`, asset, number, main, now(), By(ctx))
	if err != nil {
		return err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return err
	}
	for _, f := range files {
		_, err := tx.ExecContext(ctx, `INSERT INTO revision_files (revision_id, name, sha, size) VALUES (?, ?, ?, ?)`, id,
			f.Name, f.SHA,
			f.Size)
		if err != nil {
			return err
		}
	}
	return nil
}

// AddRevision gives an asset its next revision and returns its number. Unless use is
// set, the one in force stays in force. base is the number of the revision in force that
// the files were put together from; when it is another by now the error is ErrStale.
func (s *Store) AddRevision(ctx context.Context, asset int64, base int, main string, files []File, use bool) (n int,
	err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		force, err := currentOf(ctx, tx, asset)
		if err != nil {
			return err
		}
		if force.Number != base {
			return ErrStale
		}
		if err := tx.QueryRowContext(ctx, `SELECT max(number) FROM revisions WHERE asset_id = ?`,
			asset).Scan(&n); err != nil {
			return missing(err)
		}
		n++
		if err := addRevision(ctx, tx, asset, n, main, files); err != nil {
			return err
		}
		if use {
			base = n
		}
		return one(tx.ExecContext(ctx, `UPDATE assets SET revision = ?, changes = changes + ?, signed = ? WHERE id = ?`, base,
			use, By(ctx), asset))
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

const revisionColumns = `r.id, r.number, r.main, r.created, r.signed`

// current is the number of the revision in force of the asset ?1.
const current = `coalesce((SELECT revision FROM assets WHERE id = ?1),
	(SELECT max(number) FROM revisions WHERE asset_id = ?1))`

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
	return revision(ctx, db, asset, current)
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
	var r Revision
	var created string
	err := db.QueryRowContext(ctx,
		`SELECT `+revisionColumns+` FROM revisions r WHERE r.asset_id = ?1 AND r.number = `+number,
		append([]any{asset}, args...)...).Scan(&r.ID, &r.Number, &r.Main, &created, &r.By)
	if err != nil {
		return r, missing(err)
	}
	r.Created = when(created)
	r.Files, err = all(ctx, db, func(row interface{ Scan(...any) error }) (File, error) {
		var f File
		return f, row.Scan(&f.Name, &f.SHA, &f.Size)
	}, `SELECT name, sha, size FROM revision_files WHERE revision_id = ? ORDER BY name`, r.ID)
	return r, err
}

// Revisions lists all of an asset's, the newest first, without their files.
func (s *Store) Revisions(ctx context.Context, asset int64) ([]Revision, error) {
	return all(ctx, s.db, func(row interface{ Scan(...any) error }) (Revision, error) {
		var r Revision
		var created string
		err := row.Scan(&r.ID, &r.Number, &r.Main, &created, &r.By)
		r.Created = when(created)
		return r, err
	}, `SELECT `+revisionColumns+` FROM revisions r WHERE r.asset_id = ? ORDER BY r.number DESC`, asset)
}
