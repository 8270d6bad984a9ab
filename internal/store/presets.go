package store

import (
	"context"
	"database/sql"
	"time"

	"yarvek/core/fault"
)

// Preset is a way to send that has a name, of a kit.
type Preset struct {
	ID       int64
	Kit      int64
	Name     string
	Body     []byte // JSON of the decisions of Export
	Standard bool   // new assets of the kit begin with it
	Created  time.Time
	By       string
	Harm     error // its row is not as it was kept; nil for a sound one
}

// mostPresets bounds those of a kit.
const mostPresets = 100

var presetColumns = held("presets", "p") + `, p.id, p.id, p.kit_id, p.name, p.body, p.standard, p.created, p.signed`

func scanPreset(row scanner) (p Preset, err error) {
	var sound bool
	var key, created string
	err = row.Scan(&sound, &key, &p.ID, &p.Kit, &p.Name, &p.Body, &p.Standard, &created, &p.By)
	p.Created = when(created)
	p.Harm, err = harm(err, "presets", sound, key)
	return p, err
}

// Presets lists those of a kit, by name. One that is damaged is there with its Harm.
func (s *Store) Presets(ctx context.Context, kit int64) ([]Preset, error) {
	return all(ctx, s.db, scanPreset, `SELECT `+presetColumns+` FROM presets p WHERE p.kit_id = ? ORDER BY p.folded`, kit)
}

// KeepPreset keeps one under its name, in the place of the kit's one of that name. It is the standard one from then on
// only where it was. More than a hundred are the asker's *fault.Error.
func (s *Store) KeepPreset(ctx context.Context, p Preset) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := openKit(ctx, tx, p.Kit); err != nil {
			return err
		}
		var n int
		err := tx.QueryRowContext(ctx, `SELECT count(*) FROM presets WHERE kit_id = ? AND folded <> ?`, p.Kit,
			Folded(p.Name)).Scan(&n)
		if err != nil {
			return err
		}
		if n >= mostPresets {
			return fault.New(fault.Limit, "a kit has at most %d presets: remove one that is not used", mostPresets)
		}
		_, err = tx.ExecContext(ctx, `INSERT INTO presets (kit_id, name, folded, body, created, signed)
			VALUES (?1, ?2, ?3, ?4, ?5, ?6) ON CONFLICT (kit_id, folded) DO UPDATE SET name = ?2, body = ?4, created = ?5,
			signed = ?6`, p.Kit, p.Name, Folded(p.Name), string(p.Body), now(), By(ctx))
		return brokenSeal(err)
	})
}

// RemovePreset takes one of a kit away.
func (s *Store) RemovePreset(ctx context.Context, kit, id int64) error {
	return one(s.db.ExecContext(ctx, `DELETE FROM presets WHERE kit_id = ? AND id = ?`, kit, id))
}

// SetStandard makes one the standard of its kit, or with 0 none.
func (s *Store) SetStandard(ctx context.Context, kit, id int64) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `UPDATE presets SET standard = 0 WHERE kit_id = ? AND standard <> 0 AND id <> ?`,
			kit, id); err != nil {
			return brokenSeal(err)
		}
		if id == 0 {
			return nil
		}
		return one(tx.ExecContext(ctx, `UPDATE presets SET standard = 1 WHERE kit_id = ? AND id = ?`, kit, id))
	})
}

// LastSent is the prep that the newest export of a kit was made by, nil where nothing was sent.
func (s *Store) LastSent(ctx context.Context, kit int64) ([]byte, error) {
	list, err := all(ctx, s.db, func(row scanner) (Export, error) { return scanExport(row) }, `SELECT `+exportColumns+`
		FROM exports e JOIN assets a ON a.id = e.asset_id WHERE a.kit_id = ? ORDER BY e.id DESC LIMIT 1`, kit)
	if err != nil || len(list) == 0 || list[0].Harm != nil {
		return nil, err
	}
	return list[0].Prep, nil
}
