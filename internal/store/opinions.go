package store

import (
	"context"
	"time"
)

// Opinion is what a reader of another make says of an export.
type Opinion struct {
	Export  int64
	Reader  string // with its version
	Body    []byte // JSON of deliver.Figures
	Created time.Time
	By      string
}

// KeepOpinion keeps what a reader says of an export, in the place of what it said before.
func (s *Store) KeepOpinion(ctx context.Context, o Opinion) error {
	_, err := s.db.ExecContext(ctx, `INSERT INTO opinions (export_id, reader, body, created, signed)
		VALUES (?1, ?2, ?3, ?4, ?5) ON CONFLICT (export_id, reader) DO UPDATE SET body = ?3, created = ?4, signed = ?5`,
		o.Export, o.Reader, string(o.Body), now(), By(ctx))
	return brokenSeal(err)
}

// Opinions lists those of an export, by reader. One that is damaged is left out: it can be asked for again.
func (s *Store) Opinions(ctx context.Context, export int64) (list []Opinion, err error) {
	type row struct {
		Opinion
		harm error
	}
	rows, err := all(ctx, s.db, func(r scanner) (o row, err error) {
		var sound bool
		var key, created string
		err = r.Scan(&sound, &key, &o.Export, &o.Reader, &o.Body, &created, &o.By)
		o.Created = when(created)
		o.harm, err = harm(err, "opinions", sound, key)
		return o, err
	}, `SELECT `+held("opinions", "o")+`, o.export_id || ' ' || o.reader, o.export_id, o.reader, o.body, o.created,
		o.signed FROM opinions o WHERE o.export_id = ? ORDER BY o.reader`, export)
	for _, r := range rows {
		if r.harm == nil {
			list = append(list, r.Opinion)
		}
	}
	return list, err
}
