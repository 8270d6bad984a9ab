package store

import (
	"cmp"
	"context"
	"database/sql"
	"errors"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"
	"unicode"

	"golang.org/x/text/cases"
	"golang.org/x/text/unicode/norm"
)

// Person is somebody who may sign in.
type Person struct {
	Name    string
	Created time.Time
	Harm    error // their row is not as it was kept; nil for a sound one
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

// Folded is a name as names are compared: in compatibility form (NFKC, Unicode Standard Annex 15), with its cases
// folded, without what is invisible, and with one blank for any number.
func Folded(name string) string {
	seen := strings.Map(func(r rune) rune {
		switch {
		case unicode.IsSpace(r):
			return ' '
		case !unicode.IsPrint(r), unicode.In(r, unicode.Other_Default_Ignorable_Code_Point, unicode.Variation_Selector):
			return -1
		}
		return r
	}, norm.NFKC.String(name))
	return strings.Join(strings.Fields(norm.NFKC.String(cases.Fold().String(seen))), " ")
}

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
// ErrThere when somebody has a name that is compared as this one is.
func (s *Store) AddPerson(ctx context.Context, name, phrase string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if p, err := personOf(ctx, tx, name); err == nil {
			return fmt.Errorf("%w: %s", ErrThere, p.name)
		} else if err != ErrNotFound {
			return err
		}
		if _, err := tx.ExecContext(ctx, `INSERT INTO people (name, folded, phrase, created) VALUES (?, ?, ?, ?)`, name,
			Folded(name), phrase, now()); err != nil {
			return err
		}
		return noteIn(ctx, tx, Added, name)
	})
}

// SetPhrase gives somebody another passphrase; their sessions end.
func (s *Store) SetPhrase(ctx context.Context, name, phrase string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		p, err := personOf(ctx, tx, name)
		if err != nil {
			return err
		}
		if err := one(tx.ExecContext(ctx, `UPDATE people SET phrase = ? WHERE name = ?`, phrase, p.name)); err != nil {
			return err
		}
		if err := endSessions(ctx, tx, p.name); err != nil {
			return err
		}
		return noteIn(ctx, tx, Rephrased, p.name)
	})
}

// RemovePerson takes somebody's account away; their sessions end. It takes away an account whose row is damaged, too,
// by the name that is written in it.
func (s *Store) RemovePerson(ctx context.Context, name string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		p, err := personOf(ctx, tx, name)
		var broken *RowError
		if errors.As(err, &broken) {
			p, err = person{name: name}, nil
		}
		if err != nil {
			return err
		}
		if err := one(tx.ExecContext(ctx, `DELETE FROM people WHERE name = ?`, p.name)); err != nil {
			return err
		}
		if err := endSessions(ctx, tx, p.name); err != nil {
			return err
		}
		return noteIn(ctx, tx, Dropped, p.name)
	})
}

// person is a row of people.
type person struct{ name, phrase string }

// personOf finds somebody by a name as it is compared: ErrNotFound for nobody, a *RowError for a damaged row.
func personOf(ctx context.Context, db queries, name string) (p person, err error) {
	var sound bool
	err = db.QueryRowContext(ctx, `SELECT `+held("people", "p")+`, p.name, p.phrase FROM people p
		WHERE p.folded = ?1 OR p.name = ?2 ORDER BY p.name = ?2 DESC LIMIT 1`, Folded(name), name).
		Scan(&sound, &p.name, &p.phrase)
	harmed, err := harm(err, "people", sound, p.name)
	return p, cmp.Or(err, harmed)
}

// Phrase is somebody's name as they write it, and their passphrase as it is kept;
// ErrNotFound when there is no such person.
func (s *Store) Phrase(ctx context.Context, name string) (as, phrase string, err error) {
	p, err := personOf(ctx, s.db, name)
	return p.name, p.phrase, err
}

// Everybody lists those who may sign in, by name.
func (s *Store) Everybody(ctx context.Context) ([]Person, error) {
	return everybody(ctx, s.db)
}

func everybody(ctx context.Context, db queries) ([]Person, error) {
	return all(ctx, db, func(row scanner) (p Person, err error) {
		var sound bool
		var created string
		err = row.Scan(&sound, &p.Name, &created)
		p.Created = when(created)
		p.Harm, err = harm(err, "people", sound, p.Name)
		return p, err
	}, `SELECT `+held("people", "p")+`, p.name, p.created FROM people p ORDER BY p.name`)
}
