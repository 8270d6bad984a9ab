package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"

	"yarvek/core/target"
)

// exportColumns are those of an export, by the names their tables go by, without its two large ones; the first tells
// whether it is sound.
var exportColumns = held("exports",
	"e") + `, e.id, e.id, e.asset_id, a.name, e.revision, e.seq, e.prep, e.target, e.format,
	e.name, e.sha, e.size, e.created, e.signed`

// scanExport reads a row of the columns of exports, and of further ones.
func scanExport(row scanner, more ...any) (e Export, err error) {
	var sound bool
	var key, t, created string
	err = row.Scan(append([]any{&sound, &key, &e.ID, &e.AssetID, &e.AssetName, &e.Revision, &e.Seq, &e.Prep, &t, &e.Format,
		&e.Name, &e.SHA, &e.Size, &created, &e.By}, more...)...)
	e.Created = when(created)
	if e.Harm, err = harm(err, "exports", sound, key); err == nil && e.Harm == nil {
		e.Target, e.Harm = target.Kept([]byte(t))
	}
	return e, err
}

// scanWhole reads a row of the columns of exports with its packing list and its certificate.
func scanWhole(row scanner) (Export, error) {
	var packing, certificate []byte
	var sound bool
	e, err := scanExport(row, &packing, &certificate, &sound)
	if err == nil && e.Harm == nil && !sound {
		e.Harm = broken("exports", "its packing list or certificate")
	}
	if e.Harm == nil {
		e.Packing, e.Certificate = packing, certificate
	}
	return e, err
}

// wholeExport is the query for exports whole.
var wholeExport = `SELECT ` + exportColumns + `, e.packing, e.certificate,
	e.packing_sum = row_digest(e.packing) AND e.certificate_sum = row_digest(e.certificate)
	FROM exports e JOIN assets a ON a.id = e.asset_id`

// AddExport keeps an export whose blob is already stored, and gives it as it is kept. One of an asset that was
// removed meanwhile is not kept; the error is ErrRemoved then.
func (s *Store) AddExport(ctx context.Context, e Export) (kept Export, err error) {
	t, err := json.Marshal(e.Target)
	if err != nil {
		return e, err
	}
	err = s.tx(ctx, func(tx *sql.Tx) error {
		a, err := openAsset(ctx, tx, e.AssetID)
		if err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, `INSERT INTO exports (asset_id, revision, seq, prep, target, format, name, sha, size,
			packing, packing_sum, certificate, certificate_sum, created, signed)
			VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8, ?9, ?10, row_digest(?10), ?11, row_digest(?11), ?12, ?13)`,
			e.AssetID, e.Revision, e.Seq, string(e.Prep), string(t), e.Format, e.Name, e.SHA, e.Size, string(e.Packing),
			string(e.Certificate), now(), By(ctx))
		if err != nil {
			return err
		}
		id, err := res.LastInsertId()
		if err != nil {
			return err
		}
		if err := noteIn(ctx, tx, Sent, "“"+a.Name+"” as "+e.Name); err != nil {
			return err
		}
		kept, err = exportOf(ctx, tx, id)
		return err
	})
	return kept, err
}

// Exports lists a kit's exports whole, the newest first, from one on and at most so many, and tells how many there
// are; of one asset when asset is not 0. One that is damaged is there with its Harm.
func (s *Store) Exports(ctx context.Context, kit, asset int64, from, most int) (list []Export, n int, err error) {
	const of = ` WHERE a.kit_id = ?1 AND (?2 = 0 OR a.id = ?2)`
	err = s.see(ctx, func(tx *sql.Tx) error {
		err := tx.QueryRowContext(ctx, `SELECT count(*) FROM exports e JOIN assets a ON a.id = e.asset_id`+of, kit,
			asset).Scan(&n)
		if err != nil {
			return err
		}
		list, err = all(ctx, tx, scanWhole, wholeExport+of+` ORDER BY e.id DESC LIMIT ?3 OFFSET ?4`, kit, asset, most, from)
		return err
	})
	return list, n, err
}

// lastExports are the last export of each asset of a kit, without packing list and certificate.
func lastExports(ctx context.Context, db queries, kit int64) (map[int64]Export, error) {
	list, err := all(ctx, db, func(row scanner) (Export, error) { return scanExport(row) }, `SELECT `+exportColumns+`
		FROM assets a JOIN exports e ON e.id = (SELECT max(id) FROM exports x WHERE x.asset_id = a.id)
		WHERE a.kit_id = ?`, kit)
	last := make(map[int64]Export, len(list))
	for _, e := range list {
		last[e.AssetID] = e
	}
	return last, err
}

// Export finds one; a damaged one is its *RowError.
func (s *Store) Export(ctx context.Context, id int64) (Export, error) { return exportOf(ctx, s.db, id) }

func exportOf(ctx context.Context, db queries, id int64) (Export, error) {
	e, err := scanWhole(db.QueryRowContext(ctx, wholeExport+` WHERE e.id = ?`, id))
	return e, cmp.Or(err, e.Harm)
}
