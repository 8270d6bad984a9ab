package web

import (
	"context"
	"net/netip"
	"time"

	"yarvek/internal/work"
)

// Tries to sign in that fail make the next ones wait: those of a name from an address, and those from an address
// whatever the name. Nobody can lock a name out from elsewhere: where a name is tried from many addresses, tries go
// through one at a time, so that the right passphrase gets in late and a wrong one gains little.
const (
	freeTries   = 3               // of a name from an address, before the first wait of a second
	freeSpread  = 20              // from an address, likewise
	freeOfName  = 30              // of a name within an hour, before tries go one at a time
	longestWait = 5 * time.Minute // each wait is twice the one before, up to this
	forgetAfter = time.Hour
)

// slowly is how long a try takes of those that go one at a time; shorter in tests.
var slowly = 2 * time.Second

// waitOf is how long the next try waits after some that failed.
func waitOf(t work.Tries, free int) time.Duration {
	if t.Times < free {
		return 0
	}
	return min(longestWait, time.Second<<min(t.Times-free, 10))
}

// pairKey, addressKey and nameKey are what tries are counted by.
func pairKey(address, name string) string {
	return "pair " + Network(address) + " " + work.Folded(name)
}
func addressKey(address string) string { return "from " + Network(address) }
func nameKey(name string) string       { return "name " + work.Folded(name) }

// Network is what one person has of addresses: one of IPv4, and of IPv6 the 64 bits that a line is given (RFC 6177).
func Network(address string) string {
	a, err := netip.ParseAddr(address)
	if err != nil || a.Unmap().Is4() {
		return a.Unmap().String()
	}
	p, err := a.Prefix(64)
	if err != nil {
		return address
	}
	return p.String()
}

// hurdle is how long a try has to wait yet; with 0 it may be made, and counts as failed until it turns out right. A
// try counts before it is looked at: many at once must not slip through.
func (d *door) hurdle(ctx context.Context, address, name string) (time.Duration, error) {
	now := time.Now()
	since := now.Add(-forgetAfter)
	keys := []string{pairKey(address, name), addressKey(address), nameKey(name)}
	tries, err := d.people.FailedTries(ctx, since, keys...)
	if err != nil {
		return 0, err
	}
	left := max(waitOf(tries[0], freeTries)-now.Sub(tries[0].Last), waitOf(tries[1], freeSpread)-now.Sub(tries[1].Last))
	if left > 0 {
		return left, nil
	}
	if err := d.people.CountTry(ctx, now, since, keys...); err != nil {
		return 0, err
	}
	if tries[2].Times < freeOfName {
		return 0, nil
	}
	select {
	case d.slow <- struct{}{}:
		defer func() { <-d.slow }()
	case <-ctx.Done():
		return 0, ctx.Err()
	}
	select {
	case <-time.After(slowly):
		return 0, nil
	case <-ctx.Done():
		return 0, ctx.Err()
	}
}
