package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"fmt"
	"time"

	"yarvek/core/fault"
	"yarvek/core/target"
)

// Along is all of a kit that goes along when it is taken elsewhere: what it is, its presets, and of each asset that
// stands in it the revisions, the pictures that were added, and every decision. Exports stay where they were made: they
// are proofs of what left there. Files are named by their digests; their bytes are not in it.
type Along struct {
	Name    string          `json:"name"`
	Target  json.RawMessage `json:"target"` // of target.Target
	Grid    float64         `json:"grid,omitempty"`
	SlotMap json.RawMessage `json:"slotMap,omitempty"`
	Budget  json.RawMessage `json:"budget,omitempty"` // of what its assets may cost together
	Presets []AlongPreset   `json:"presets,omitempty"`
	Assets  []AlongAsset    `json:"assets"`
}

// AlongPreset is a preset of a kit.
type AlongPreset struct {
	Name     string          `json:"name"`
	Body     json.RawMessage `json:"body"` // of export.Decisions
	Standard bool            `json:"standard,omitempty"`
}

// Made says when something came about, and by whom.
type Made struct {
	At time.Time `json:"at"`
	By string    `json:"by,omitempty"`
}

// AlongAsset is an asset with its history.
type AlongAsset struct {
	Name      string          `json:"name"`
	Made      Made            `json:"made"`
	Revision  int             `json:"revision"` // the number of the one in force
	Step      int             `json:"step"`     // the number of the decision in force, 0 before any
	Revisions []AlongRevision `json:"revisions"`
	Steps     []AlongStep     `json:"steps,omitempty"` // the first has the number 1
	Pictures  []File          `json:"pictures,omitempty"`
}

// AlongRevision is a revision of an asset's source.
type AlongRevision struct {
	Number int    `json:"number"`
	Main   string `json:"main"`
	Made   Made   `json:"made"`
	Files  []File `json:"files"`
}

// AlongStep is a prep as it was kept, and what was decided by it.
type AlongStep struct {
	Prep  json.RawMessage `json:"prep"`
	Label string          `json:"label"`
	Made  Made            `json:"made"`
}

// Files are all that a kit's assets name, each digest once, in the order they are named.
func (a Along) Files() (list []File) {
	seen := map[string]bool{}
	take := func(files []File) {
		for _, f := range files {
			if !seen[f.SHA] {
				seen[f.SHA], list = true, append(list, f)
			}
		}
	}
	for _, x := range a.Assets {
		for _, r := range x.Revisions {
			take(r.Files)
		}
		take(x.Pictures)
	}
	return list
}

// TakeAlong gathers a kit as it stands at one moment. A damaged row is its *RowError: nothing is left out in silence.
func (s *Store) TakeAlong(ctx context.Context, kit int64) (out Along, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		k, err := kitOf(ctx, tx, kit)
		if err != nil {
			return err
		}
		out = Along{Name: k.Name, Grid: k.Grid, SlotMap: k.SlotMap}
		if out.Target, err = json.Marshal(k.Target); err != nil {
			return err
		}
		if out.Budget, err = budgetOf(ctx, tx, kit); err != nil {
			return err
		}
		presets, err := all(ctx, tx, scanPreset, `SELECT `+presetColumns+` FROM presets p WHERE p.kit_id = ? ORDER BY p.id`,
			kit)
		if err != nil {
			return err
		}
		for _, p := range presets {
			if p.Harm != nil {
				return p.Harm
			}
			out.Presets = append(out.Presets, AlongPreset{p.Name, p.Body, p.Standard})
		}
		list, err := all(ctx, tx, scanAsset, `SELECT `+assetColumns+` FROM assets a
			WHERE a.kit_id = ? AND a.removed IS NULL ORDER BY a.id`, kit)
		if err != nil {
			return err
		}
		out.Assets = make([]AlongAsset, len(list))
		for i, a := range list {
			if out.Assets[i], err = alongOf(ctx, tx, a); err != nil {
				return err
			}
		}
		return nil
	})
	return out, err
}

