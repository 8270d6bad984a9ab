package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"fmt"
	"strings"

	"yarvek/core/fault"
	"yarvek/core/target"
)

// scanner is a row of a query.
type scanner interface{ Scan(...any) error }

// all collects the rows of a query. A row that is damaged is one of them: the scan puts that into its value.
func all[T any](ctx context.Context, db queries, scan func(scanner) (T, error), query string, args ...any) ([]T,
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

// harm judges a row that was scanned, whether it held its seal first and its key second: it tells the harm of
// a row that is not as it was kept, and an error that is none of the row's own.
func harm(err error, table string, sound bool, key string) (harmed, failed error) {
	switch {
	case err == nil && sound:
		return nil, nil
	case err == nil, strings.Contains(err.Error(), "sql: Scan error"): // a column holds another type than was kept
		return broken(table, key), nil
	}
	return nil, missing(err)
}

// kitColumns are those of a kit, by the name its table goes by; the first tells whether it is sound.
var kitColumns = held("kits",
	"k") + `, k.id, k.id, k.name, k.target, k.grid, k.slot_map, k.created, k.removed IS NOT NULL,
	k.moved, (SELECT count(*) FROM assets a WHERE a.kit_id = k.id AND a.removed IS NULL)`

// scanKit reads a row of the columns of kits.
func scanKit(row scanner) (k Kit, err error) {
	var sound bool
	var key, t, created string
	err = row.Scan(&sound, &key, &k.ID, &k.Name, &t, &k.Grid, &k.SlotMap, &created, &k.Removed, &k.Moved, &k.Assets)
	k.Created = when(created)
	if k.Harm, err = harm(err, "kits", sound, key); err == nil && k.Harm == nil {
		if k.Target, err = target.Kept([]byte(t)); err != nil {
			k.Harm, err = fmt.Errorf("the target of kit %s can't be read: %w", key, err), nil
		}
	}
	return k, err
}

// Kits lists all kits, the newest first; removed ones instead when asked. One that is damaged is there with its Harm.
func (s *Store) Kits(ctx context.Context, removed bool) ([]Kit, error) {
	return all(ctx, s.db, scanKit,
		`SELECT `+kitColumns+` FROM kits k WHERE (k.removed IS NOT NULL) = ? ORDER BY k.id DESC`,
		removed)
}

// RemoveKit takes a kit off the list, or puts it back; nothing is deleted.
func (s *Store) RemoveKit(ctx context.Context, id int64, removed bool) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		k, err := kitOf(ctx, tx, id)
		if err != nil || k.Removed == removed {
			return err
		}
		at, did := any(nil), PutBack
		if removed {
			at, did = now(), Removed
		}
		if err := one(tx.ExecContext(ctx, `UPDATE kits SET removed = ?, signed = ? WHERE id = ?`, at, By(ctx),
			id)); err != nil {
			return err
		}
		return noteIn(ctx, tx, did, "kit “"+k.Name+"”")
	})
}

// Kit finds one, removed or not.
func (s *Store) Kit(ctx context.Context, id int64) (Kit, error) { return kitOf(ctx, s.db, id) }

// kitOf is a kit, ErrNotFound when there is none and a *RowError when it is damaged.
func kitOf(ctx context.Context, db queries, id int64) (Kit, error) {
	k, err := scanKit(db.QueryRowContext(ctx, `SELECT `+kitColumns+` FROM kits k WHERE k.id = ?`, id))
	return k, cmp.Or(err, k.Harm)
}

// openKit is a kit that was not taken off the list; the error is ErrRemoved for one that was.
func openKit(ctx context.Context, db queries, id int64) (Kit, error) {
	k, err := kitOf(ctx, db, id)
	if err == nil && k.Removed {
		err = fault.From(fault.Missing, fmt.Errorf("the kit “%s” %w, so nothing was changed; put it back first", k.Name,
			ErrRemoved))
	}
	return k, err
}

