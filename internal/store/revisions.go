package store

import (
	"context"
	"database/sql"
)

// addRevision keeps a revision's files in a transaction.
func addRevision(ctx context.Context, tx *sql.Tx, asset int64, number int, main string, files []File) error {
	res, err := tx.ExecContext(ctx, `INSERT INTO revisions (asset_id, number, main, created) VALUES (?, ?, ?, ?)`, asset, number, main, now())
	if err != nil {
		return err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return err
	}
	for _, f := range files {
		if _, err := tx.ExecContext(ctx, `INSERT INTO revision_files (revision_id, name, sha, size) VALUES (?, ?, ?, ?)`, id, f.Name, f.SHA, f.Size); err != nil {
			return err
		}
	}
	return nil
}

// AddRevision gives an asset its next revision and returns its number. Unless use
// is set, the one in force stays in force.
func (s *Store) AddRevision(ctx context.Context, asset int64, main string, files []File, use bool) (n int, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		var force sql.NullInt64
		if err := tx.QueryRowContext(ctx, `SELECT coalesce(max(r.number), 0), a.revision FROM assets a LEFT JOIN revisions r ON r.asset_id = a.id WHERE a.id = ?`, asset).Scan(&n, &force); err != nil {
			return missing(err)
		}
		if !force.Valid {
			force.Int64 = int64(n)
		}
		n++
		if err := addRevision(ctx, tx, asset, n, main, files); err != nil {
			return err
		}
		if use {
			force.Int64 = int64(n)
		}
		return one(tx.ExecContext(ctx, `UPDATE assets SET revision = ? WHERE id = ?`, force.Int64, asset))
	})
	return n, err
}

// UseRevision puts a revision in force.
func (s *Store) UseRevision(ctx context.Context, asset int64, number int) error {
	return s.tx(ctx, func(tx *sql.Tx) error { return useRevision(ctx, tx, asset, number) })
}

func useRevision(ctx context.Context, tx *sql.Tx, asset int64, number int) error {
	return one(tx.ExecContext(ctx, `UPDATE assets SET revision = ? WHERE id = ? AND EXISTS (SELECT 1 FROM revisions WHERE asset_id = ? AND number = ?)`, number, asset, asset, number))
}

// TakeRevision puts a revision in force together with the prep for it, both or
// neither. base is the prep the person saw; see SavePrep.
func (s *Store) TakeRevision(ctx context.Context, asset int64, number, base int, prep []byte, label string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := savePrep(ctx, tx, asset, base, prep, label); err != nil {
			return err
		}
		return useRevision(ctx, tx, asset, number)
	})
}

const revisionColumns = `r.id, r.number, r.main, r.created`

// Current is the revision in force.
func (s *Store) Current(ctx context.Context, asset int64) (Revision, error) {
	return s.revision(ctx, asset, `coalesce((SELECT revision FROM assets WHERE id = ?1), (SELECT max(number) FROM revisions WHERE asset_id = ?1))`)
}

// Revision finds one by its number.
func (s *Store) Revision(ctx context.Context, asset int64, number int) (Revision, error) {
	return s.revision(ctx, asset, `?2`, number)
}

func (s *Store) revision(ctx context.Context, asset int64, number string, args ...any) (Revision, error) {
	var r Revision
	var created string
	err := s.db.QueryRowContext(ctx, `SELECT `+revisionColumns+` FROM revisions r WHERE r.asset_id = ?1 AND r.number = `+number, append([]any{asset}, args...)...).
		Scan(&r.ID, &r.Number, &r.Main, &created)
	if err != nil {
		return r, missing(err)
	}
	r.Created = when(created)
	r.Files, err = s.files(ctx, r.ID)
	return r, err
}

func (s *Store) files(ctx context.Context, revision int64) ([]File, error) {
	return all(ctx, s.db, func(row interface{ Scan(...any) error }) (File, error) {
		var f File
		return f, row.Scan(&f.Name, &f.SHA, &f.Size)
	}, `SELECT name, sha, size FROM revision_files WHERE revision_id = ? ORDER BY name`, revision)
}

// Revisions lists all of an asset's, the newest first, without their files.
func (s *Store) Revisions(ctx context.Context, asset int64) ([]Revision, error) {
	return all(ctx, s.db, func(row interface{ Scan(...any) error }) (Revision, error) {
		var r Revision
		var created string
		err := row.Scan(&r.ID, &r.Number, &r.Main, &created)
		r.Created = when(created)
		return r, err
	}, `SELECT `+revisionColumns+` FROM revisions r WHERE r.asset_id = ? ORDER BY r.number DESC`, asset)
}
