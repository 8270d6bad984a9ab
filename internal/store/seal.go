package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"database/sql/driver"
	"encoding/binary"
	"encoding/hex"
	"errors"
	"fmt"
	"math"
	"strings"
	"time"

	"modernc.org/sqlite"
	sqlite3 "modernc.org/sqlite/lib"

	"yarvek/core/fault"
)

// A seal is what tells a row that is as it was kept from one that a disk, a copy or a foreign program changed: a
// SHA-256 over its content and, where rows follow one another, over the seal of the one before it. It is no secret:
// whoever can write to the database can make seals too.
//
// Triggers make the seal of a row when it is written, and refuse to change a row whose seal does not hold, so that
// no change can bless a damage. Whatever reads rows asks for [held] beside them.
type sealed struct {
	table   string
	columns []string // what is sealed, all but seal itself and what changes without being kept
	after   string   // SQL for what is sealed besides, the seal of the row before it or of what belongs to it
	late    bool     // it is sealed by [reseal] once what belongs to it is there, not when it is inserted
}

// seals lists the sealed tables: all but those whose loss costs nothing (failed_tries, makings, programs), seals and
// goose's own.
var seals = []sealed{
	{table: "kits", columns: []string{"id", "name", "target", "created", "signed", "removed", "grid", "slot_map"}},
	{table: "assets", columns: []string{"id", "kit_id", "name", "prep_at", "removed", "created", "revision",
		"changes", "signed"}},
	{table: "revisions", late: true,
		columns: []string{"id", "asset_id", "number", "main", "created", "signed"},
		after: `(SELECT json_group_array(json_array(f.name, f.sha, f.size) ORDER BY f.name)
			FROM revision_files f WHERE f.revision_id = $.id)`},
	{table: "preps", columns: []string{"asset_id", "seq", "prep", "label", "created", "signed"},
		after: `(SELECT b.seal FROM preps b WHERE b.asset_id = $.asset_id AND b.seq = $.seq - 1)`},
	{table: "exports", columns: []string{"id", "asset_id", "revision", "seq", "prep", "target", "format",
		"name", "sha", "size", "packing_sum", "certificate_sum", "created", "signed"},
		after: `(SELECT b.seal FROM exports b WHERE b.asset_id = $.asset_id AND b.id < $.id ORDER BY b.id DESC LIMIT 1)`},
	{table: "people", columns: []string{"name", "phrase", "created", "folded"}},
	{table: "sessions", columns: []string{"token", "person", "opens", "data", "expiry", "created",
		"address", "agent"}},
	{table: "uploads", columns: []string{"job", "kit_id", "files", "created"}},
	{table: "targets", columns: []string{"id", "removed"}},
	{table: "target_revisions", columns: []string{"target", "number", "body", "created", "signed"},
		after: `(SELECT b.seal FROM target_revisions b WHERE b.target = $.target AND b.number = $.number - 1)`},
	{table: "added_pictures", columns: []string{"asset_id", "sha", "name", "size", "created", "signed"}},
	{table: "presets", columns: []string{"id", "kit_id", "name", "folded", "body", "standard", "created", "signed"}},
	{table: "opinions", columns: []string{"export_id", "reader", "body", "created", "signed"}},
	{table: "placings", columns: []string{"id", "kit_id", "export_id", "folder", "files", "state", "created", "signed"}},
	{table: "rounds", columns: []string{"id", "kit_id", "title", "steps", "undone", "created", "signed"}},
	{table: "errands", columns: []string{"job", "kit_id", "body", "person", "address", "tries", "created"}},
	{table: "budgets", columns: []string{"kit_id", "body", "created", "signed"}},
	{table: "journal", columns: []string{"id", "at", "person", "address", "did", "what"},
		after: `(SELECT b.seal FROM journal b WHERE b.id < $.id ORDER BY b.id DESC LIMIT 1)`},
}

// says is the SQL of the seal that a row should have, by the name its table goes by.
func (s sealed) says(as string) string {
	var b strings.Builder
	fmt.Fprintf(&b, "row_digest('%s'", s.table)
	for _, c := range s.columns {
		fmt.Fprintf(&b, ", $.%s", c)
	}
	if s.after != "" {
		b.WriteString(", " + s.after)
	}
	b.WriteString(")")
	return strings.ReplaceAll(b.String(), "$.", as+".")
}

