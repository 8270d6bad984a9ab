package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"time"
)

// Person is somebody who may sign in.
type Person struct {
	Name    string
	Created time.Time
}

// signature is the key under which a context holds who makes a change.
type signature struct{}

// As gives a context in which changes are signed with a name.
func As(ctx context.Context, name string) context.Context {
	return context.WithValue(ctx, signature{}, name)
}

// By is who makes changes in a context, "" for nobody in particular.
func By(ctx context.Context) string {
	name, _ := ctx.Value(signature{}).(string)
	return name
}

// ErrThere is given for a name that somebody has already.
var ErrThere = errors.New("there is somebody of this name")

// People opens the accounts of a data folder alone, whether a server holds the folder or
// not. A folder that has never been served is made ready first.
func People(dir string) (*Store, error) {
	s, err := Open(dir)
	if !errors.Is(err, ErrInUse) {
		return s, err
	}
	// A running server has brought the database up to date.
	if _, err := os.Stat(filepath.Join(dir, databaseName)); err != nil {
		return nil, err
	}
	db, err := database(dir)
	if err != nil {
		return nil, err
	}
	return &Store{db: db, dir: dir}, nil
}

// AddPerson adds somebody; phrase is their passphrase as it is kept. The error is
// ErrThere when the name is taken, in whatever case.
func (s *Store) AddPerson(ctx context.Context, name, phrase string) error {
	err := one(s.db.ExecContext(ctx, `INSERT INTO people (name, phrase, created) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`,
		name, phrase,
		now()))
	if err == ErrNotFound {
		return fmt.Errorf("%w: %s", ErrThere, name)
	}
	return err
}

// SetPhrase gives somebody another passphrase; the sessions of all end.
func (s *Store) SetPhrase(ctx context.Context, name, phrase string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := one(tx.ExecContext(ctx, `UPDATE people SET phrase = ? WHERE name = ?`, phrase, name)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM sessions`)
		return err
	})
}

// RemovePerson takes somebody's account away; the sessions of all end.
func (s *Store) RemovePerson(ctx context.Context, name string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if err := one(tx.ExecContext(ctx, `DELETE FROM people WHERE name = ?`, name)); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `DELETE FROM sessions`)
		return err
	})
}

// Phrase is somebody's name as they write it, and their passphrase as it is kept;
// ErrNotFound when there is no such person.
func (s *Store) Phrase(ctx context.Context, name string) (as, phrase string, err error) {
	err = s.db.QueryRowContext(ctx, `SELECT name, phrase FROM people WHERE name = ?`, name).Scan(&as, &phrase)
	return as, phrase, missing(err)
}

// Everybody lists those who may sign in, by name.
func (s *Store) Everybody(ctx context.Context) ([]Person, error) {
	return all(ctx, s.db, func(row interface{ Scan(...any) error }) (Person, error) {
		var p Person
		var created string
		err := row.Scan(&p.Name, &created)
		p.Created = when(created)
		return p, err
	}, `SELECT name, created FROM people ORDER BY name`)
}

// Sessions keeps the sessions of those who signed in: what a session manager asks for. A
// token is kept as its hash, so that a copy of the database opens nothing.
type Sessions struct{ s *Store }

// Sessions is where the store keeps them.
func (s *Store) Sessions() Sessions { return Sessions{s} }

func hashed(token string) string {
	h := sha256.Sum256([]byte(token))
	return hex.EncodeToString(h[:])
}

// Find gives the data of a session that has not run out, and whether there is one.
func (k Sessions) Find(token string) ([]byte, bool, error) {
	var b []byte
	err := k.s.db.QueryRow(`SELECT data FROM sessions WHERE token = ? AND expiry > ?`, hashed(token),
		time.Now().Unix()).Scan(&b)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	return b, err == nil, err
}

// Commit keeps a session, and forgets those that have run out.
func (k Sessions) Commit(token string, data []byte, expiry time.Time) error {
	if _, err := k.s.db.Exec(`DELETE FROM sessions WHERE expiry <= ?`, time.Now().Unix()); err != nil {
		return err
	}
	_, err := k.s.db.Exec(`INSERT INTO sessions (token, data, expiry) VALUES (?1, ?2, ?3)
		ON CONFLICT (token) DO UPDATE SET data = ?2, expiry = ?3`, hashed(token), data, expiry.Unix())
	return err
}

// Delete ends a session.
func (k Sessions) Delete(token string) error {
	_, err := k.s.db.Exec(`DELETE FROM sessions WHERE token = ?`, hashed(token))
	return err
}
