package store

import (
	"cmp"
	"context"
	"database/sql"
	"slices"
	"strings"

	"yarvek/core/target"
)

// TargetRevision is one revision of a target of the house's own.
type TargetRevision struct {
	Target  target.Target
	Created string // RFC 3339
	By      string
	Removed bool  // the target was taken out of the list
	Harm    error // its row is not as it was kept, or can't be read; nil for a sound one
}

func scanTarget(row scanner) (r TargetRevision, err error) {
	var sound bool
	var key, body string
	err = row.Scan(&sound, &key, &body, &r.Created, &r.By, &r.Removed)
	if r.Harm, err = harm(err, "target_revisions", sound, key); err == nil && r.Harm == nil {
		r.Target, r.Harm = target.Kept([]byte(body))
	}
	return r, err
}

// targetColumns are those of revisions of targets; the first tells whether both rows are sound.
var targetColumns = `SELECT ` + held("target_revisions", "r") + ` AND ` + held("targets", "t") + `,
	r.target || ' ' || r.number, r.body, r.created, r.signed, t.removed IS NOT NULL
	FROM target_revisions r JOIN targets t ON t.id = r.target`

// Targets lists the newest revision of each, by name; those taken out come too. One that is damaged is left out, and
// counted.
func (s *Store) Targets(ctx context.Context) (list []TargetRevision, damaged int, err error) {
	rows, err := all(ctx, s.db, scanTarget, targetColumns+` WHERE r.number = (SELECT max(number) FROM target_revisions m`+
		` WHERE m.target = r.target)`)
	for _, r := range rows {
		if r.Harm == nil {
			list = append(list, r)
		} else {
			damaged++
		}
	}
	slices.SortStableFunc(list, func(a, b TargetRevision) int {
		return cmp.Or(cmp.Compare(strings.ToLower(a.Target.Name), strings.ToLower(b.Target.Name)),
			cmp.Compare(a.Target.ID, b.Target.ID))
	})
	return list, damaged, err
}

// TargetRevisions lists those of a target, the newest first; none is ErrNotFound. One that is damaged is there with
// its Harm.
func (s *Store) TargetRevisions(ctx context.Context, id string) ([]TargetRevision, error) {
	list, err := all(ctx, s.db, scanTarget, targetColumns+` WHERE r.target = ? ORDER BY r.number DESC`, id)
	if err == nil && len(list) == 0 {
		err = ErrNotFound
	}
	return list, err
}

// KeepTarget keeps a revision of a target: the first of a new one, or the one after the newest
// there is. Any other is ErrStale, and nothing is kept then.
func (s *Store) KeepTarget(ctx context.Context, t target.Target) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		var last int
		err := tx.QueryRowContext(ctx, `SELECT coalesce(max(number), 0) FROM target_revisions WHERE target = ?`,
			t.ID).Scan(&last)
		if err != nil {
			return err
		}
		if t.Revision != last+1 {
			return ErrStale
		}
		if last == 0 {
			if _, err := tx.ExecContext(ctx, `INSERT INTO targets (id) VALUES (?)`, t.ID); err != nil {
				return err
			}
		}
		_, err = tx.ExecContext(ctx,
			`INSERT INTO target_revisions (target, number, body, created, signed) VALUES (?, ?, ?, ?, ?)`,
			t.ID, t.Revision, string(t.JSON()), now(), By(ctx))
		return err
	})
}

// RemoveTarget takes a target out of the list, or puts it back. Nothing is deleted.
func (s *Store) RemoveTarget(ctx context.Context, id string, removed bool) error {
	var at any
	if removed {
		at = now()
	}
	return one(s.db.ExecContext(ctx, `UPDATE targets SET removed = ? WHERE id = ?`, at, id))
}
