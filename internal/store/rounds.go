package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"errors"
	"time"

	"yarvek/core/fault"
)

// RoundStep is the decision that a round made for an asset.
type RoundStep struct {
	Asset   int64 `json:"asset"`
	Changes int   `json:"changes"` // of the asset after it: as long as it has as many, nothing came after
}

// Round is what was decided for many assets of a kit at once.
type Round struct {
	ID      int64
	Kit     int64
	Title   string
	Steps   []RoundStep
	Undone  bool
	Created time.Time
	By      string
	Harm    error // its row is not as it was kept; nil for a sound one
}

func scanRound(row scanner) (r Round, err error) {
	var sound bool
	var key, created string
	var steps []byte
	err = row.Scan(&sound, &key, &r.ID, &r.Kit, &r.Title, &steps, &r.Undone, &created, &r.By)
	r.Created = when(created)
	if r.Harm, err = harm(err, "rounds", sound, key); err == nil && r.Harm == nil {
		r.Harm = json.Unmarshal(steps, &r.Steps)
	}
	return r, err
}

var roundColumns = held("rounds", "r") + `, r.id, r.id, r.kit_id, r.title, r.steps, r.undone, r.created, r.signed`

// Decided is a prep that is kept for an asset as part of a round.
type Decided struct {
	Asset int64
	Base  int // the count of changes it was decided at
	Prep  []byte
	Label string
}

// Deciding is what is to be decided for many at once.
type Deciding struct {
	Kit    int64
	List   []Decided
	Title  func(n int) string // of what was decided for so many
	Errand string             // whose end it is, "" for none
}

// DecideRound keeps what was decided for many, all in one: either every asset has its decision and the round is there
// to undo them, and the errand ended, or nothing is as it was not before. Those that were changed or taken out
// meanwhile are left as they are, and named. Where none got its decision, there is no round and id is 0.
func (s *Store) DecideRound(ctx context.Context, r Deciding) (id int64, left []int64, err error) {
	err = s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, endErrand, r.Errand); err != nil {
			return err
		}
		var done []RoundStep
		for _, d := range r.List {
			switch err := change(ctx, tx, d.Asset, d.Base); {
			case passedOver(err):
				left = append(left, d.Asset)
				continue
			case err != nil:
				return err
			}
			if err := savePrep(ctx, tx, d.Asset, d.Prep, d.Label); err != nil {
				return err
			}
			done = append(done, RoundStep{d.Asset, d.Base + 1})
		}
		if len(done) == 0 {
			return nil
		}
		steps, err := json.Marshal(done)
		if err != nil {
			return err
		}
		res, err := tx.ExecContext(ctx, `INSERT INTO rounds (kit_id, title, steps, created, signed) VALUES (?, ?, ?, ?, ?)`,
			r.Kit, r.Title(len(done)), string(steps), now(), By(ctx))
		if err != nil {
			return err
		}
		id, err = res.LastInsertId()
		return err
	})
	return id, left, err
}

// passedOver tells what stops no other asset of a round: this one was changed, taken out or damaged meanwhile.
func passedOver(err error) bool {
	return errors.Is(err, ErrStale) || errors.Is(err, ErrNotFound) || errors.Is(err, errNowhere) || fault.KindOf(err) != 0
}

// Rounds lists the newest of a kit, at most so many. One that is damaged is there with its Harm.
func (s *Store) Rounds(ctx context.Context, kit int64, most int) ([]Round, error) {
	return all(ctx, s.db, scanRound, `SELECT `+roundColumns+` FROM rounds r WHERE r.kit_id = ? ORDER BY r.id DESC LIMIT ?`,
		kit, most)
}

// Round finds one; a damaged one is its *RowError.
func (s *Store) Round(ctx context.Context, id int64) (Round, error) {
	r, err := scanRound(s.db.QueryRowContext(ctx, `SELECT `+roundColumns+` FROM rounds r WHERE r.id = ?`, id))
	return r, cmp.Or(err, r.Harm)
}

// UndoRound takes a round of a kit back, all in one: each asset that nothing was decided for since goes a step back. It
// gives how many those are and the numbers of the others. One that was taken back before is ErrStale.
func (s *Store) UndoRound(ctx context.Context, kit, id int64) (undone int, stay []int64, err error) {
	r, err := s.Round(ctx, id)
	if err != nil {
		return 0, nil, err
	}
	if r.Kit != kit {
		return 0, nil, ErrNotFound
	}
	err = s.tx(ctx, func(tx *sql.Tx) error {
		err := one(tx.ExecContext(ctx, `UPDATE rounds SET undone = 1 WHERE id = ? AND undone = 0`, id))
		if errors.Is(err, ErrNotFound) {
			return ErrStale
		}
		for _, x := range r.Steps {
			if err != nil {
				return err
			}
			err = movePrep(ctx, tx, x.Asset, x.Changes, -1)
			if passedOver(err) {
				stay, err = append(stay, x.Asset), nil
			} else if err == nil {
				undone++
			}
		}
		return err
	})
	return undone, stay, err
}
