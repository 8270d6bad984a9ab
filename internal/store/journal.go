package store

import (
	"context"
	"database/sql"
	"time"
)

// Deed is what a line of the journal says was done.
type Deed string

// The deeds that are noted.
const (
	SignedIn  Deed = "signed in"
	Refused   Deed = "was refused"
	SignedOut Deed = "signed out"
	Ended     Deed = "ended sessions"
	Sent      Deed = "sent"
	Removed   Deed = "removed"
	PutBack   Deed = "put back"
	Added     Deed = "added an account"
	Rephrased Deed = "changed a passphrase"
	Dropped   Deed = "removed an account"
	Tidied    Deed = "moved to the trash"
	Restored  Deed = "put a backup back"
	Accepted  Deed = "accepted a changed row"
)

// Line is one of the journal.
type Line struct {
	At      time.Time
	Person  string // "" for nobody in particular
	Address string // the request came from, "" for none
	Did     Deed
	What    string
	Harm    error // it is not as it was kept; nil for sound
}

// address is the key under which a context holds where a request comes from.
type address struct{}

// From gives a context in which the journal notes where a request comes from.
func From(ctx context.Context, from string) context.Context {
	return context.WithValue(ctx, address{}, from)
}

// Address is where a request comes from that a context is of, "" for none.
func Address(ctx context.Context) string {
	from, _ := ctx.Value(address{}).(string)
	return from
}

// noteIn adds a line to the journal in a transaction, by whom and from where the context says.
func noteIn(ctx context.Context, tx *sql.Tx, did Deed, what string) error {
	_, err := tx.ExecContext(ctx, `INSERT INTO journal (at, person, address, did, what) VALUES (?, ?, ?, ?, ?)`, now(),
		By(ctx), Address(ctx), did, what)
	return err
}

// Note adds a line to the journal.
func (s *Store) Note(ctx context.Context, did Deed, what string) error {
	return s.tx(ctx, func(tx *sql.Tx) error { return noteIn(ctx, tx, did, what) })
}

// Journal gives its last lines, the newest first.
func (s *Store) Journal(ctx context.Context, most int) ([]Line, error) {
	return all(ctx, s.db, func(row scanner) (l Line, err error) {
		var at, key string
		var sound bool
		if err = row.Scan(&at, &l.Person, &l.Address, &l.Did, &l.What, &key, &sound); !sound {
			l.Harm = broken("journal", key)
		}
		l.At = when(at)
		return l, err
	}, `SELECT at, person, address, did, what, id, `+held("journal", "j")+` FROM journal j ORDER BY id DESC LIMIT ?`, most)
}
