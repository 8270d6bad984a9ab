package store

import (
	"cmp"
	"context"
	"database/sql"
	"fmt"
	"strings"
)

// State is an asset with its kit, the revision and the prep in force; a damaged row among them is its *RowError.
func (s *Store) State(ctx context.Context, asset int64) (st State, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		st, err = stateOf(ctx, tx, asset)
		return err
	})
	return st, err
}

// stateOf is State within a transaction.
func stateOf(ctx context.Context, tx *sql.Tx, asset int64) (State, error) {
	list, err := states(ctx, tx, `a.id = ?`, asset)
	switch {
	case err != nil:
		return State{}, err
	case len(list) == 0:
		return State{}, ErrNotFound
	}
	return list[0], list[0].Harm
}

// Overview is a kit with the states of all its assets in the order they came, and the last export of each that has
// one, all of one moment. States of damaged rows are there with their Harm.
func (s *Store) Overview(ctx context.Context, kit int64) (k Kit, list []State, last map[int64]Export, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		if k, err = kitOf(ctx, tx, kit); err != nil {
			return err
		}
		if list, err = states(ctx, tx, `a.kit_id = ? AND a.removed IS NULL`, kit); err != nil {
			return err
		}
		last, err = lastExports(ctx, tx, kit)
		return err
	})
	return k, list, last, err
}

// States are those of all assets of a kit; see Overview.
func (s *Store) States(ctx context.Context, kit int64) (list []State, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		list, err = states(ctx, tx, `a.kit_id = ? AND a.removed IS NULL`, kit)
		return err
	})
	return list, err
}

// inForce is the number of the revision in force of an asset a.
const inForce = `coalesce(a.revision, (SELECT max(m.number) FROM revisions m WHERE m.asset_id = a.id))`

// stateQuery is for assets with their revisions and steps in force, each with whether it is sound.
var stateQuery = `SELECT ` + assetColumns + `,
	` + held("revisions", "r") + `, r.id, r.number, r.main, r.created, r.signed,
	` + held("preps", "p") + `, p.seq, p.prep, p.label, p.signed, n.label
	FROM assets a
	LEFT JOIN revisions r ON r.asset_id = a.id AND r.number = ` + inForce + `
	LEFT JOIN preps p ON p.asset_id = a.id AND p.seq = a.prep_at
	LEFT JOIN preps n ON n.asset_id = a.id AND n.seq = a.prep_at + 1
	WHERE `

// states reads what belongs together of some assets, in as many queries however many they are.
func states(ctx context.Context, tx *sql.Tx, which string, arg int64) ([]State, error) {
	kits := map[int64]Kit{}
	list, err := all(ctx, tx, scanState, stateQuery+which+` ORDER BY a.id`, arg)
	if err != nil {
		return nil, err
	}
	at := make(map[int64]*State, len(list))
	for i := range list {
		st := &list[i]
		at[st.Asset.ID] = st
		k, ok := kits[st.Asset.KitID]
		if !ok {
			k, err = kitOf(ctx, tx, st.Asset.KitID)
			if err != nil && k.Harm == nil {
				return nil, err
			}
			kits[st.Asset.KitID] = k
		}
		st.Kit, st.Harm = k, cmp.Or(st.Harm, k.Harm)
	}
	type owned struct {
		asset int64
		File
	}
	scan := func(row scanner) (f owned, err error) { return f, row.Scan(&f.asset, &f.Name, &f.SHA, &f.Size) }
	files, err := all(ctx, tx, scan, `SELECT a.id, f.name, f.sha, f.size FROM assets a
		JOIN revisions r ON r.asset_id = a.id AND r.number = `+inForce+`
		JOIN revision_files f ON f.revision_id = r.id WHERE `+which+` ORDER BY a.id, f.name`, arg)
	if err != nil {
		return nil, err
	}
	for _, f := range files {
		at[f.asset].Revision.Files = append(at[f.asset].Revision.Files, f.File)
	}
	type added struct {
		owned
		harm error
	}
	pictures, err := all(ctx, tx, func(row scanner) (f added, err error) {
		var sound bool
		err = row.Scan(&sound, &f.asset, &f.Name, &f.SHA, &f.Size)
		f.harm, err = harm(err, "added_pictures", sound, f.SHA)
		return f, err
	}, `SELECT `+held("added_pictures", "p")+`, p.asset_id, p.name, p.sha, p.size
		FROM assets a JOIN added_pictures p ON p.asset_id = a.id WHERE `+which+` ORDER BY a.id, p.created, p.sha`, arg)
	if err != nil {
		return nil, err
	}
	for _, f := range pictures {
		if st := at[f.asset]; st != nil {
			st.Added, st.Harm = append(st.Added, f.File), cmp.Or(st.Harm, f.harm)
		}
	}
	return list, nil
}

