package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"errors"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/target"
)

// lived is a data folder with at least two rows in every table, closed.
func lived(t *testing.T) string {
	t.Helper()
	ctx, dir := context.Background(), t.TempDir()
	s, err := Open(dir)
	require.NoError(t, err)
	must := func(err error) { t.Helper(); require.NoError(t, err) }
	own := target.Shipped[0].Copy()
	own.ID, own.Name, own.Revision = "pier", "Pier", 1
	must(s.KeepTarget(ctx, own))
	own.Revision = 2
	must(s.KeepTarget(ctx, own))
	for i := range 2 {
		k, err := s.NewKit(ctx, fmt.Sprint("Tern Point ", i), target.Shipped[i])
		must(err)
		must(s.SetSlotMap(ctx, k.ID, []byte(`[{"from":"a","to":"b"}]`)))
		a, err := s.NewAsset(ctx, k.ID, "dinghy", "dinghy.obj", []File{{"dinghy.obj", put(t, s, fmt.Sprint("mesh ", i),
			0), 6},
			{"dinghy.mtl", put(t, s, fmt.Sprint("slots ", i), 0), 7}})
		must(err)
		must(s.SavePrep(ctx, a.ID, 0, []byte(`{"size":{"factor":2}}`), "Twice as large"))
		must(s.SavePrep(ctx, a.ID, 1, []byte(`{"size":{"factor":3}}`), "Three times as large"))
		_, err = s.AddRevision(ctx, a.ID, 1, "dinghy.obj", []File{{"dinghy.obj", put(t, s, fmt.Sprint("better ", i), 0), 8}},
			false)
		must(err)
		must(s.AddPictures(ctx, a.ID, []File{{"rust.png", put(t, s, fmt.Sprint("rust ", i), 0), 6}}))
		for j := range 2 {
			_, err = s.AddExport(ctx, Export{AssetID: a.ID, Revision: 1, Seq: 2, Prep: []byte("{}"), Target: target.Shipped[i],
				Format: "glb", Name: "dinghy.glb", SHA: put(t, s, strings.Repeat(fmt.Sprint("export ", i, j), 2000), 0), Size: 9,
				Packing: []byte(`{"files":[]}`), Certificate: []byte(`{"rows":[]}`)})
			must(err)
			must(s.SetBudget(ctx, k.ID, []byte(fmt.Sprintf(`{"triangles":%d}`, 1000+j))))
			must(s.KeepPreset(ctx, Preset{Kit: k.ID, Name: fmt.Sprint("Quay ", j), Body: []byte(`{"format":"glb"}`)}))
			id := int64(2*i + j + 1)
			must(s.KeepOpinion(ctx, Opinion{Export: id, Reader: "loaders 1", Body: []byte(`{"triangles":12}`)}))
			placed, err := s.BeginPlacing(ctx, Placing{Kit: k.ID, Export: id, Folder: "/props",
				Files: []Placed{{Name: "dinghy.glb", SHA: "f0", Was: put(t, s, fmt.Sprint("before ", i, j), 0)}}})
			must(err)
			must(s.EndPlacing(ctx, placed, Done))
			_, err = s.db.ExecContext(ctx, `INSERT INTO rounds (kit_id, title, steps, created) VALUES (?, 'As proposed',
				'[{"asset":1,"changes":1}]', ?)`, k.ID, now())
			must(err)
		}
		must(s.AddPerson(ctx, fmt.Sprint("Ana ", i), "kept phrase"))
		must(s.Sessions().Keep(fmt.Sprint("token ", i), []byte("data"), Session{Person: fmt.Sprint("Ana ", i),
			Opens: PhraseDigest("kept phrase"), Expiry: time.Now().Add(time.Hour)}))
		must(s.KeepUpload(ctx, fmt.Sprint("job ", i), k.ID, []File{{Name: "dinghy.obj"}}))
		must(s.KeepErrand(ctx, Errand{Job: fmt.Sprint("job ", i), Kit: k.ID, Body: []byte(`{}`), Person: "Ines"}))
		must(s.CountTry(ctx, time.Now(), time.Time{}, fmt.Sprint("key ", i)))
	}
	must(s.Close())
	return dir
}

