package store

import (
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"errors"
	"time"
)

// Session is one that somebody signed in by.
type Session struct {
	ID      string // what it is called by: a part of the hash of its token, which opens nothing
	Person  string
	Opens   string // digest of the passphrase as it was kept then, of [PhraseDigest]
	Address string // it was begun from
	Agent   string // what the browser calls itself
	Created time.Time
	Expiry  time.Time
}

// Sessions keeps the sessions of those who signed in: what a session manager asks for. A
// token is kept as its hash, so that a copy of the database opens nothing. A session is there only as long as its
// account is, with the passphrase it was begun by.
type Sessions struct{ s *Store }

// Sessions is where the store keeps them.
func (s *Store) Sessions() Sessions { return Sessions{s} }

func hashed(token string) string {
	h := sha256.Sum256([]byte(token))
	return hex.EncodeToString(h[:])
}

// SessionID is what the session of a token is called by.
func SessionID(token string) string { return hashed(token)[:sessionID] }

// sessionID is how many letters of the hash name a session.
const sessionID = 16

// PhraseDigest is what a session remembers of a kept passphrase.
func PhraseDigest(phrase string) string { return hashed("phrase " + phrase)[:32] }

// Find gives the data of a session that has not run out, and whether there is one.
func (k Sessions) Find(token string) ([]byte, bool, error) {
	var b []byte
	var person, opens string
	err := k.s.db.QueryRow(`SELECT s.data, s.person, s.opens FROM sessions s WHERE s.token = ? AND s.expiry > ? AND `+
		held("sessions", "s"), hashed(token), time.Now().Unix()).Scan(&b, &person, &opens)
	if errors.Is(err, sql.ErrNoRows) {
		return nil, false, nil
	}
	if err != nil || person == "" {
		return b, err == nil, err
	}
	p, err := personOf(context.Background(), k.s.db, person)
	var broken *RowError
	if errors.Is(err, ErrNotFound) || errors.As(err, &broken) {
		return nil, false, nil
	}
	return b, err == nil && PhraseDigest(p.phrase) == opens, err
}

// Keep keeps a session, and forgets those that have run out.
func (k Sessions) Keep(token string, data []byte, of Session) error {
	ctx := context.Background()
	return k.s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE expiry <= ?`, time.Now().Unix()); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO sessions (token, person, opens, data, expiry, created, address, agent)
			VALUES (?1, ?2, ?3, ?4, ?5, ?6, ?7, ?8)
			ON CONFLICT (token) DO UPDATE SET person = ?2, opens = ?3, data = ?4, expiry = ?5`, hashed(token), of.Person,
			of.Opens, data, of.Expiry.Unix(), now(), of.Address, of.Agent)
		return brokenSeal(err)
	})
}

// Delete ends a session.
func (k Sessions) Delete(token string) error {
	_, err := k.s.db.Exec(`DELETE FROM sessions WHERE token = ?`, hashed(token))
	return err
}

// List gives the sessions that are open, of one person or with "" of all, the newest first.
func (k Sessions) List(ctx context.Context, person string) ([]Session, error) {
	return all(ctx, k.s.db, func(row scanner) (v Session, err error) {
		var created string
		var expiry int64
		err = row.Scan(&v.ID, &v.Person, &v.Address, &v.Agent, &created, &expiry)
		v.Created, v.Expiry = when(created), time.Unix(expiry, 0)
		return v, err
	}, `SELECT substr(s.token, 1, ?1), s.person, s.address, s.agent, s.created, s.expiry
		FROM sessions s JOIN people p ON p.name = s.person
		WHERE s.expiry > ?2 AND (?3 = '' OR s.person = ?3) ORDER BY s.created DESC`, sessionID, time.Now().Unix(), person)
}

// End ends one of somebody's sessions by what it is called, or with "" all of theirs; with "" for the person those of
// all. It tells how many ended.
func (k Sessions) End(ctx context.Context, person, id string) (n int64, err error) {
	err = k.s.tx(ctx, func(tx *sql.Tx) error {
		res, err := tx.ExecContext(ctx, `DELETE FROM sessions
			WHERE (?1 = '' OR person = ?1) AND (?2 = '' OR substr(token, 1, ?3) = ?2)`, person, id, sessionID)
		if err != nil {
			return err
		}
		if n, err = res.RowsAffected(); err != nil || n == 0 {
			return err
		}
		of := person
		if of == "" {
			of = "everybody"
		}
		return noteIn(ctx, tx, Ended, "of "+of)
	})
	return n, err
}

// endSessions ends all of somebody's.
func endSessions(ctx context.Context, tx *sql.Tx, person string) error {
	_, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE person = ?`, person)
	return err
}

// Tries is how often something failed, and when last.
type Tries struct {
	Times int
	Last  time.Time
}

// triesKept bounds the list of tries that failed.
const triesKept = 20_000

// FailedTries are those of some keys, in their order, none older than since.
func (s *Store) FailedTries(ctx context.Context, since time.Time, keys ...string) ([]Tries, error) {
	list := make([]Tries, len(keys))
	for i, k := range keys {
		var last int64
		err := s.db.QueryRowContext(ctx, `SELECT times, last FROM failed_tries WHERE who = ? AND last > ?`, hashed(k),
			since.UnixMilli()).Scan(&list[i].Times, &last)
		if err != nil && !errors.Is(err, sql.ErrNoRows) {
			return nil, err
		}
		list[i].Last = time.UnixMilli(last)
	}
	return list, nil
}

// CountTry counts a try that failed for each of some keys, and forgets those older than since. Of a list that is too
// long, those of longest ago go.
func (s *Store) CountTry(ctx context.Context, at, since time.Time, keys ...string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM failed_tries WHERE last <= ?1 OR rowid IN
			(SELECT rowid FROM failed_tries ORDER BY last DESC LIMIT -1 OFFSET ?2)`, since.UnixMilli(), triesKept); err != nil {
			return err
		}
		for _, k := range keys {
			if _, err := tx.ExecContext(ctx, `INSERT INTO failed_tries (who, times, last) VALUES (?1, 1, ?2)
				ON CONFLICT (who) DO UPDATE SET times = times + 1, last = ?2`, hashed(k), at.UnixMilli()); err != nil {
				return err
			}
		}
		return nil
	})
}

// ForgetTries is for those who got it right.
func (s *Store) ForgetTries(ctx context.Context, keys ...string) error {
	return s.tx(ctx, func(tx *sql.Tx) error {
		for _, k := range keys {
			if _, err := tx.ExecContext(ctx, `DELETE FROM failed_tries WHERE who = ?`, hashed(k)); err != nil {
				return err
			}
		}
		return nil
	})
}
