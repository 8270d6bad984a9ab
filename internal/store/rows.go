package store

import (
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"

	"yarvek/core/target"
)

const kitColumns = `k.id, k.name, k.target, k.grid, k.slot_map, k.created,
	(SELECT count(*) FROM assets a WHERE a.kit_id = k.id AND a.removed IS NULL)`

// scanKit reads a row of the columns of kits.
func scanKit(row interface{ Scan(...any) error }) (Kit, error) {
	var k Kit
	var t, created string
	if err := row.Scan(&k.ID, &k.Name, &t, &k.Grid, &k.SlotMap, &created, &k.Assets); err != nil {
		return k, missing(err)
	}
	k.Created = when(created)
	var err error
	k.Target, err = target.Kept([]byte(t))
	return k, err
}

// all collects the rows of a query.
func all[T any](ctx context.Context, db queries, scan func(interface{ Scan(...any) error }) (T, error), query string,
	args ...any) ([]T,
	error) {
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

// Kits lists all kits, the newest first; removed ones instead when asked.
func (s *Store) Kits(ctx context.Context, removed bool) ([]Kit, error) {
	is := "IS NULL"
	if removed {
		is = "IS NOT NULL"
	}
	return all(ctx, s.db, scanKit, `SELECT `+kitColumns+` FROM kits k WHERE k.removed `+is+` ORDER BY k.id DESC`)
}

// RemoveKit takes a kit off the list, or puts it back; nothing is deleted.
func (s *Store) RemoveKit(ctx context.Context, id int64, removed bool) error {
	var at any
	if removed {
		at = now()
	}
	return one(s.db.ExecContext(ctx, `UPDATE kits SET removed = ?, signed = ? WHERE id = ?`, at, By(ctx), id))
}

// Kit finds one.
func (s *Store) Kit(ctx context.Context, id int64) (Kit, error) { return kitOf(ctx, s.db, id) }

// kitOf is a kit, ErrNotFound when there is none.
func kitOf(ctx context.Context, db queries, id int64) (Kit, error) {
	return scanKit(db.QueryRowContext(ctx, `SELECT `+kitColumns+` FROM kits k WHERE k.id = ?`, id))
}

// NewKit makes a kit.
func (s *Store) NewKit(ctx context.Context, name string, t target.Target) (Kit, error) {
	b, err := json.Marshal(t)
	if err != nil {
		return Kit{}, err
	}
	res, err := s.db.ExecContext(ctx, `INSERT INTO kits (name, target, created, signed) VALUES (?, ?, ?, ?)`, name, b,
		now(), By(ctx))
	if err != nil {
		return Kit{}, err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return Kit{}, err
	}
	return s.Kit(ctx, id)
}

// RenameKit gives a kit another name.
func (s *Store) RenameKit(ctx context.Context, id int64, name string) error {
	return one(s.db.ExecContext(ctx, `UPDATE kits SET name = ?, signed = ? WHERE id = ?`, name, By(ctx), id))
}

// SetTarget gives a kit another target.
func (s *Store) SetTarget(ctx context.Context, id int64, t target.Target) error {
	b, err := json.Marshal(t)
	if err != nil {
		return err
	}
	return one(s.db.ExecContext(ctx, `UPDATE kits SET target = ?, signed = ? WHERE id = ?`, b, By(ctx), id))
}

// SetGrid gives a kit the module of its pieces in metres, 0 for none.
func (s *Store) SetGrid(ctx context.Context, id int64, metres float64) error {
	return one(s.db.ExecContext(ctx, `UPDATE kits SET grid = ?, signed = ? WHERE id = ?`, metres, By(ctx), id))
}

// SetSlotMap gives a kit its map of slot names, as JSON.
func (s *Store) SetSlotMap(ctx context.Context, id int64, lines []byte) error {
	return one(s.db.ExecContext(ctx, `UPDATE kits SET slot_map = ?, signed = ? WHERE id = ?`, lines, By(ctx), id))
}

// AddPictures keeps pictures that were added to an asset's materials; one that is there already stays as
// it is called.
func (s *Store) AddPictures(ctx context.Context, asset int64, files []File) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := assetOf(ctx, tx, asset); err != nil {
			return err
		}
		for _, f := range files {
			if _, err := tx.ExecContext(ctx, `INSERT OR IGNORE INTO added_pictures (asset_id, sha, name, size, created, signed)
				VALUES (?, ?, ?, ?, ?, ?)`, asset, f.SHA, f.Name, f.Size, now(), By(ctx)); err != nil {
				return err
			}
		}
		return nil
	})
}