// raw opens a folder's database as a foreign program would, and takes away the triggers that guard its rows.
func raw(t *testing.T, dir string) *sql.DB {
	t.Helper()
	db, err := sql.Open("sqlite", uri(filepath.Join(dir, databaseName)))
	require.NoError(t, err)
	t.Cleanup(func() { _ = db.Close() })
	for _, s := range seals {
		for _, what := range []string{"guard", "changed"} {
			_, err := db.Exec(fmt.Sprintf("DROP TRIGGER seal_%s_%s", s.table, what))
			require.NoError(t, err)
		}
	}
	return db
}

// Every column of every sealed row, changed behind the program's back, is seen by verify and named with what it
// touches; and every table of the database is sealed, or says why not.
func TestEveryColumnOfEveryRowIsSealed(t *testing.T) {
	dir := lived(t)
	db := raw(t, dir)
	tables, err := all(context.Background(), db, func(row scanner) (name string, err error) {
		return name,
			row.Scan(&name)
	},
		`SELECT name FROM sqlite_master WHERE type = 'table' AND name NOT LIKE 'sqlite_%' AND name NOT LIKE 'goose_%'`)
	require.NoError(t, err)
	free := map[string][]string{ // columns that are not sealed
		"kits":         {"moved"},                    // a count for pages: a wrong one makes a page anew
		"exports":      {"packing", "certificate"},   // by their sums; looked at below
		"failed_tries": {"who", "times", "last"},     // forgotten after an hour
		"programs":     {"version", "program", "at"}, // what an older program says
		"seals":        {"name", "expr"},             // what is wrong here, no row holds
	}
	for _, table := range tables {
		columns, err := all(context.Background(), db, func(row scanner) (name string, err error) {
			return name, row.Scan(&name)
		}, `SELECT name FROM pragma_table_info(?)`, table)
		require.NoError(t, err)
		for _, c := range columns {
			skip := false
			for _, f := range free[table] {
				skip = skip || f == c && table != "exports"
			}
			if skip || table == "makings" {
				continue
			}
			var rowid int64
			var was any
			require.NoError(t, db.QueryRow(fmt.Sprintf("SELECT rowid, %s FROM %s ORDER BY rowid DESC LIMIT 1", c, table)).
				Scan(&rowid, &was), "%s.%s", table, c)
			_, err := db.Exec(fmt.Sprintf("UPDATE %s SET %s = CASE WHEN typeof(%s) IN ('integer','real') THEN %s + 1 "+
				"ELSE coalesce(%s, '') || 'x' END WHERE rowid = ?", table, c, c, c, c), rowid)
			require.NoError(t, err, "%s.%s", table, c)
			broken, err := brokenRows(context.Background(), db)
			require.NoError(t, err)
			if assert.NotEmpty(t, broken, "%s.%s", table, c) {
				assert.NotEmpty(t, broken[0].Of)
			}
			if c == "id" && table != "uploads" || table == "revision_files" {
				now := rowid
				if c == "id" && table != "targets" {
					now++
				}
				_, err = db.Exec(fmt.Sprintf("UPDATE %s SET %s = ? WHERE rowid = ?", table, c), was, now)
			} else {
				_, err = db.Exec(fmt.Sprintf("UPDATE %s SET %s = ? WHERE rowid = ?", table, c), was, rowid)
			}
			require.NoError(t, err)
			broken, err = brokenRows(context.Background(), db)
			require.NoError(t, err)
			require.Empty(t, broken, "%s.%s put back", table, c)
		}
	}
}

// kept is what a database keeps, as text; "" where it can't be read.
func kept(db *sql.DB) string {
	var b strings.Builder
	for _, table := range append([]string{"revision_files"}, func() (names []string) {
		for _, s := range seals {
			names = append(names, s.table)
		}
		return names
	}()...) {
		rows, err := db.Query("SELECT * FROM " + table + " ORDER BY rowid")
		if err != nil {
			return ""
		}
		names, _ := rows.Columns()
		for rows.Next() {
			cells := make([]any, len(names))
			for i := range cells {
				cells[i] = new(any)
			}
			if rows.Scan(cells...) != nil {
				_ = rows.Close()
				return ""
			}
			for i, c := range cells {
				// A column that is not sealed, by whatever name it goes, counts pages and no more.
				if table != "kits" || slices.Contains(seals[0].columns, names[i]) {
					v := *c.(*any)
					if text, ok := v.([]byte); ok {
						v = string(text)
					}
					fmt.Fprintf(&b, "%v|", v)
				}
			}
			b.WriteByte('\n')
		}
		if rows.Err() != nil {
			return ""
		}
		_ = rows.Close()
	}
	return b.String()
}

