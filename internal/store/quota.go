package store

import (
	"context"

	"yarvek/core/fault"
	"yarvek/core/figure"
)

// heldSum is what a kit (?1) keeps that somebody (?2) has brought: files, each once, and exports; 0 and "" are for all.
const heldSum = `SELECT coalesce(sum(size), 0) FROM (
	SELECT f.sha, max(f.size) AS size FROM revision_files f JOIN revisions r ON r.id = f.revision_id
		JOIN assets a ON a.id = r.asset_id WHERE (?1 = 0 OR a.kit_id = ?1) AND (?2 = '' OR r.signed = ?2) GROUP BY f.sha
	UNION ALL SELECT p.sha, max(p.size) FROM added_pictures p JOIN assets a ON a.id = p.asset_id
		WHERE (?1 = 0 OR a.kit_id = ?1) AND (?2 = '' OR p.signed = ?2) GROUP BY p.sha
	UNION ALL SELECT e.sha, max(e.size) FROM exports e JOIN assets a ON a.id = e.asset_id
		WHERE (?1 = 0 OR a.kit_id = ?1) AND (?2 = '' OR e.signed = ?2) GROUP BY e.sha)`

// Held is what a kit keeps and what somebody has brought into all kits, in bytes: of files, each once, and of exports.
// What was removed counts, since it can be put back.
func (s *Store) Held(ctx context.Context, kit int64, person string) (ofKit, ofPerson int64, err error) {
	if err = s.db.QueryRowContext(ctx, heldSum, kit, "").Scan(&ofKit); err != nil || person == "" {
		return ofKit, 0, err
	}
	err = s.db.QueryRowContext(ctx, heldSum, 0, person).Scan(&ofPerson)
	return ofKit, ofPerson, err
}

// roomIn is nil where a kit keeps no more than so many bytes; 0 is for any number.
func roomIn(ctx context.Context, db queries, kit, most int64) error {
	var held int64
	if most <= 0 {
		return nil
	}
	if err := db.QueryRowContext(ctx, heldSum, kit, "").Scan(&held); err != nil || held <= most {
		return err
	}
	return fault.New(fault.Limit, "the kit would hold %s and may hold %s, so nothing was moved", figure.Bytes(held),
		figure.Bytes(most)).Advise("Move fewer, or start with a higher --max-kit")
}