// NewKit makes a kit.
func (s *Store) NewKit(ctx context.Context, name string, t target.Target) (k Kit, err error) {
	b, err := json.Marshal(t)
	if err != nil {
		return Kit{}, err
	}
	err = s.tx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO kits (name, target, created, signed) VALUES (?, ?, ?, ?)`, name,
			string(b), now(), By(ctx))
		if err != nil {
			return err
		}
		id, err := res.LastInsertId()
		if err != nil {
			return err
		}
		k, err = kitOf(ctx, tx, id)
		return err
	})
	return k, err
}

// RenameKit gives a kit another name; was is the one the page showed, and the error ErrStale when it has another by
// now.
func (s *Store) RenameKit(ctx context.Context, id int64, was, name string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		k, err := kitOf(ctx, tx, id)
		if err != nil {
			return err
		}
		if k.Name != was {
			return ErrStale
		}
		return one(tx.ExecContext(ctx, `UPDATE kits SET name = ?, signed = ? WHERE id = ?`, name, By(ctx), id))
	})
}

// SetTarget gives a kit another target.
func (s *Store) SetTarget(ctx context.Context, id int64, t target.Target) error {
	b, err := json.Marshal(t)
	if err != nil {
		return err
	}
	return s.setKit(ctx, id, "target", string(b))
}

// SetGrid gives a kit the module of its pieces in metres, 0 for none.
func (s *Store) SetGrid(ctx context.Context, id int64, metres float64) error {
	return s.setKit(ctx, id, "grid", metres)
}

// SetSlotMap gives a kit its map of slot names, as JSON.
func (s *Store) SetSlotMap(ctx context.Context, id int64, lines []byte) error {
	return s.setKit(ctx, id, "slot_map", string(lines))
}

// setKit changes one column of a kit.
func (s *Store) setKit(ctx context.Context, id int64, column string, v any) error {
	return one(s.db.ExecContext(ctx, `UPDATE kits SET `+column+` = ?, signed = ? WHERE id = ?`, v, By(ctx), id))
}

// AddPictures keeps pictures that were added to an asset's materials; one that is there already stays as
// it is called.
func (s *Store) AddPictures(ctx context.Context, asset int64, files []File) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := openAsset(ctx, tx, asset); err != nil {
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

// one makes sure that a row was changed.
func one(res sql.Result, err error) error {
	if err != nil {
		return brokenSeal(err)
	}
	if n, err := res.RowsAffected(); err == nil && n == 0 {
		return ErrNotFound
	}
	return nil
}

// assetColumns are those of an asset, by the name its table goes by; the first tells whether it is sound.
var assetColumns = held("assets", "a") + `, a.id, a.id, a.kit_id, a.name, a.prep_at, a.changes, a.created,
	a.removed IS NOT NULL`

// into are where a row of the columns of assets goes.
func (a *Asset) into(sound *bool, key, created *string) []any {
	return []any{sound, key, &a.ID, &a.KitID, &a.Name, &a.Seq, &a.Changes, created, &a.Removed}
}

// scanAsset reads a row of the columns of assets.
func scanAsset(row scanner) (a Asset, err error) {
	var sound bool
	var key, created string
	err = row.Scan(a.into(&sound, &key, &created)...)
	a.Created = when(created)
	a.Harm, err = harm(err, "assets", sound, key)
	return a, err
}

// Assets lists a kit's assets in the order they came; removed ones instead when asked. One that is damaged is there
// with its Harm.
func (s *Store) Assets(ctx context.Context, kit int64, removed bool) ([]Asset, error) {
	return all(ctx, s.db, scanAsset, `SELECT `+assetColumns+` FROM assets a
		WHERE a.kit_id = ? AND (a.removed IS NOT NULL) = ? ORDER BY a.id`, kit, removed)
}

// Asset finds one.
func (s *Store) Asset(ctx context.Context, id int64) (Asset, error) { return assetOf(ctx, s.db, id) }

// assetOf is an asset, removed or not; ErrNotFound when there is none, and a *RowError when it is damaged.
func assetOf(ctx context.Context, db queries, id int64) (Asset, error) {
	a, err := scanAsset(db.QueryRowContext(ctx, `SELECT `+assetColumns+` FROM assets a WHERE a.id = ?`, id))
	return a, cmp.Or(err, a.Harm)
}

// openAsset is an asset that stands in a kit on the list; the error is ErrRemoved for any other.
func openAsset(ctx context.Context, db queries, id int64) (Asset, error) {
	a, err := assetOf(ctx, db, id)
	if err != nil {
		return a, err
	}
	if a.Removed {
		return a, fault.From(fault.Missing, fmt.Errorf("“%s” %w, so nothing was changed; put it back first", a.Name,
			ErrRemoved))
	}
	_, err = openKit(ctx, db, a.KitID)
	return a, err
}

// NewAsset makes an asset with its first revision.
func (s *Store) NewAsset(ctx context.Context, kit int64, name, main string, files []File) (a Asset, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := openKit(ctx, tx, kit); err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, `INSERT INTO assets (kit_id, name, created, signed) VALUES (?, ?, ?, ?)`, kit, name,
			now(), By(ctx))
		if err != nil {
			return err
		}
		id, err := res.LastInsertId()
		if err != nil {
			return err
		}
		if err := addRevision(ctx, tx, id, 1, main, files); err != nil {
			return err
		}
		a, err = assetOf(ctx, tx, id)
		return err
	})
	return a, err
}

// RenameAsset gives an asset another name.
func (s *Store) RenameAsset(ctx context.Context, id int64, name string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := openAsset(ctx, tx, id); err != nil {
			return err
		}
		return one(tx.ExecContext(ctx, `UPDATE assets SET name = ?, signed = ? WHERE id = ?`, name, By(ctx), id))
	})
}

// RemoveAsset takes an asset out of its kit, or puts it back, and tells which kit that is; nothing is deleted.
func (s *Store) RemoveAsset(ctx context.Context, id int64, removed bool) (kit int64, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		kit, err = removeAsset(ctx, tx, id, removed)
		return err
	})
	return kit, err
}

// removeAsset is RemoveAsset within a transaction.
func removeAsset(ctx context.Context, tx *sql.Tx, id int64, removed bool) (kit int64, err error) {
	a, err := assetOf(ctx, tx, id)
	if err != nil || a.Removed == removed {
		return a.KitID, err
	}
	at, did := any(nil), PutBack
	if removed {
		at, did = now(), Removed
	}
	if err := one(tx.ExecContext(ctx, `UPDATE assets SET removed = ?, signed = ? WHERE id = ?`, at, By(ctx),
		id)); err != nil {
		return a.KitID, err
	}
	return a.KitID, noteIn(ctx, tx, did, "asset “"+a.Name+"”")
}

// change checks that an asset has been changed as often as base says, and counts one
// change more: a change and its check are one step, whoever else is at it.
func change(ctx context.Context, tx *sql.Tx, asset int64, base int) error {
	if _, err := openAsset(ctx, tx, asset); err != nil {
		return err
	}
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
		at+1, string(prep), label, now(), By(ctx))
	if err != nil {
		return err
	}
	return one(tx.ExecContext(ctx, `UPDATE assets SET prep_at = ? WHERE id = ?`, at+1, asset))
}

// MovePrep goes a step back (-1) or forward (+1) along the kept preps. base is the count
// of changes the page showed. At either end it changes nothing and returns false.
func (s *Store) MovePrep(ctx context.Context, asset int64, base, by int) (moved bool, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error { return movePrep(ctx, tx, asset, base, by) })
	if err == errNowhere {
		return false, nil
	}
	return err == nil, err
}

// movePrep is MovePrep within a transaction; where it can't be moved nothing is written.
func movePrep(ctx context.Context, tx *sql.Tx, asset int64, base, by int) error {
	if _, err := openAsset(ctx, tx, asset); err != nil {
		return err
	}
	var at, changes int
	err := tx.QueryRowContext(ctx, `SELECT prep_at, changes FROM assets WHERE id = ?`, asset).Scan(&at, &changes)
	if err != nil {
		return missing(err)
	}
	if changes != base {
		return ErrStale
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
		return errNowhere
	}
	if err := change(ctx, tx, asset, base); err != nil {
		return err
	}
	return one(tx.ExecContext(ctx, `UPDATE assets SET prep_at = ? WHERE id = ?`, to, asset))
}

// errNowhere says that there is nothing to go to.
var errNowhere = errors.New("there is nothing to move to")