// A bit flipped anywhere in the database is harmless, or verify says so: what is kept reads otherwise only where it
// complains.
func TestAFlippedBitOfTheDatabaseIsHarmlessOrSeen(t *testing.T) {
	dir := lived(t)
	file := filepath.Join(dir, databaseName)
	was, err := os.ReadFile(file)
	require.NoError(t, err)
	look := func() string {
		db, err := readOnly(file)
		require.NoError(t, err)
		defer db.Close()
		return kept(db)
	}
	sound := look()
	require.NotEmpty(t, sound)
	r := rand.New(rand.NewPCG(26, 2))
	seen, harmless := 0, 0
	n := 4000
	if testing.Short() {
		n = 500
	}
	for range n {
		b := append([]byte(nil), was...)
		at, bit := r.IntN(len(b)), r.IntN(8)
		b[at] ^= 1 << bit
		require.NoError(t, os.WriteFile(file, b, 0o600))
		v, err := Verify(context.Background(), dir)
		switch now := look(); {
		case err != nil || !v.Sound():
			seen++
		case now == sound:
			harmless++
		default:
			t.Errorf("bit %d of byte %d changes what is kept, and verify sees nothing", bit, at)
		}
	}
	t.Logf("%d bits of %d bytes: %d seen, %d harmless", n, len(was), seen, harmless)
	assert.NotZero(t, seen)
}

// A damaged row is never used and never changed, fails alone, and can be accepted or stepped back from.
func TestADamagedRowFailsAlone(t *testing.T) {
	ctx := context.Background()
	dir := lived(t)
	db := raw(t, dir)
	spoil := func(sql string) {
		t.Helper()
		_, err := db.Exec(sql)
		require.NoError(t, err)
	}
	spoil(`UPDATE preps SET prep = '{"size":{"factor":9}}' WHERE asset_id = 1 AND seq = 2`)
	spoil(`UPDATE kits SET target = 'no target' WHERE id = 2`)
	spoil(`UPDATE exports SET certificate = '{"rows":null}' WHERE id = 1`)
	spoil(`UPDATE exports SET size = 'many' WHERE id = 2`)
	require.NoError(t, db.Close())
	s, err := open(dir)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	for _, k := range seals { // the triggers come back, as in a folder that a disk damaged
		for _, stmt := range k.triggers() {
			_, err := s.db.Exec(stmt)
			require.NoError(t, err)
		}
	}
	is := func(err error, table string) {
		t.Helper()
		var row *RowError
		if assert.ErrorAs(t, err, &row) {
			assert.Equal(t, table, row.Table)
		}
	}
	kits, err := s.Kits(ctx, false)
	require.NoError(t, err)
	require.Len(t, kits, 2)
	assert.NoError(t, kits[1].Harm)
	is(kits[0].Harm, "kits")
	_, err = s.Kit(ctx, 2)
	is(err, "kits")
	is(s.SetGrid(ctx, 2, 1), "kits")

	_, err = s.State(ctx, 1)
	is(err, "preps")
	_, states, _, err := s.Overview(ctx, 1)
	require.NoError(t, err)
	is(states[0].Harm, "preps")
	assert.Equal(t, "dinghy", states[0].Asset.Name)
	moved, err := s.MovePrep(ctx, 1, 2, -1)
	require.NoError(t, err, "one can go back to before the damage")
	assert.True(t, moved)
	st, err := s.State(ctx, 1)
	require.NoError(t, err)
	assert.Equal(t, "Twice as large", st.Step.Label)

	list, n, err := s.Exports(ctx, 1, 0, 0, 10)
	require.NoError(t, err)
	require.Equal(t, 2, n)
	is(list[0].Harm, "exports")
	is(list[1].Harm, "exports")
	_, err = s.Export(ctx, 1)
	is(err, "exports")

	v, err := Verify(ctx, dir)
	require.NoError(t, err)
	var said []string
	for _, r := range v.Rows {
		said = append(said, fmt.Sprintf("%s:%d %s", r.Table, r.Row, r.Of))
	}
	assert.Equal(t, []string{
		"kits:2 the kit “Tern Point 1” with its target, grid and map of slots, and all its assets",
		"preps:2 decision 2 of “dinghy”",
		"exports:1 the export “dinghy.glb” of “dinghy” with its certificate",
		"exports:2 the export “dinghy.glb” of “dinghy” with its certificate"}, said)
	for _, r := range v.Rows {
		require.NoError(t, s.Accept(ctx, r.Table, r.Row))
	}
	v, err = Verify(ctx, dir)
	require.NoError(t, err)
	assert.Empty(t, v.Rows)
	assert.ErrorIs(t, s.Accept(ctx, "nothing", 1), ErrNotFound)
	_, err = s.Export(ctx, 1)
	assert.NoError(t, err)
	assert.Error(t, s.SetGrid(ctx, 3, 1))
}

