package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"fmt"

	"yarvek/core/target"
)

const kitColumns = `k.id, k.name, k.target, k.grid, k.created,
	(SELECT count(*) FROM assets a WHERE a.kit_id = k.id AND a.removed IS NULL)`

func scanKit(row interface{ Scan(...any) error }) (Kit, error) {
	var k Kit
	var t, created string
	if err := row.Scan(&k.ID, &k.Name, &t, &k.Grid, &created, &k.Assets); err != nil {
		return k, missing(err)
	}
	k.Created = when(created)
	return k, json.Unmarshal([]byte(t), &k.Target)
}

// all collects the rows of a query.
func all[T any](ctx context.Context, db *sql.DB, scan func(interface{ Scan(...any) error }) (T, error), query string, args ...any) ([]T, error) {
	rows, err := db.QueryContext(ctx, query, args...)
	if err != nil {
		return nil, err
	}
	defer rows.Close()
	var list []T
	for rows.Next() {
		v, err := scan(rows)
		if err != nil {
			return nil, err
		}
		list = append(list, v)
	}
	return list, rows.Err()
}

// Kits lists all kits, the newest first.
func (s *Store) Kits(ctx context.Context) ([]Kit, error) {
	return all(ctx, s.db, scanKit, `SELECT `+kitColumns+` FROM kits k ORDER BY k.id DESC`)
}

// Kit finds one.
func (s *Store) Kit(ctx context.Context, id int64) (Kit, error) {
	return scanKit(s.db.QueryRowContext(ctx, `SELECT `+kitColumns+` FROM kits k WHERE k.id = ?`, id))
}

// NewKit makes a kit.
func (s *Store) NewKit(ctx context.Context, name string, t target.Target) (Kit, error) {
	b, err := json.Marshal(t)
	if err != nil {
		return Kit{}, err
	}
	res, err := s.db.ExecContext(ctx, `INSERT INTO kits (name, target, created) VALUES (?, ?, ?)`, name, b, now())
	if err != nil {
		return Kit{}, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return Kit{}, err
	}
	return s.Kit(ctx, id)
}

// UpdateKit changes a kit's name and target.
func (s *Store) UpdateKit(ctx context.Context, id int64, name string, t target.Target) error {
	b, err := json.Marshal(t)
	if err != nil {
		return err
	}
	return one(s.db.ExecContext(ctx, `UPDATE kits SET name = ?, target = ? WHERE id = ?`, name, b, id))
}

// SetGrid gives a kit the module of its pieces in metres, 0 for none.
func (s *Store) SetGrid(ctx context.Context, id int64, metres float64) error {
	return one(s.db.ExecContext(ctx, `UPDATE kits SET grid = ? WHERE id = ?`, metres, id))
}

// one makes sure that a row was changed.
func one(res sql.Result, err error) error {
	if err != nil {
		return err
	}
	if n, err := res.RowsAffected(); err == nil && n == 0 {
		return ErrNotFound
	}
	return nil
}

const assetColumns = `id, kit_id, name, prep_at, created`

func scanAsset(row interface{ Scan(...any) error }) (Asset, error) {
	var a Asset
	var created string
	err := row.Scan(&a.ID, &a.KitID, &a.Name, &a.Seq, &created)
	a.Created = when(created)
	return a, missing(err)
}

// Assets lists a kit's assets in the order they came; removed ones instead when asked.
func (s *Store) Assets(ctx context.Context, kit int64, removed bool) ([]Asset, error) {
	is := "IS NULL"
	if removed {
		is = "IS NOT NULL"
	}
	return all(ctx, s.db, scanAsset, `SELECT `+assetColumns+` FROM assets WHERE kit_id = ? AND removed `+is+` ORDER BY id`, kit)
}

// Asset finds one.
func (s *Store) Asset(ctx context.Context, id int64) (Asset, error) {
	return scanAsset(s.db.QueryRowContext(ctx, `SELECT `+assetColumns+` FROM assets WHERE id = ?`, id))
}