// held is the SQL that tells whether a row is as it was kept, by its table and the name it goes by. A table that is
// not sealed is a mistake of the program.
func held(table, as string) string {
	for _, s := range seals {
		if s.table == table {
			return fmt.Sprintf("(%s.seal IS %s)", as, s.says(as))
		}
	}
	panic("no seals are kept of " + table)
}

// RowError is a row of the database that is not as it was kept. It is never used, and never changed.
type RowError struct {
	Table string
	Key   string // of the row, "" where it is not known which
}

// Error says which row it is and who knows more.
func (e *RowError) Error() string {
	return fmt.Sprintf("a row of %s (%s) in the database is not as it was kept, so it is not used; "+
		"yarvek verify tells what it touches and what to do", e.Table, e.Key)
}

// broken is a *RowError as people are told it.
func broken(table, key string) error { return fault.From(fault.Damaged, &RowError{table, key}) }

// brokenSeal makes a RowError of a trigger's refusal; any other error stays.
func brokenSeal(err error) error {
	var e *sqlite.Error
	if errors.As(err, &e) && e.Code() == sqlite3.SQLITE_CONSTRAINT_TRIGGER {
		for _, s := range seals {
			if strings.Contains(e.Error(), s.refusal()) {
				return broken(s.table, "the one to be changed")
			}
		}
	}
	return err
}

// refusal is what the trigger says that keeps a damaged row from being changed.
func (s sealed) refusal() string { return "the seal of a row of " + s.table + " is broken" }

// triggers are those that keep a table's seals, and drop those of before.
func (s sealed) triggers() []string {
	write := fmt.Sprintf("UPDATE %s SET seal = %s WHERE rowid = NEW.rowid", s.table, s.says(s.table))
	cols := strings.Join(s.columns, ", ")
	list := []string{
		fmt.Sprintf("DROP TRIGGER IF EXISTS seal_%s_new", s.table),
		fmt.Sprintf("DROP TRIGGER IF EXISTS seal_%s_guard", s.table),
		fmt.Sprintf("DROP TRIGGER IF EXISTS seal_%s_changed", s.table),
		fmt.Sprintf("CREATE TRIGGER seal_%s_guard BEFORE UPDATE OF %s ON %s WHEN NOT %s BEGIN SELECT RAISE(ABORT, '%s'); END",
			s.table, cols, s.table, held(s.table, "OLD"), s.refusal()),
		fmt.Sprintf("CREATE TRIGGER seal_%s_changed AFTER UPDATE OF %s ON %s BEGIN %s; END", s.table, cols, s.table, write),
	}
	if !s.late {
		list = append(list, fmt.Sprintf("CREATE TRIGGER seal_%s_new AFTER INSERT ON %s BEGIN %s; END", s.table, s.table,
			write))
	}
	return list
}

// reseal seals a row as it reads now.
func reseal(ctx context.Context, tx *sql.Tx, table string, rowid int64) error {
	for _, s := range seals {
		if s.table == table {
			_, err := tx.ExecContext(ctx, fmt.Sprintf("UPDATE %s SET seal = %s WHERE rowid = ?", table, s.says(table)), rowid)
			return err
		}
	}
	panic("no seals are kept of " + table)
}