// A row that is taken out of a chain is missed by the one after it.
func TestAChainMissesALink(t *testing.T) {
	dir := lived(t)
	db := raw(t, dir)
	for _, stmt := range []string{`DELETE FROM preps WHERE asset_id = 1 AND seq = 1`, `DELETE FROM exports WHERE id = 1`,
		`DELETE FROM target_revisions WHERE number = 1`, `DELETE FROM revision_files WHERE name = 'dinghy.mtl'`,
		`DELETE FROM journal WHERE id = 2`} {
		tx, err := db.Begin()
		require.NoError(t, err)
		_, err = tx.Exec(stmt)
		require.NoError(t, err)
		broken, err := brokenRows(context.Background(), tx)
		require.NoError(t, err)
		assert.NotEmpty(t, broken, stmt)
		require.NoError(t, tx.Rollback())
	}
}

// Rows of before there were seals are sealed as they are, moments of then sort, and what was damaged since stays
// damaged when more is sealed than before.
func TestSealsOfOlderFoldersAndOfMoreColumns(t *testing.T) {
	dir := lived(t)
	db := raw(t, dir)
	_, err := db.Exec(`UPDATE assets SET name = 'damaged' WHERE id = 1`)
	require.NoError(t, err)
	_, err = db.Exec(`UPDATE seals SET expr = 'row_digest(''assets'', assets.name)' WHERE name = 'assets'`)
	require.NoError(t, err)
	_, err = db.Exec(`UPDATE assets SET seal = row_digest('assets', assets.name) WHERE id = 2`)
	require.NoError(t, err)
	require.NoError(t, db.Close())
	s := folder(t, dir)
	_, err = s.Asset(context.Background(), 1)
	var row *RowError
	assert.True(t, errors.As(err, &row))
	_, err = s.Asset(context.Background(), 2)
	assert.NoError(t, err)

	assert.Equal(t, "2026-11-30T10:00:00.500000000Z", evenStamp("2026-11-30T10:00:00.5Z"))
	assert.Equal(t, "2026-11-30T10:00:00.000000000Z", evenStamp("2026-11-30T11:00:00+01:00"))
	assert.Equal(t, "yesterday", evenStamp("yesterday"))
	assert.Nil(t, evenStamp(nil))
	early, late := time.Date(2026, 11, 30, 10, 0, 0, 0, time.UTC), time.Date(2026, 11, 30, 10, 0, 0, 1e8, time.UTC)
	assert.Less(t, early.Format(stamp), late.Format(stamp))
}