// alongOf gathers an asset.
func alongOf(ctx context.Context, tx *sql.Tx, a Asset) (out AlongAsset, err error) {
	if a.Harm != nil {
		return out, a.Harm
	}
	out = AlongAsset{Name: a.Name, Step: a.Seq}
	var at string
	err = tx.QueryRowContext(ctx, `SELECT a.created, a.signed, `+inForce+` FROM assets a WHERE a.id = ?`, a.ID).Scan(&at,
		&out.Made.By, &out.Revision)
	if err != nil {
		return out, err
	}
	out.Made.At = when(at)
	revisions, err := all(ctx, tx, scanRevision, `SELECT `+revisionColumns+` FROM revisions r
		WHERE r.asset_id = ? ORDER BY r.number`, a.ID)
	if err != nil {
		return out, err
	}
	for _, r := range revisions {
		if r.Harm != nil {
			return out, r.Harm
		}
		files, err := filesOf(ctx, tx, r.ID)
		if err != nil {
			return out, err
		}
		out.Revisions = append(out.Revisions, AlongRevision{r.Number, r.Main, Made{r.Created, r.By}, files})
	}
	if out.Steps, err = all(ctx, tx, func(row scanner) (x AlongStep, err error) {
		var sound bool
		var seq int
		var at string
		var prep []byte
		if err = row.Scan(&sound, &seq, &prep, &x.Label, &at, &x.Made.By); err != nil {
			return x, err
		}
		x.Prep, x.Made.At = prep, when(at)
		if !sound {
			err = broken("preps", fmt.Sprintf("decision %d of “%s”", seq, a.Name))
		}
		return x, err
	}, `SELECT `+held("preps", "p")+`, p.seq, p.prep, p.label, p.created, p.signed FROM preps p WHERE p.asset_id = ?
		ORDER BY p.seq`, a.ID); err != nil {
		return out, err
	}
	out.Pictures, err = all(ctx, tx, func(row scanner) (f File, err error) {
		var sound bool
		if err = row.Scan(&sound, &f.Name, &f.SHA, &f.Size); err == nil && !sound {
			err = broken("added_pictures", f.Name)
		}
		return f, err
	}, `SELECT `+held("added_pictures", "p")+`, p.name, p.sha, p.size FROM added_pictures p WHERE p.asset_id = ?
		ORDER BY p.created, p.sha`, a.ID)
	return out, err
}

// Check tells what can't be of a kit that was taken along, without its files: numbers that are not there, or that
// something is there twice.
func (a Along) Check() error {
	for _, x := range a.Assets {
		wrong := func(format string, args ...any) error {
			return fault.Input("“%s”: %s", fault.Shown(x.Name), fmt.Sprintf(format, args...))
		}
		there := false
		for i, r := range x.Revisions {
			if i > 0 && r.Number <= x.Revisions[i-1].Number || r.Number < 1 {
				return wrong("its revisions are not in their order")
			}
			there = there || r.Number == x.Revision
			names, main := map[string]bool{}, false
			for _, f := range r.Files {
				if names[f.Name] {
					return wrong("revision %d names %s twice", r.Number, fault.Shown(f.Name))
				}
				names[f.Name] = true
				main = main || f.Name == r.Main
			}
			if !main {
				return wrong("revision %d lacks its own mesh file", r.Number)
			}
		}
		if !there {
			return wrong("revision %d, which is to be in force, is not there", x.Revision)
		}
		if x.Step < 0 || x.Step > len(x.Steps) {
			return wrong("decision %d, which is to be in force, is not there", x.Step)
		}
	}
	return nil
}

// PutAlong makes a kit of one that was taken along, all of it or nothing. Its files are in the store already.
func (s *Store) PutAlong(ctx context.Context, a Along) (k Kit, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `INSERT INTO kits (name, target, created, signed, grid, slot_map)
			VALUES (?, ?, ?, ?, ?, ?)`, a.Name, string(a.Target), now(), By(ctx), a.Grid,
			cmp.Or(string(a.SlotMap), "[]"))
		if err != nil {
			return err
		}
		id, err := res.LastInsertId()
		if err != nil {
			return err
		}
		if err := adoptTarget(ctx, tx, a.Target); err != nil {
			return err
		}
		if a.Budget != nil {
			_, err := tx.ExecContext(ctx, `INSERT INTO budgets (kit_id, body, created, signed) VALUES (?, ?, ?, ?)`, id,
				string(a.Budget), now(), By(ctx))
			if err != nil {
				return err
			}
		}
		for _, p := range a.Presets {
			_, err := tx.ExecContext(ctx, `INSERT INTO presets (kit_id, name, folded, body, standard, created, signed)
				VALUES (?, ?, ?, ?, ?, ?, ?)`, id, p.Name, Folded(p.Name), string(p.Body), p.Standard, now(), By(ctx))
			if err != nil {
				return err
			}
		}
		for _, x := range a.Assets {
			if err := cmp.Or(ctx.Err(), putAsset(ctx, tx, id, x)); err != nil {
				return err
			}
		}
		k, err = kitOf(ctx, tx, id)
		return err
	})
	return k, err
}