// scanState reads a row of stateQuery.
func scanState(row scanner) (st State, err error) {
	var sound bool
	var key, created string
	var revision, step struct {
		sound            sql.NullBool
		id, number       sql.NullInt64
		main, at, signed sql.NullString
		prep             []byte
		label            sql.NullString
	}
	var redo sql.NullString
	err = row.Scan(append(st.Asset.into(&sound, &key, &created),
		&revision.sound, &revision.id, &revision.number, &revision.main, &revision.at, &revision.signed,
		&step.sound, &step.number, &step.prep, &step.label, &step.signed, &redo)...)
	st.Asset.Created = when(created)
	if st.Harm, err = harm(err, "assets", sound, key); err != nil || st.Harm != nil {
		st.Asset.Harm = st.Harm
		return st, err
	}
	st.Revision = Revision{ID: revision.id.Int64, Number: int(revision.number.Int64), Main: revision.main.String,
		Created: when(revision.at.String), By: revision.signed.String}
	st.Step = Step{Seq: st.Asset.Seq, JSON: step.prep, Label: step.label.String, By: step.signed.String,
		Undo: step.label.String, Redo: redo.String}
	switch {
	case !revision.id.Valid || !revision.sound.Bool:
		st.Harm = broken("revisions", fmt.Sprintf("of “%s”", st.Asset.Name))
	case st.Asset.Seq > 0 && (!step.number.Valid || !step.sound.Bool):
		st.Harm = broken("preps", fmt.Sprintf("decision %d of “%s”", st.Asset.Seq, st.Asset.Name))
	}
	return st, nil
}

// Step is where an asset is in its history.
func (s *Store) Step(ctx context.Context, asset int64) (Step, error) {
	st, err := s.State(ctx, asset)
	return st.Step, err
}

// Neighbours are the assets before and after one in its kit, 0 for none.
func (s *Store) Neighbours(ctx context.Context, a Asset) (prev, next int64, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT
		coalesce((SELECT max(id) FROM assets WHERE kit_id = ?1 AND removed IS NULL AND id < ?2), 0),
		coalesce((SELECT min(id) FROM assets WHERE kit_id = ?1 AND removed IS NULL AND id > ?2), 0)`, a.KitID,
		a.ID).Scan(&prev, &next)
	return prev, next, err
}

// stampQuery is what [Store.Stamp] is made of.
const stampQuery = `SELECT a.seal, k.seal,
	(SELECT p.seal FROM preps p WHERE p.asset_id = a.id AND p.seq = a.prep_at),
	(SELECT p.seal FROM preps p WHERE p.asset_id = a.id AND p.seq = a.prep_at + 1),
	(SELECT max(number) FROM revisions r WHERE r.asset_id = a.id),
	(SELECT max(id) FROM exports e WHERE e.asset_id = a.id),
	(SELECT count(*) FROM added_pictures p WHERE p.asset_id = a.id),
	(SELECT max(id) FROM assets o WHERE o.kit_id = a.kit_id AND o.removed IS NULL AND o.id < a.id),
	(SELECT min(id) FROM assets o WHERE o.kit_id = a.kit_id AND o.removed IS NULL AND o.id > a.id),
	(SELECT max(rowid) FROM target_revisions), (SELECT count(*) FROM targets WHERE removed IS NOT NULL),
	(SELECT max(removed) FROM targets), CASE WHEN k.grid > 0 THEN k.moved END,
	(SELECT group_concat(p.seal) FROM presets p WHERE p.kit_id = a.kit_id),
	(SELECT group_concat(o.seal) FROM exports e JOIN opinions o ON o.export_id = e.id WHERE e.asset_id = a.id),
	(SELECT group_concat(p.seal) FROM exports e JOIN placings p ON p.export_id = e.id WHERE e.asset_id = a.id)
	FROM assets a JOIN kits k ON k.id = a.kit_id WHERE a.id = ?`

// kitStampQuery is what [Store.KitStamp] is made of.
const kitStampQuery = `SELECT sum(k.moved), count(*), max(k.id),
	(SELECT max(rowid) FROM target_revisions), (SELECT count(*) FROM targets WHERE removed IS NOT NULL),
	(SELECT max(removed) FROM targets), (SELECT group_concat(p.seal) FROM presets p WHERE p.kit_id = ?1),
	(SELECT max(r.id) || ' ' || sum(r.undone) FROM rounds r WHERE r.kit_id = ?1),
	(SELECT b.seal FROM budgets b WHERE b.kit_id = ?1)
	FROM kits k WHERE ?1 = 0 OR k.id = ?1`

// Stamp names all that the pages of an asset show of the database, and of nothing else: the same stamp, the same rows.
// It takes one query, which is parsed once. Pieces of a kit with a grid show one another, so there all of the kit
// counts.
func (s *Store) Stamp(ctx context.Context, asset int64) (string, error) {
	return stampOf(ctx, s.stamps.asset, asset, 16)
}

// KitStamp names all that the pages of a kit show of the database; see Stamp. Kit 0 is for the first page, with all
// kits.
func (s *Store) KitStamp(ctx context.Context, kit int64) (string, error) {
	return stampOf(ctx, s.stamps.kit, kit, 9)
}

// stampOf puts n columns of a row together.
func stampOf(ctx context.Context, by *sql.Stmt, id int64, n int) (string, error) {
	parts, into := make([]sql.NullString, n), make([]any, n)
	for i := range parts {
		into[i] = &parts[i]
	}
	err := by.QueryRowContext(ctx, id).Scan(into...)
	var b strings.Builder
	for _, p := range parts {
		fmt.Fprintf(&b, "%q ", p.String)
	}
	return b.String(), missing(err)
}
