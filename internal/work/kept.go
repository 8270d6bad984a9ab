package work

import (
	"context"
	"errors"
	"time"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/internal/store"
)

// Cause is why the data folder did not do what it was asked; see package store.
type Cause = store.Cause

// The causes that a page has words for.
const (
	Unknown  = store.Unknown
	Full     = store.Full
	ReadOnly = store.ReadOnly
	Busy     = store.Busy
	Harmed   = store.Harmed
	Broken   = store.Broken
)

// Session is one that somebody signed in by, and Tries how often something failed; see package store.
type (
	Session = store.Session
	Tries   = store.Tries
	Deed    = store.Deed
	Orphan  = store.Orphan
)

// What the door notes in the journal.
const (
	SignedIn  = store.SignedIn
	Refused   = store.Refused
	SignedOut = store.SignedOut
)

// RowError is a row of the database that is not as it was kept.
type RowError = store.RowError

// StepBack is the count of changes by which the decision in force of an asset can be undone, where that decision is
// damaged; ok is false where anything else is the matter.
func (d *Desk) StepBack(ctx context.Context, asset int64, err error) (base int, ok bool) {
	var row *RowError
	if !errors.As(err, &row) || row.Table != "preps" {
		return 0, false
	}
	a, err := d.store.Asset(ctx, asset)
	return a.Changes, err == nil && a.Seq > 0
}

// ErrRemoved is given for a change of what was taken out of its kit or off the list of kits.
var ErrRemoved = store.ErrRemoved

// From gives a context in which the journal notes where a request comes from.
func From(ctx context.Context, address string) context.Context { return store.From(ctx, address) }

// Folded is a name as names of people are compared.
func Folded(name string) string { return store.Folded(name) }

// SessionID is what the session of a token is called by.
func SessionID(token string) string { return store.SessionID(token) }

// PhraseDigest is what a session remembers of a kept passphrase.
func PhraseDigest(phrase string) string { return store.PhraseDigest(phrase) }

// As gives a context in which changes are signed with a name.
func As(ctx context.Context, name string) context.Context { return store.As(ctx, name) }

// By is who makes changes in a context, "" for nobody in particular.
func By(ctx context.Context) string { return store.By(ctx) }

// CauseOf finds the cause in an error of a Desk.
func CauseOf(err error) Cause { return store.CauseOf(err) }

// keptFault words what is wrong with the kept bytes of a file, so that a page can say it
// of an asset that is there; any other error stays as it is.
func keptFault(file string, err error) error {
	var e *fault.Error
	switch {
	case errors.Is(err, store.ErrDamaged):
		e = fault.New(fault.Damaged, "was damaged on the disk since it came in: its bytes are no longer those that were kept")
	case errors.Is(err, store.ErrNotFound):
		e = fault.New(fault.Missing, "is gone from the data folder since it came in")
	default:
		return err
	}
	// The cause is left out: an asset that is there must not be taken for ErrNotFound.
	e.File = file
	return e.Advise("Send the same file again to make it whole, or put it back from a backup; yarvek verify tells what " +
		"else is harmed")
}

// keptBytes reads a kept file, and never gives other bytes than were kept.
func (d *Desk) keptBytes(f store.File) ([]byte, error) {
	b, err := d.store.Blob(f.SHA)
	return b, keptFault("", err)
}

// tidyEvery is how often a running desk looks for files of no use.
const tidyEvery = 6 * time.Hour

// Tidy sweeps files that nothing refers to into the data folder's trash, at once and
// then every few hours, until ctx ends. What it did, or why it left everything where it
// is, goes to the log.
func (d *Desk) Tidy(ctx context.Context) {
	for {
		d.tidy(ctx, time.Now())
		select {
		case <-ctx.Done():
			return
		case <-time.After(tidyEvery):
		}
	}
}

// Unswept is what the last sweep left where it is, since it might be all there is; zero when it left nothing.
func (d *Desk) Unswept() store.Swept {
	if did := d.swept.Load(); did != nil && did.Held != "" {
		return *did
	}
	return store.Swept{}
}

// Orphans lists the files that nothing refers to and that a sweep would move, the largest first.
func (d *Desk) Orphans(ctx context.Context) ([]store.Orphan, error) {
	return d.store.Orphans(ctx, time.Now())
}

// Sweep moves them to the trash, for somebody who saw what they are.
func (d *Desk) Sweep(ctx context.Context) (store.Swept, error) {
	did, err := d.store.Sweep(ctx, time.Now(), true)
	if err == nil {
		d.swept.Store(&did)
		err = d.store.Note(ctx, store.Tidied, figure.Plural(did.Moved, "file", "files")+" that nothing refers to")
	}
	return did, err
}

func (d *Desk) tidy(ctx context.Context, now time.Time) {
	did, err := d.store.Sweep(ctx, now, false)
	d.swept.Store(&did)
	switch {
	case err != nil && ctx.Err() == nil:
		d.log.Error("files that nothing refers to were not swept", "error", err)
	case did.Held != "":
		d.log.Warn("files that nothing refers to were left where they are", "files", did.Orphans, "of", did.Blobs, "why",
			did.Held)
	case did.Moved+did.Dropped+did.Back > 0:
		d.log.Info("files that nothing refers to were moved to the trash", "files", did.Moved, "bytes", did.Bytes,
			"dropped after 30 days", did.Dropped, "put back", did.Back)
	}
}