// adoptTarget lists a target that came with a kit, where it is nobody's here: one of the house's own whose ID is
// not known. One whose ID is known stays as it is, whatever it says; the kit has its own copy.
func adoptTarget(ctx context.Context, tx *sql.Tx, body []byte) error {
	t, err := target.Kept(body)
	if err != nil {
		return err
	}
	var known bool
	err = tx.QueryRowContext(ctx, `SELECT count(*) > 0 FROM targets WHERE id = ?`, t.ID).Scan(&known)
	if _, shipped := target.ByID(t.ID); err != nil || shipped || known {
		return err
	}
	if _, err := tx.ExecContext(ctx, `INSERT INTO targets (id) VALUES (?)`, t.ID); err != nil {
		return err
	}
	_, err = tx.ExecContext(ctx, `INSERT INTO target_revisions (target, number, body, created, signed)
		VALUES (?, ?, ?, ?, ?)`, t.ID, t.Revision, string(t.JSON()), now(), By(ctx))
	return err
}

// putAsset makes an asset of a kit with all its history.
func putAsset(ctx context.Context, tx *sql.Tx, kit int64, x AlongAsset) error {
	res, err := tx.ExecContext(ctx, `INSERT INTO assets (kit_id, name, prep_at, revision, created, signed)
		VALUES (?, ?, ?, ?, ?, ?)`, kit, x.Name, x.Step, x.Revision, x.Made.At.UTC().Format(stamp), x.Made.By)
	if err != nil {
		return err
	}
	id, err := res.LastInsertId()
	if err != nil {
		return err
	}
	for _, r := range x.Revisions {
		if err := insertRevision(ctx, tx, id, r); err != nil {
			return err
		}
	}
	for i, st := range x.Steps {
		_, err := tx.ExecContext(ctx, `INSERT INTO preps (asset_id, seq, prep, label, created, signed)
			VALUES (?, ?, ?, ?, ?, ?)`, id, i+1, string(st.Prep), st.Label, st.Made.At.UTC().Format(stamp), st.Made.By)
		if err != nil {
			return err
		}
	}
	for i, f := range x.Pictures {
		// A nanosecond apart, since they stand in the order they were added.
		_, err := tx.ExecContext(ctx, `INSERT INTO added_pictures (asset_id, sha, name, size, created, signed)
			VALUES (?, ?, ?, ?, ?, ?)`, id, f.SHA, f.Name, f.Size,
			time.Now().Add(time.Duration(i)).UTC().Format(stamp), By(ctx))
		if err != nil {
			return err
		}
	}
	return nil
}

// DuplicateAssets makes another of each of a kit's assets, called as name says, with its revisions and its history; all
// or none. It gives their numbers. Files are kept once, so that the kit holds no more than before.
func (s *Store) DuplicateAssets(ctx context.Context, kit int64, assets []int64,
	name func(string) (string, error)) (list []int64, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		for _, id := range assets {
			a, err := openAssetOf(ctx, tx, kit, id)
			if err != nil {
				return err
			}
			x, err := alongOf(ctx, tx, a)
			if err != nil {
				return err
			}
			if x.Name, err = name(a.Name); err != nil {
				return err
			}
			x.Made = Made{time.Now(), By(ctx)}
			if err := putAsset(ctx, tx, kit, x); err != nil {
				return err
			}
			var n int64
			err = tx.QueryRowContext(ctx, `SELECT max(id) FROM assets WHERE kit_id = ?`, kit).Scan(&n)
			if err != nil {
				return err
			}
			list = append(list, n)
		}
		return nil
	})
	return list, err
}

// RemoveAssets takes assets out of their kit; all or none. Nothing is deleted.
func (s *Store) RemoveAssets(ctx context.Context, kit int64, assets []int64) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		for _, id := range assets {
			if _, err := openAssetOf(ctx, tx, kit, id); err != nil {
				return err
			}
			if _, err := removeAsset(ctx, tx, id, true); err != nil {
				return err
			}
		}
		return nil
	})
}

// openAssetOf is an asset that stands in a kit; any other is ErrNotFound.
func openAssetOf(ctx context.Context, tx *sql.Tx, kit, id int64) (Asset, error) {
	a, err := openAsset(ctx, tx, id)
	if err == nil && a.KitID != kit {
		err = ErrNotFound
	}
	return a, err
}

// MoveAssets puts assets into another kit, with all that belongs to them; all or none. One that is not of the kit they
// are said to be of is ErrNotFound. most bounds the bytes of the kit they go to, 0 for any number.
func (s *Store) MoveAssets(ctx context.Context, from, to int64, assets []int64, most int64) error {
	if from == to {
		return fault.Input("they are in that kit already")
	}
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := openKit(ctx, tx, to); err != nil {
			return err
		}
		for _, id := range assets {
			if _, err := openAssetOf(ctx, tx, from, id); err != nil {
				return err
			}
			err := one(tx.ExecContext(ctx, `UPDATE assets SET kit_id = ?, changes = changes + 1, signed = ? WHERE id = ?`, to,
				By(ctx), id))
			if err != nil {
				return err
			}
		}
		_, err := tx.ExecContext(ctx, `UPDATE kits SET moved = moved + 1 WHERE id = ?`, from)
		return cmp.Or(err, roomIn(ctx, tx, to, most))
	})
}