// NewAsset makes an asset with its first revision.
func (s *Store) NewAsset(ctx context.Context, kit int64, name, main string, files []File) (Asset, error) {
	var id int64
	err := s.tx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO assets (kit_id, name, created) VALUES (?, ?, ?)`, kit, name, now())
		if err != nil {
			return err
		}
		if id, err = res.LastInsertId(); err != nil {
			return err
		}
		return addRevision(ctx, tx, id, 1, main, files)
	})
	if err != nil {
		return Asset{}, err
	}
	return s.Asset(ctx, id)
}

// RenameAsset gives an asset another name.
func (s *Store) RenameAsset(ctx context.Context, id int64, name string) error {
	return one(s.db.ExecContext(ctx, `UPDATE assets SET name = ? WHERE id = ?`, name, id))
}

// RemoveAsset takes an asset out of its kit, or puts it back; nothing is deleted.
func (s *Store) RemoveAsset(ctx context.Context, id int64, removed bool) error {
	var at any
	if removed {
		at = now()
	}
	return one(s.db.ExecContext(ctx, `UPDATE assets SET removed = ? WHERE id = ?`, at, id))
}

// Prep is the prep in force.
func (s *Store) Prep(ctx context.Context, asset int64) (Prep, error) {
	var p Prep
	if err := s.db.QueryRowContext(ctx, `SELECT prep_at FROM assets WHERE id = ?`, asset).Scan(&p.Seq); err != nil {
		return p, missing(err)
	}
	if p.Seq > 0 {
		if err := s.db.QueryRowContext(ctx, `SELECT prep, label FROM preps WHERE asset_id = ? AND seq = ?`, asset, p.Seq).Scan(&p.JSON, &p.Label); err != nil {
			return p, fmt.Errorf("prep %d of asset %d: %w", p.Seq, asset, err)
		}
		p.Undo = p.Label
	}
	err := s.db.QueryRowContext(ctx, `SELECT label FROM preps WHERE asset_id = ? AND seq = ?`, asset, p.Seq+1).Scan(&p.Redo)
	if err != nil && missing(err) != ErrNotFound {
		return p, err
	}
	return p, nil
}

// SavePrep keeps a new prep after the one numbered base, which must still be in
// force. What had been undone after base makes way.
func (s *Store) SavePrep(ctx context.Context, asset int64, base int, prep []byte, label string) (int, error) {
	return base + 1, s.tx(ctx, func(tx *sql.Tx) error { return savePrep(ctx, tx, asset, base, prep, label) })
}

func savePrep(ctx context.Context, tx *sql.Tx, asset int64, base int, prep []byte, label string) error {
	var at int
	if err := tx.QueryRowContext(ctx, `SELECT prep_at FROM assets WHERE id = ?`, asset).Scan(&at); err != nil {
		return missing(err)
	}
	if at != base {
		return ErrStale
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM preps WHERE asset_id = ? AND seq > ?`, asset, base); err != nil {
		return err
	}
	if _, err := tx.ExecContext(ctx, `INSERT INTO preps (asset_id, seq, prep, label, created) VALUES (?, ?, ?, ?, ?)`, asset, base+1, prep, label, now()); err != nil {
		return err
	}
	return one(tx.ExecContext(ctx, `UPDATE assets SET prep_at = ? WHERE id = ?`, base+1, asset))
}

// MovePrep goes a step back (-1) or forward (+1) along the kept preps. At either
// end it changes nothing and returns false.
func (s *Store) MovePrep(ctx context.Context, asset int64, by int) (moved bool, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		var at int
		if err := tx.QueryRowContext(ctx, `SELECT prep_at FROM assets WHERE id = ?`, asset).Scan(&at); err != nil {
			return missing(err)
		}
		to := at + by
		if to < 0 {
			return nil
		}
		if to > 0 {
			var n int
			if err := tx.QueryRowContext(ctx, `SELECT count(*) FROM preps WHERE asset_id = ? AND seq = ?`, asset, to).Scan(&n); err != nil || n == 0 {
				return err
			}
		}
		moved = true
		return one(tx.ExecContext(ctx, `UPDATE assets SET prep_at = ? WHERE id = ?`, to, asset))
	})
	return moved, err
}

const exportColumns = `e.id, e.asset_id, a.name, e.revision, e.seq, e.prep, e.target, e.format, e.name, e.sha, e.size, e.packing, e.certificate, e.created`

func scanExport(row interface{ Scan(...any) error }) (Export, error) {
	var e Export
	var t, created string
	err := row.Scan(&e.ID, &e.AssetID, &e.AssetName, &e.Revision, &e.Seq, &e.Prep, &t, &e.Format, &e.Name, &e.SHA, &e.Size, &e.Packing, &e.Certificate, &created)
	if err != nil {
		return e, missing(err)
	}
	e.Created = when(created)
	return e, json.Unmarshal([]byte(t), &e.Target)
}

// AddExport keeps an export whose blob is already stored.
func (s *Store) AddExport(ctx context.Context, e Export) (int64, error) {
	t, err := json.Marshal(e.Target)
	if err != nil {
		return 0, err
	}
	res, err := s.db.ExecContext(ctx, `INSERT INTO exports (asset_id, revision, seq, prep, target, format, name, sha, size, packing, certificate, created)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`, e.AssetID, e.Revision, e.Seq, e.Prep, t, e.Format, e.Name, e.SHA, e.Size, e.Packing, e.Certificate, now())
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// Exports lists a kit's exports, the newest first; of one asset when asset is not 0.
func (s *Store) Exports(ctx context.Context, kit, asset int64) ([]Export, error) {
	return all(ctx, s.db, scanExport, `SELECT `+exportColumns+` FROM exports e JOIN assets a ON a.id = e.asset_id
		WHERE a.kit_id = ? AND (? = 0 OR a.id = ?) ORDER BY e.id DESC`, kit, asset, asset)
}

// Export finds one.
func (s *Store) Export(ctx context.Context, id int64) (Export, error) {
	return scanExport(s.db.QueryRowContext(ctx, `SELECT `+exportColumns+` FROM exports e JOIN assets a ON a.id = e.asset_id WHERE e.id = ?`, id))
}
