package store

import "context"

// Making is what is to be made in the background for an asset.
type Making struct {
	Asset   int64
	Name    string // of the asset
	Wanted  string // names what is made
	Person  string // who asked for it, "" for nobody in particular
	Bytes   int64  // of memory it is thought to take
	Stopped bool   // by somebody, until it is asked for again
}

// KeepMaking notes what is to be made for an asset, in the place of what was.
func (s *Store) KeepMaking(ctx context.Context, m Making) error {
	_, err := s.db.ExecContext(ctx,
		`INSERT INTO makings (asset_id, wanted, person, bytes, stopped) VALUES (?1, ?2, ?3, ?4, ?5)
		ON CONFLICT (asset_id) DO UPDATE SET wanted = ?2, person = ?3, bytes = ?4, stopped = ?5`, m.Asset, m.Wanted, m.Person,
		m.Bytes, m.Stopped)
	return err
}

// EndMaking forgets what was to be made for an asset, where it still is what is named.
func (s *Store) EndMaking(ctx context.Context, asset int64, wanted string) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM makings WHERE asset_id = ? AND wanted = ?`, asset, wanted)
	return err
}

// Makings lists what is to be made, in the order it was asked for; of assets that were removed nothing is.
func (s *Store) Makings(ctx context.Context) ([]Making, error) {
	return all(ctx, s.db, func(row scanner) (m Making, err error) {
		return m, row.Scan(&m.Asset, &m.Name, &m.Wanted, &m.Person, &m.Bytes, &m.Stopped)
	}, `SELECT m.asset_id, a.name, m.wanted, m.person, m.bytes, m.stopped FROM makings m JOIN assets a ON a.id = m.asset_id
		JOIN kits k ON k.id = a.kit_id WHERE a.removed IS NULL AND k.removed IS NULL ORDER BY m.rowid`)
}
