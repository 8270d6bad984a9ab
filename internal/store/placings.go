package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"time"
)

// Stage is how far a placing is.
type Stage string

// The stages of a placing.
const (
	Begun  Stage = "begun"  // files may be there or not
	Done   Stage = "done"   // all are
	Undone Stage = "undone" // what was there before is there again
)

// Placed is a file of a placing.
type Placed struct {
	Name string `json:"name"`          // within the folder, with slashes
	SHA  string `json:"sha"`           // of what was written
	Was  string `json:"was,omitempty"` // of what was there before, which is kept; "" where nothing was
}

// Placing is an export that was written into a folder of this machine.
type Placing struct {
	ID      int64
	Kit     int64
	Export  int64
	Folder  string
	Files   []Placed
	Stage   Stage
	Created time.Time
	By      string
	Harm    error // its row is not as it was kept; nil for a sound one
}

var placingColumns = held("placings", "p") + `, p.id, p.id, p.kit_id, p.export_id, p.folder, p.files, p.state,
	p.created, p.signed`

func scanPlacing(row scanner) (p Placing, err error) {
	var sound bool
	var key, created string
	var files []byte
	err = row.Scan(&sound, &key, &p.ID, &p.Kit, &p.Export, &p.Folder, &files, &p.Stage, &created, &p.By)
	p.Created = when(created)
	if p.Harm, err = harm(err, "placings", sound, key); err == nil && p.Harm == nil {
		p.Harm = json.Unmarshal(files, &p.Files)
	}
	return p, err
}

// BeginPlacing keeps what is going to be written, before anything is. The blobs of what was there before are stored.
func (s *Store) BeginPlacing(ctx context.Context, p Placing) (int64, error) {
	files, err := json.Marshal(p.Files)
	if err != nil {
		return 0, err
	}
	res, err := s.db.ExecContext(ctx, `INSERT INTO placings (kit_id, export_id, folder, files, state, created, signed)
		VALUES (?, ?, ?, ?, ?, ?, ?)`, p.Kit, p.Export, p.Folder, string(files), Begun, now(), By(ctx))
	if err != nil {
		return 0, err
	}
	return res.LastInsertId()
}

// EndPlacing says how a placing came out.
func (s *Store) EndPlacing(ctx context.Context, id int64, how Stage) error {
	return one(s.db.ExecContext(ctx, `UPDATE placings SET state = ? WHERE id = ?`, how, id))
}

// Placings lists those of an export, the newest first, or with 0 those of all that are at a stage.
func (s *Store) Placings(ctx context.Context, export int64, at Stage) ([]Placing, error) {
	return all(ctx, s.db, scanPlacing, `SELECT `+placingColumns+` FROM placings p
		WHERE (?1 = 0 OR p.export_id = ?1) AND (?2 = '' OR p.state = ?2) ORDER BY p.id DESC`, export, string(at))
}

// Placing finds one; a damaged one is its *RowError.
func (s *Store) Placing(ctx context.Context, id int64) (Placing, error) {
	p, err := scanPlacing(s.db.QueryRowContext(ctx, `SELECT `+placingColumns+` FROM placings p WHERE p.id = ?`, id))
	return p, cmp.Or(err, p.Harm)
}

// Written tells the SHA-256 of what Yarvek wrote last under a name of a folder, "" where it wrote nothing that was not
// undone.
func (s *Store) Written(ctx context.Context, folder, name string) (sha string, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT json_extract(f.value, '$.sha') FROM placings p, json_each(p.files) f
		WHERE p.folder = ? AND p.state = ? AND json_extract(f.value, '$.name') = ? ORDER BY p.id DESC LIMIT 1`,
		folder, Done, name).Scan(&sha)
	if err == sql.ErrNoRows {
		err = nil
	}
	return sha, err
}