// addedTo lists the pictures that were added to an asset, in the order they came.
func addedTo(ctx context.Context, tx queries, asset int64) ([]File, error) {
	return all(ctx, tx, func(row interface{ Scan(...any) error }) (f File, err error) {
		err = row.Scan(&f.Name, &f.SHA, &f.Size)
		return f, err
	}, `SELECT name, sha, size FROM added_pictures WHERE asset_id = ? ORDER BY created, sha`, asset)
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

const assetColumns = `id, kit_id, name, prep_at, changes, created`

// scanAsset reads a row of the columns of assets.
func scanAsset(row interface{ Scan(...any) error }) (Asset, error) {
	var a Asset
	var created string
	err := row.Scan(&a.ID, &a.KitID, &a.Name, &a.Seq, &a.Changes, &created)
	a.Created = when(created)
	return a, missing(err)
}

// Assets lists a kit's assets in the order they came; removed ones instead when asked.
func (s *Store) Assets(ctx context.Context, kit int64, removed bool) ([]Asset, error) {
	is := "IS NULL"
	if removed {
		is = "IS NOT NULL"
	}
	return all(ctx, s.db, scanAsset, assetsOfKit+is+` ORDER BY id`, kit)
}

const assetsOfKit = `SELECT ` + assetColumns + ` FROM assets WHERE kit_id = ? AND removed `

// Asset finds one.
func (s *Store) Asset(ctx context.Context, id int64) (Asset, error) { return assetOf(ctx, s.db, id) }

// assetOf is an asset, removed or not, ErrNotFound when there is none.
func assetOf(ctx context.Context, db queries, id int64) (Asset, error) {
	return scanAsset(db.QueryRowContext(ctx, `SELECT `+assetColumns+` FROM assets WHERE id = ?`, id))
}

// State is an asset with its kit, the revision and the prep in force.
func (s *Store) State(ctx context.Context, asset int64) (st State, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		st, err = stateOf(ctx, tx, asset)
		return err
	})
	return st, err
}

// States are those of all assets of a kit, in the order they came, all of one moment.
func (s *Store) States(ctx context.Context, kit int64) (list []State, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		assets, err := all(ctx, tx, scanAsset, assetsOfKit+`IS NULL ORDER BY id`, kit)
		if err != nil {
			return err
		}
		for _, a := range assets {
			st, err := stateOf(ctx, tx, a.ID)
			if err != nil {
				return err
			}
			list = append(list, st)
		}
		return nil
	})
	return list, err
}

// stateOf reads what belongs together of an asset: it is of one moment only inside a
// transaction.
func stateOf(ctx context.Context, tx queries, asset int64) (st State, err error) {
	if st.Asset, err = assetOf(ctx, tx, asset); err != nil {
		return st, err
	}
	if st.Kit, err = kitOf(ctx, tx, st.Asset.KitID); err != nil {
		return st, err
	}
	if st.Revision, err = currentOf(ctx, tx, asset); err != nil {
		return st, err
	}
	if st.Step, err = stepOf(ctx, tx, asset); err != nil {
		return st, err
	}
	st.Added, err = addedTo(ctx, tx, asset)
	return st, err
}

