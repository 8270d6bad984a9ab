package store

import (
	"context"
	"time"
)

// Errand is long work that changes a kit and that was asked for.
type Errand struct {
	Job     string // names it
	Kit     int64
	Body    []byte // JSON of what is to be done
	Person  string // who asked for it, "" for nobody in particular
	Address string // from where
	Tries   int    // how many starts of the program went on with it
	Created time.Time
	Harm    error // its row is not as it was kept; nil for a sound one
}

// errandsKept is how long one that nothing becomes of is known.
const errandsKept = 7 * 24 * time.Hour

// KeepErrand notes one that is about to begin, in the place of what its job was before.
func (s *Store) KeepErrand(ctx context.Context, e Errand) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO errands (job, kit_id, body, person, address, tries, created)
		VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7) ON CONFLICT (job) DO UPDATE SET body = ?3, tries = ?6`, e.Job, e.Kit,
		string(e.Body),
		e.Person, e.Address, e.Tries, now())
	return err
}

// EndErrand forgets one: it ended.
func (s *Store) EndErrand(ctx context.Context, job string) error {
	_, err := s.db.ExecContext(ctx, endErrand, job)
	return err
}

const endErrand = `DELETE FROM errands WHERE job = ?`

// Errands lists those that did not end, in the order they were asked for; those of a week ago are forgotten.
func (s *Store) Errands(ctx context.Context) ([]Errand, error) {
	old := time.Now().Add(-errandsKept).UTC().Format(stamp)
	if _, err := s.db.ExecContext(ctx, `DELETE FROM errands WHERE created < ?`, old); err != nil {
		return nil, err
	}
	return all(ctx, s.db, func(row scanner) (e Errand, err error) {
		var sound bool
		var body, created string
		err = row.Scan(&sound, &e.Job, &e.Kit, &body, &e.Person, &e.Address, &e.Tries, &created)
		e.Body, e.Created = []byte(body), when(created)
		e.Harm, err = harm(err, "errands", sound, e.Job)
		return e, err
	}, `SELECT `+held("errands", "e")+`, e.job, e.kit_id, e.body, e.person, e.address, e.tries, e.created FROM errands e
		ORDER BY e.created, e.rowid`)
}

// SentSince are the assets of a kit that were sent at some moment or later.
func (s *Store) SentSince(ctx context.Context, kit int64, at time.Time) (map[int64]bool, error) {
	list, err := all(ctx, s.db, func(row scanner) (id int64, err error) { return id, row.Scan(&id) },
		`SELECT DISTINCT e.asset_id FROM exports e JOIN assets a ON a.id = e.asset_id WHERE a.kit_id = ? AND e.created >= ?`,
		kit, at.UTC().Format(stamp))
	sent := map[int64]bool{}
	for _, id := range list {
		sent[id] = true
	}
	return sent, err
}