// A backup comes back whole whichever bit of it is flipped, but for the one file that the bit lies in, which is named
// with what needs it; and nothing is there when nothing came back.
func TestABackupWithAFlippedBitIsPutBack(t *testing.T) {
	ctx := context.Background()
	dir := lived(t)
	file := filepath.Join(t.TempDir(), "kits.zip")
	_, err := BackupTo(ctx, dir, file)
	require.NoError(t, err)
	r, err := CheckBackup(ctx, file)
	require.NoError(t, err)
	assert.True(t, r.Sound(), r.Trouble)
	assert.Len(t, r.Accounts, 2)
	was, err := os.ReadFile(file)
	require.NoError(t, err)
	blobs := func(dir string) map[string]bool {
		list, err := filepath.Glob(filepath.Join(dir, "blobs", "??", "*"))
		require.NoError(t, err)
		m := map[string]bool{}
		for _, f := range list {
			b, err := os.ReadFile(f)
			require.NoError(t, err)
			require.Equal(t, filepath.Base(f), fmt.Sprintf("%x", sha256.Sum256(b)), "only sound files come back")
			m[filepath.Base(f)] = true
		}
		return m
	}
	all := blobs(dir)
	n := 1500
	if testing.Short() {
		n = 60
	}
	rnd := rand.New(rand.NewPCG(26, 1))
	told := 0
	for i := range n {
		b := append([]byte(nil), was...)
		at := rnd.IntN(len(b))
		b[at] ^= 1 << rnd.IntN(8)
		require.NoError(t, os.WriteFile(file, b, 0o600))
		to := filepath.Join(t.TempDir(), fmt.Sprint("back ", i))
		r, err := Restore(ctx, file, to)
		require.NoError(t, err, "byte %d", at)
		require.Empty(t, r.Database)
		require.Empty(t, r.Rows, "byte %d", at)
		back := blobs(to)
		require.GreaterOrEqual(t, len(back), len(all)-1, "byte %d: %v", at, r.Trouble)
		for sha := range all {
			if !back[sha] {
				told++
				require.Contains(t, strings.Join(r.Trouble, "\n"), sha)
				require.Contains(t, strings.Join(r.Trouble, "\n"), "dinghy", "what needs it")
				require.Len(t, r.Harmed, 1)
			}
		}
		left, err := filepath.Glob(filepath.Join(filepath.Dir(to), ".*"))
		require.NoError(t, err)
		require.Empty(t, left)
	}
	t.Logf("%d bits of %d bytes: %d kept files were lost and named", n, len(was), told)
	assert.NotZero(t, told)

	// Cut short, what stands before the cut is there; without a sound database nothing is.
	require.NoError(t, os.WriteFile(file, was[:len(was)/2], 0o600))
	to := filepath.Join(t.TempDir(), "half")
	r, err = Restore(ctx, file, to)
	require.NoError(t, err)
	assert.False(t, r.Sound())
	// With its end cut off all is there, whatever zips lie within it.
	require.NoError(t, os.WriteFile(file, was[:len(was)-60], 0o600))
	r, err = Restore(ctx, file, filepath.Join(t.TempDir(), "cut"))
	require.NoError(t, err)
	assert.Empty(t, r.Harmed)
	assert.NotEmpty(t, r.Trouble)
	spoilt := append([]byte(nil), was...)
	for i := range spoilt {
		if i%97 == 0 {
			spoilt[i] ^= 4
		}
	}
	require.NoError(t, os.WriteFile(file, spoilt, 0o600))
	to = filepath.Join(t.TempDir(), "none")
	_, err = Restore(ctx, file, to)
	assert.Error(t, err)
	assert.NoDirExists(t, to)
}

// The folder and what is in it are this user's alone, restored ones too, and older ones from their next start on.
func TestTheFolderIsPrivate(t *testing.T) {
	if os.PathSeparator == '\\' {
		t.Skip("Windows has other rights")
	}
	ctx := context.Background()
	dir := lived(t)
	private := func(dir string) {
		t.Helper()
		require.NoError(t, filepath.WalkDir(dir, func(path string, d os.DirEntry, err error) error {
			require.NoError(t, err)
			info, err := d.Info()
			require.NoError(t, err)
			assert.Zero(t, info.Mode().Perm()&0o077, path)
			return nil
		}))
	}
	private(dir)
	file := filepath.Join(t.TempDir(), "kits.zip")
	_, err := BackupTo(ctx, dir, file)
	require.NoError(t, err)
	to := filepath.Join(t.TempDir(), "back")
	_, err = Restore(ctx, file, to)
	require.NoError(t, err)
	private(to)
	require.NoError(t, os.Chmod(dir, 0o755))
	require.NoError(t, os.Chmod(filepath.Join(dir, databaseName), 0o644))
	s, err := Open(dir)
	require.NoError(t, err)
	require.NoError(t, s.Close())
	private(dir)
}
