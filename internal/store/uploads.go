package store

import (
	"cmp"
	"context"
	"database/sql"
	"encoding/json"
	"time"
)

// uploadsKept is how long what an upload brought is known.
const uploadsKept = 7 * 24 * time.Hour

// KeepUpload notes the mesh files of an upload that a job takes into a kit.
func (s *Store) KeepUpload(ctx context.Context, job string, kit int64, meshes []File) error {
	b, err := json.Marshal(meshes)
	if err != nil {
		return err
	}
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := openKit(ctx, tx, kit); err != nil {
			return err
		}
		old := time.Now().Add(-uploadsKept).UTC().Format(stamp)
		if _, err := tx.ExecContext(ctx, `DELETE FROM uploads WHERE created < ?`, old); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO uploads (job, kit_id, files, created) VALUES (?, ?, ?, ?)`, job, kit,
			string(b), now())
		return err
	})
}

// UploadOf tells the kit of an upload, and which of its meshes are assets of it by now and
// which are not; ErrNotFound for a job that is not known, or not any more.
func (s *Store) UploadOf(ctx context.Context, job string) (kit int64, came []Asset, not []File, err error) {
	err = s.see(ctx, func(tx *sql.Tx) error {
		var b []byte
		var created string
		var sound bool
		err := tx.QueryRowContext(ctx, `SELECT `+held("uploads", "u")+`, kit_id, files, created FROM uploads u WHERE job = ?`,
			job).Scan(&sound, &kit, &b, &created)
		harmed, err := harm(err, "uploads", sound, job)
		if err := cmp.Or(err, harmed); err != nil {
			return err
		}
		var files []File
		if err := json.Unmarshal(b, &files); err != nil {
			return err
		}
		for _, f := range files {
			var id int64
			err := tx.QueryRowContext(ctx, `SELECT a.id FROM assets a JOIN revisions r ON r.asset_id = a.id AND r.number = 1
				JOIN revision_files f ON f.revision_id = r.id AND f.name = r.main
				WHERE a.kit_id = ? AND a.created >= ? AND f.name = ? AND f.sha = ? ORDER BY a.id LIMIT 1`,
				kit, created, f.Name, f.SHA).Scan(&id)
			switch missing(err) {
			case nil:
				a, err := assetOf(ctx, tx, id)
				if err != nil {
					return err
				}
				came = append(came, a)
			case ErrNotFound:
				not = append(not, f)
			default:
				return err
			}
		}
		return nil
	})
	return kit, came, not, err
}