// NewAsset makes an asset with its first revision.
func (s *Store) NewAsset(ctx context.Context, kit int64, name, main string, files []File) (Asset, error) {
	var id int64
	err := s.tx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO assets (kit_id, name, created, signed) VALUES (?, ?, ?, ?)`, kit, name,
			now(),
			By(ctx))
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
	return one(s.db.ExecContext(ctx, `UPDATE assets SET name = ?, signed = ? WHERE id = ?`, name, By(ctx), id))
}

// RemoveAsset takes an asset out of its kit, or puts it back; nothing is deleted.
func (s *Store) RemoveAsset(ctx context.Context, id int64, removed bool) error {
	var at any
	if removed {
		at = now()
	}
	return one(s.db.ExecContext(ctx, `UPDATE assets SET removed = ?, signed = ? WHERE id = ?`, at, By(ctx), id))
}

// Step is where an asset is in its history.
func (s *Store) Step(ctx context.Context, asset int64) (st Step, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		st, err = stepOf(ctx, tx, asset)
		return err
	})
	return st, err
}

// stepOf is the step in force with the labels of the steps beside it.
func stepOf(ctx context.Context, tx queries, asset int64) (Step, error) {
	var p Step
	if err := tx.QueryRowContext(ctx, `SELECT prep_at FROM assets WHERE id = ?`, asset).Scan(&p.Seq); err != nil {
		return p, missing(err)
	}
	if p.Seq > 0 {
		err := tx.QueryRowContext(ctx, `SELECT prep, label, signed FROM preps WHERE asset_id = ? AND seq = ?`, asset, p.Seq).
			Scan(&p.JSON, &p.Label, &p.By)
		if err != nil {
			return p, fmt.Errorf("prep %d of asset %d: %w", p.Seq, asset, err)
		}
		p.Undo = p.Label
	}
	err := tx.QueryRowContext(ctx, `SELECT label FROM preps WHERE asset_id = ? AND seq = ?`, asset, p.Seq+1).Scan(&p.Redo)
	if err != nil && missing(err) != ErrNotFound {
		return p, err
	}
	return p, nil
}

// change checks that an asset has been changed as often as base says, and counts one
// change more: a change and its check are one step, whoever else is at it.
func change(ctx context.Context, tx *sql.Tx, asset int64, base int) error {
	res, err := tx.ExecContext(ctx, `UPDATE assets SET changes = changes + 1, signed = ? WHERE id = ? AND changes = ?`,
		By(ctx), asset,
		base)
	if err = one(res, err); err != ErrNotFound {
		return err
	}
	if _, err := assetOf(ctx, tx, asset); err != nil {
		return err
	}
	return ErrStale
}

// SavePrep keeps a new prep after the one in force. base is the count of changes the
// decision was made at. What had been undone makes way.
func (s *Store) SavePrep(ctx context.Context, asset int64, base int, prep []byte, label string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := change(ctx, tx, asset, base); err != nil {
			return err
		}
		return savePrep(ctx, tx, asset, prep, label)
	})
}

// savePrep appends a step after the one in force, drops those that were undone, and
// counts the change.
func savePrep(ctx context.Context, tx *sql.Tx, asset int64, prep []byte, label string) error {
	var at int
	if err := tx.QueryRowContext(ctx, `SELECT prep_at FROM assets WHERE id = ?`, asset).Scan(&at); err != nil {
		return missing(err)
	}
	if _, err := tx.ExecContext(ctx, `DELETE FROM preps WHERE asset_id = ? AND seq > ?`, asset, at); err != nil {
		return err
	}
	_, err := tx.ExecContext(ctx,
		`INSERT INTO preps (asset_id, seq, prep, label, created, signed) VALUES (?, ?, ?, ?, ?, ?)`, asset,
		at+1, prep, label, now(), By(ctx))
	if err != nil {
		return err
	}
	return one(tx.ExecContext(ctx, `UPDATE assets SET prep_at = ? WHERE id = ?`, at+1, asset))
}

// MovePrep goes a step back (-1) or forward (+1) along the kept preps. base is the count
// of changes the page showed. At either end it changes nothing and returns false.
func (s *Store) MovePrep(ctx context.Context, asset int64, base, by int) (moved bool, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		if err := change(ctx, tx, asset, base); err != nil {
			return err
		}
		var at int
		if err := tx.QueryRowContext(ctx, `SELECT prep_at FROM assets WHERE id = ?`, asset).Scan(&at); err != nil {
			return missing(err)
		}
		to := at + by
		there := to == 0
		if to > 0 {
			err := tx.QueryRowContext(ctx, `SELECT count(*) FROM preps WHERE asset_id = ? AND seq = ?`, asset, to).Scan(&there)
			if err != nil {
				return err
			}
		}
		if !there {
			return errNowhere // the count of changes stays too
		}
		return one(tx.ExecContext(ctx, `UPDATE assets SET prep_at = ? WHERE id = ?`, to, asset))
	})
	if err == errNowhere {
		return false, nil
	}
	return err == nil, err
}

// errNowhere takes back a transaction that would have changed nothing.
var errNowhere = errors.New("there is nothing to move to")

const exportColumns = `e.id, e.asset_id, a.name, e.revision, e.seq, e.prep, e.target, e.format, e.name, e.sha, e.size,
	e.packing, e.certificate, e.created, e.signed`

// scanExport reads a row of the columns of exports.
func scanExport(row interface{ Scan(...any) error }) (Export, error) {
	var e Export
	var t, created string
	err := row.Scan(&e.ID, &e.AssetID, &e.AssetName, &e.Revision, &e.Seq, &e.Prep, &t, &e.Format, &e.Name, &e.SHA, &e.Size,
		&e.Packing, &e.Certificate, &created, &e.By)
	if err != nil {
		return e, missing(err)
	}
	e.Created = when(created)
	e.Target, err = target.Kept([]byte(t))
	return e, err
}

// AddExport keeps an export whose blob is already stored.
func (s *Store) AddExport(ctx context.Context, e Export) (int64, error) {
	t, err := json.Marshal(e.Target)
	if err != nil {
		return 0, err
	}
	res, err := s.db.ExecContext(ctx, `INSERT INTO exports
		(asset_id, revision, seq, prep, target, format, name, sha, size, packing, certificate, created, signed)
		VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		e.AssetID, e.Revision, e.Seq, e.Prep, t, e.Format, e.Name, e.SHA, e.Size, e.Packing, e.Certificate, now(), By(ctx))
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
	return scanExport(s.db.QueryRowContext(ctx,
		`SELECT `+exportColumns+` FROM exports e JOIN assets a ON a.id = e.asset_id WHERE e.id = ?`, id))
}
