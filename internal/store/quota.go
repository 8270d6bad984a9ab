package store

import "context"

// Held is what a kit keeps and what somebody has brought into all kits, in bytes: of files, each once, and of exports.
// What was removed counts, since it can be put back.
func (s *Store) Held(ctx context.Context, kit int64, person string) (ofKit, ofPerson int64, err error) {
	const sums = `SELECT coalesce(sum(size), 0) FROM (
		SELECT f.sha, max(f.size) AS size FROM revision_files f JOIN revisions r ON r.id = f.revision_id
			JOIN assets a ON a.id = r.asset_id WHERE (?1 = 0 OR a.kit_id = ?1) AND (?2 = '' OR r.signed = ?2) GROUP BY f.sha
		UNION ALL SELECT p.sha, max(p.size) FROM added_pictures p JOIN assets a ON a.id = p.asset_id
			WHERE (?1 = 0 OR a.kit_id = ?1) AND (?2 = '' OR p.signed = ?2) GROUP BY p.sha
		UNION ALL SELECT e.sha, max(e.size) FROM exports e JOIN assets a ON a.id = e.asset_id
			WHERE (?1 = 0 OR a.kit_id = ?1) AND (?2 = '' OR e.signed = ?2) GROUP BY e.sha)`
	if err = s.db.QueryRowContext(ctx, sums, kit, "").Scan(&ofKit); err != nil || person == "" {
		return ofKit, 0, err
	}
	err = s.db.QueryRowContext(ctx, sums, 0, person).Scan(&ofPerson)
	return ofKit, ofPerson, err
}
