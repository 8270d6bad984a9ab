package store

import (
	"context"
	"errors"
)

// Budget is what a kit's assets may cost together, as JSON; nil where nothing is said. A damaged row is its *RowError.
func (s *Store) Budget(ctx context.Context, kit int64) (body []byte, err error) {
	return budgetOf(ctx, s.db, kit)
}

func budgetOf(ctx context.Context, db queries, kit int64) (body []byte, err error) {
	var sound bool
	var key string
	err = db.QueryRowContext(ctx, `SELECT `+held("budgets", "b")+`, b.kit_id, b.body FROM budgets b WHERE b.kit_id = ?`,
		kit).Scan(&sound, &key, &body)
	harmed, err := harm(err, "budgets", sound, key)
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	if err == nil {
		err = harmed
	}
	return body, err
}

// SetBudget says what a kit's assets may cost together, as JSON; nil takes it away.
func (s *Store) SetBudget(ctx context.Context, kit int64, body []byte) error {
	if body == nil {
		_, err := s.db.ExecContext(ctx, `DELETE FROM budgets WHERE kit_id = ?`, kit)
		return err
	}
	_, err := s.db.ExecContext(ctx, `INSERT INTO budgets (kit_id, body, created, signed) VALUES (?1, ?2, ?3, ?4)
		ON CONFLICT (kit_id) DO UPDATE SET body = ?2, created = ?3, signed = ?4`, kit, string(body), now(), By(ctx))
	return brokenSeal(err)
}