// keepSeals makes the triggers of all tables. Where what is sealed is another than before, sound rows are sealed anew,
// and those whose seal did not hold stay as they are.
func keepSeals(ctx context.Context, db *sql.DB) error {
	tx, err := db.BeginTx(ctx, nil)
	if err != nil {
		return err
	}
	defer func() { _ = tx.Rollback() }()
	for _, s := range seals {
		var was string
		err := tx.QueryRowContext(ctx, "SELECT expr FROM seals WHERE name = ?", s.table).Scan(&was)
		if err != nil && missing(err) != ErrNotFound {
			return err
		}
		is := s.says(s.table)
		if was == is {
			continue
		}
		if err := s.anew(ctx, tx, was); err != nil {
			return fmt.Errorf("the seals of %s: %w", s.table, err)
		}
		for _, stmt := range s.triggers() {
			if _, err := tx.ExecContext(ctx, stmt); err != nil {
				return fmt.Errorf("the seals of %s: %w", s.table, err)
			}
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO seals (name, expr) VALUES (?1, ?2)
			ON CONFLICT (name) DO UPDATE SET expr = ?2`, s.table, is); err != nil {
			return err
		}
	}
	return tx.Commit()
}

// there tells whether the table is one that this program made: what it is made of is kept in the database too, where a
// changed letter makes another name of a column, which no page can do without.
func (s sealed) there(db *sql.DB) error {
	var n int
	err := db.QueryRow(fmt.Sprintf("SELECT 1 FROM %s t WHERE %s LIMIT 0", s.table, held(s.table, "t"))).Scan(&n)
	var e *sqlite.Error
	if errors.As(err, &e) && e.Code() == sqlite3.SQLITE_ERROR {
		return &damaged{fmt.Sprintf("its table %s is not as it was made: %v", s.table, err)}
	}
	if errors.Is(err, sql.ErrNoRows) {
		return nil
	}
	return err
}

// anew seals the rows of a table, first to last, that were sound by the SQL their seals were made by before; all where
// there was none.
func (s sealed) anew(ctx context.Context, tx *sql.Tx, was string) error {
	sound := ""
	if was != "" {
		sound = " WHERE seal IS " + was
	}
	rows, err := all(ctx, tx, func(row scanner) (id int64, err error) {
		return id, row.Scan(&id)
	}, fmt.Sprintf("SELECT rowid FROM %s%s ORDER BY rowid", s.table, sound))
	if err != nil {
		return err
	}
	for _, id := range rows {
		if err := reseal(ctx, tx, s.table, id); err != nil {
			return err
		}
	}
	return nil
}

// A BrokenRow is a sealed row that is not as it was kept.
type BrokenRow struct {
	Table string
	Row   int64  // SQLite's own number of it
	Of    string // what it touches, in words
}

// assetName is the SQL of the name of the asset a row is about.
const assetName = `coalesce((SELECT a.name FROM assets a WHERE a.id = $.asset_id), '?')`

// touched says for each table what a row of it touches: SQL over the row as $.
var touched = map[string]string{
	"kits":      `'the kit “' || $.name || '” with its target, grid and map of slots, and all its assets'`,
	"assets":    `'the asset “' || $.name || '” of kit ' || $.kit_id`,
	"revisions": `'revision ' || $.number || ' of “' || ` + assetName + ` || '”'`,
	"preps": `'decision ' || $.seq || ' of “' || ` + assetName + ` || '”'
		|| iif($.seq = (SELECT a.prep_at FROM assets a WHERE a.id = $.asset_id), ', which is in force', '')`,
	"exports": `'the export “' || $.name || '” of “' || ` + assetName + `
		|| '” with its certificate'`,
	"people":           `'the account of ' || $.name`,
	"sessions":         `'somebody''s session; they sign in again'`,
	"errands":          `'what was under way in kit ' || $.kit_id || ' when the program ended'`,
	"uploads":          `'what an upload into kit ' || $.kit_id || ' brought'`,
	"targets":          `'whether the target ' || $.id || ' stands in the list'`,
	"target_revisions": `'revision ' || $.number || ' of the target ' || $.target`,
	"added_pictures": `'the picture ' || $.name || ' added to “' ||
		` + assetName + ` || '”'`,
	"presets":  `'the preset “' || $.name || '” of kit ' || $.kit_id`,
	"opinions": `'what ' || $.reader || ' says of export ' || $.export_id || '; it can be asked again'`,
	"budgets":  `'the budget of kit ' || $.kit_id`,
	"rounds":   `'what was decided for many of kit ' || $.kit_id`,
	"placings": `'what export ' || $.export_id || ' wrote into ' || $.folder`,
	"journal":  `'a line of the journal'`,
}

// brokenRows lists all sealed rows of a database that are not as they were kept. A database of before there were seals
// has none.
func brokenRows(ctx context.Context, db queries) (list []BrokenRow, err error) {
	var there int
	err = db.QueryRowContext(ctx, `SELECT count(*) FROM sqlite_master WHERE name = 'seals'`).Scan(&there)
	if err != nil || there == 0 {
		return nil, err
	}
	for _, s := range seals {
		var was string
		if err := db.QueryRowContext(ctx, "SELECT expr FROM seals WHERE name = ?", s.table).Scan(&was); err != nil {
			if missing(err) == ErrNotFound {
				continue
			}
			return nil, err
		}
		as := func(sql string) string { return strings.ReplaceAll(sql, "$.", s.table+".") }
		extra := ""
		if s.table == "exports" { // the large columns are sealed by their sums
			extra = ` OR packing_sum IS NOT row_digest(packing) OR certificate_sum IS NOT row_digest(certificate)`
		}
		rows, err := all(ctx, db, func(row scanner) (b BrokenRow, err error) {
			b.Table = s.table
			return b, row.Scan(&b.Row, &b.Of)
		}, fmt.Sprintf(`SELECT rowid, coalesce(%s, 'what can''t be told') FROM %s
			WHERE seal IS NOT %s%s ORDER BY rowid`, as(touched[s.table]), s.table, was, extra))
		if err != nil {
			return nil, err
		}
		list = append(list, rows...)
	}
	return list, nil
}

// Accept seals a row as it reads now, for somebody who has looked at it, in a folder that no server holds.
func (s *Store) Accept(ctx context.Context, table string, row int64) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		for _, k := range seals {
			if k.table != table {
				continue
			}
			if table == "exports" {
				if _, err := tx.ExecContext(ctx, `DROP TRIGGER seal_exports_guard`); err != nil {
					return err
				}
				if _, err := tx.ExecContext(ctx, `UPDATE exports SET packing_sum = row_digest(packing),
					certificate_sum = row_digest(certificate) WHERE rowid = ?`, row); err != nil {
					return err
				}
				for _, stmt := range k.triggers() {
					if _, err := tx.ExecContext(ctx, stmt); err != nil {
						return err
					}
				}
			}
			if err := reseal(ctx, tx, table, row); err != nil {
				return err
			}
			return noteIn(ctx, tx, Accepted, fmt.Sprintf("row %d of %s", row, table))
		}
		return fmt.Errorf("%w: no seals are kept of %q", ErrNotFound, table)
	})
}

func init() {
	// SQLite calls these by name, from triggers and from queries.
	sqlite.MustRegisterDeterministicScalarFunction("row_digest", -1,
		func(_ *sqlite.FunctionContext, args []driver.Value) (driver.Value, error) {
			return rowDigest(args), nil
		})
	sqlite.MustRegisterDeterministicScalarFunction("folded_name", 1,
		func(_ *sqlite.FunctionContext, args []driver.Value) (driver.Value, error) {
			name, _ := args[0].(string)
			return Folded(name), nil
		})
	sqlite.MustRegisterDeterministicScalarFunction("even_stamp", 1,
		func(_ *sqlite.FunctionContext, args []driver.Value) (driver.Value, error) {
			return evenStamp(args[0]), nil
		})
}

// rowDigest is the SHA-256 of values, each with its kind and length before it, cut to 128 bits.
func rowDigest(values []driver.Value) string {
	h := sha256.New()
	put := func(kind byte, n uint64) {
		var b [9]byte
		b[0] = kind
		binary.BigEndian.PutUint64(b[1:], n)
		h.Write(b[:])
	}
	for _, v := range values {
		switch v := v.(type) {
		case nil:
			put('n', 0)
		case int64:
			put('i', uint64(v))
		case float64:
			put('f', math.Float64bits(v))
		case string:
			put('t', uint64(len(v)))
			h.Write([]byte(v))
		case []byte: // text that was given as bytes is the same text
			put('t', uint64(len(v)))
			h.Write(v)
		default:
			put('?', 0)
			fmt.Fprintf(h, "%T %v", v, v)
		}
	}
	return hex.EncodeToString(h.Sum(nil)[:16])
}

// evenStamp writes a kept moment with nine decimals; what is none stays as it is.
func evenStamp(v driver.Value) driver.Value {
	s, ok := v.(string)
	if !ok {
		return v
	}
	t, err := time.Parse(time.RFC3339Nano, s)
	if err != nil {
		return v
	}
	return t.UTC().Format(stamp)
}
