package store

import (
	"archive/zip"
	"bufio"
	"bytes"
	"compress/flate"
	"context"
	"crypto/sha256"
	"encoding/binary"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"hash"
	"hash/crc32"
	"io"
	"maps"
	"os"
	"path"
	"path/filepath"
	"slices"
	"strings"
)

// sums are the checksum and the digest of what is written to them.
type sums struct {
	crc hash.Hash32
	dig hash.Hash
}

func newSums() *sums { return &sums{crc32.NewIEEE(), sha256.New()} }

// Write never fails.
func (s *sums) Write(p []byte) (int, error) {
	s.crc.Write(p)
	return s.dig.Write(p)
}

func (s *sums) sha() string { return hex.EncodeToString(s.dig.Sum(nil)) }

// unpacking is a backup on its way out.
type unpacking struct {
	dir   string          // where it goes
	keep  bool            // kept files are written, not only checked
	there map[string]bool // entries that came out sound
	list  *backupList     // nil before it was seen, or where there is none
}

// mostList bounds the list of a backup, in bytes.
const mostList = 256 << 20

// unpackBackup writes what is sound of a backup below a folder, its kept files only when they are to be kept, and
// tells the rest. The error says that it is no backup, or that its database is sound in no copy.
func unpackBackup(ctx context.Context, backup, dir string, keep bool) (*Returned, error) {
	f, err := os.Open(backup)
	if err != nil {
		return nil, fmt.Errorf("%s is no backup that can be opened: %w", backup, err)
	}
	defer f.Close()
	info, err := f.Stat()
	if err != nil {
		return nil, err
	}
	u := &unpacking{dir: dir, keep: keep, there: map[string]bool{}}
	trouble := map[string]string{}
	z, zerr := zip.NewReader(f, info.Size())
	if zerr == nil {
		for _, e := range z.File {
			if strings.TrimPrefix(e.Name, againName) == listName && u.list == nil {
				_ = u.entry(e) // told when its turn comes
			}
		}
		// Where its end is cut off, the directory that is found may be that of a zip within it.
		if zerr = u.foreign(backup, z); zerr != nil {
			z.File = nil
		}
		for _, e := range z.File {
			if err := ctx.Err(); err != nil {
				return nil, err
			}
			if !ours(e.Name) {
				trouble[strings.ToValidUTF8(e.Name, "�")] = "has no name that a backup gives"
				continue
			}
			if err := u.entry(e); err != nil {
				if CauseOf(err) == Full || CauseOf(err) == ReadOnly {
					return nil, err
				}
				trouble[e.Name] = err.Error()
			}
		}
	}
	if zerr != nil || len(trouble) > 0 || u.list != nil && len(u.missing()) > 0 {
		// Its directory, or an entry, is damaged: what can be had is looked for by the headers before the files.
		if _, err := f.Seek(0, io.SeekStart); err != nil {
			return nil, err
		}
		if err := u.salvage(ctx, f); err != nil {
			return nil, err
		}
	}
	return u.returned(ctx, backup, zerr, trouble)
}

// returned tells what came out.
func (u *unpacking) returned(ctx context.Context, backup string, zerr error, trouble map[string]string) (*Returned,
	error) {
	database := u.there[databaseName]
	switch {
	case !database && errors.Is(zerr, errForeign):
		return nil, zerr
	case !database && zerr != nil && len(u.there) == 0:
		return nil, fmt.Errorf("%s is no backup that can be opened: %w", backup, zerr)
	case !database:
		return nil,
			fmt.Errorf("%s holds no copy of the database that is sound, so nothing of it was put back. Take an older "+
				"backup; yarvek backup --check FILE tells whether one is whole", backup)
	}
	r := &Returned{}
	for name, why := range trouble {
		if !u.there[name] {
			r.Trouble = append(r.Trouble, fmt.Sprintf("%s: %s", name, why))
		}
	}
	if zerr != nil {
		r.Trouble = append(r.Trouble, "its directory: "+zerr.Error())
	}
	if u.list != nil {
		r.Made, r.Left = u.list.Made, len(u.list.Left)
	}
	file := filepath.Join(u.dir, databaseName)
	users, err := usersIn(ctx, file)
	if err != nil {
		return nil, fmt.Errorf("%s: its database can't be read: %w", backup, err)
	}
	for _, sha := range slices.Sorted(maps.Keys(users)) {
		if name := blobEntry(sha); !u.there[name] && (u.list == nil || !slices.Contains(u.list.Left, sha)) {
			if why := trouble[name]; why == "" {
				r.Trouble = append(r.Trouble, name+": is not in it")
			}
			i := len(r.Trouble) - 1
			for k, t := range r.Trouble {
				if strings.HasPrefix(t, name+":") {
					i = k
				}
			}
			r.Trouble[i] += ". Needed by " + strings.Join(users[sha], "; ")
		}
	}
	slices.Sort(r.Trouble)
	db, err := readOnly(file)
	if err != nil {
		return nil, err
	}
	defer db.Close()
	r.Verdict = &Verdict{}
	if r.Rows, err = brokenRows(ctx, db); err != nil {
		return nil, err
	}
	var folded int
	err = db.QueryRowContext(ctx, `SELECT count(*) FROM pragma_table_info('people') WHERE name = 'folded'`).Scan(&folded)
	if err == nil && folded > 0 {
		r.Accounts, err = everybody(ctx, db)
	}
	return r, err
}

// blobEntry is the entry of a kept file.
func blobEntry(sha string) string { return path.Join("blobs", sha[:min(2, len(sha))], sha) }

// foreign refuses a zip that is no backup: one without a database, and one with other files where no list says what
// belongs there.
func (u *unpacking) foreign(backup string, z *zip.Reader) error {
	found := u.list != nil
	for _, e := range z.File {
		if u.list == nil && !ours(e.Name) {
			return fmt.Errorf("%s %w: it holds %q", backup, errForeign, strings.ToValidUTF8(e.Name, "�"))
		}
		found = found || strings.TrimPrefix(e.Name, againName) == databaseName
	}
	if !found {
		return fmt.Errorf("%s %w: it has no %s", backup, errForeign, databaseName)
	}
	return nil
}

// errForeign is given for a zip that is something else.
var errForeign = errors.New("is no backup of Yarvek")

// ours tells the names that a backup may hold.
func ours(name string) bool {
	sha := path.Base(name)
	return slices.Contains([]string{listName, databaseName, againName + listName, againName + databaseName}, name) ||
		isSHA(sha) && name == blobEntry(sha)
}

// entry takes one of a sound directory.
func (u *unpacking) entry(e *zip.File) error {
	r, err := e.Open()
	if err != nil {
		return err
	}
	defer r.Close()
	return u.take(e.Name, r)
}

// take writes what a reader gives under the name of an entry, when it is what it should be.
func (u *unpacking) take(name string, r io.Reader) error {
	name, again := strings.CutPrefix(name, againName)
	if u.there[name] && again {
		_, err := io.Copy(io.Discard, r)
		return err
	}
	if name == listName {
		return u.readList(r)
	}
	to := filepath.Join(u.dir, filepath.FromSlash(name))
	sum := newSums()
	w, done := io.Writer(sum), func(bool) error { return nil }
	if u.keep || name == databaseName {
		f, err := partial(to)
		if err != nil {
			return err
		}
		w, done = io.MultiWriter(sum, f), func(sound bool) error { return finish(f, to, sound) }
	}
	_, err := io.Copy(w, r)
	if err == nil {
		err = u.judge(name, sum)
	}
	if e := done(err == nil); err == nil {
		err = e
	}
	u.there[name] = u.there[name] || err == nil
	return err
}

// readList takes the list of a backup.
func (u *unpacking) readList(r io.Reader) error {
	b, err := io.ReadAll(io.LimitReader(r, mostList))
	if err != nil {
		return err
	}
	var list backupList
	if err := json.Unmarshal(b, &list); err != nil {
		return fmt.Errorf("can't be read: %w", err)
	}
	u.list, u.there[listName] = &list, true
	return nil
}

// judge tells whether an entry has the digest that its name or the list says.
func (u *unpacking) judge(name string, sum *sums) error {
	want := path.Base(name)
	if name == databaseName {
		want = ""
		if u.list != nil {
			for _, f := range u.list.Files {
				if f.Name == name {
					want = f.SHA
				}
			}
		}
	}
	if want != "" && sum.sha() != want {
		return errors.New("does not have the bytes it was kept with")
	}
	return nil
}

// missing are the files of the list that did not come out.
func (u *unpacking) missing() (names []string) {
	for _, f := range u.list.Files {
		if !u.there[f.Name] {
			names = append(names, f.Name)
		}
	}
	return names
}

// partial begins a file beside its place.
func partial(to string) (*os.File, error) {
	if err := os.MkdirAll(filepath.Dir(to), 0o700); err != nil {
		return nil, err
	}
	return os.OpenFile(to+".part", os.O_WRONLY|os.O_CREATE|os.O_TRUNC, 0o600)
}

// finish gives a file its name, or does away with it.
func finish(f *os.File, to string, sound bool) error {
	var err error
	if sound {
		err = f.Sync()
	}
	err = errors.Join(err, f.Close())
	if !sound || err != nil {
		return errors.Join(err, os.Remove(f.Name()))
	}
	return os.Rename(f.Name(), to)
}

// localHeader begins every file of a zip (APPNOTE.TXT 6.3.10, section 4.3.7).
const localHeader = "PK\x03\x04"

// localSize is how long it is without the name.
const localSize = 30

// salvage goes through a zip from its beginning and takes every entry whose header can be read and whose content is
// what it should be; what came out already is passed over.
func (u *unpacking) salvage(ctx context.Context, f io.ReadSeeker) error {
	const window = 1 << 20
	in := bufio.NewReaderSize(f, window)
	at := int64(0) // of what in gives next
	skip := func(n int) error {
		at += int64(n)
		_, err := in.Discard(n)
		return err
	}
	for ctx.Err() == nil {
		seen, _ := in.Peek(window)
		i := bytes.Index(seen, []byte(localHeader))
		if len(seen) < localSize {
			return nil // the rest is too short to hold a file
		}
		if i < 0 {
			i = len(seen) - len(localHeader) + 1
		}
		if err := skip(i); err != nil {
			return nil
		}
		name, size, long, method := localFile(in)
		if name == "" || u.there[strings.TrimPrefix(name, againName)] {
			if err := skip(1); err != nil {
				return nil
			}
			continue
		}
		if err := skip(long); err != nil {
			return nil
		}
		body := io.Reader(io.LimitReader(in, size))
		if method == zip.Deflate {
			body = flate.NewReader(body)
		}
		err := u.take(name, body)
		if CauseOf(err) == Full || CauseOf(err) == ReadOnly {
			return err
		}
		if err == nil {
			at += size
		} // else the next header is looked for right behind this one: its length may be what is damaged
		if _, err := f.Seek(at, io.SeekStart); err != nil {
			return err
		}
		in.Reset(f)
	}
	return ctx.Err()
}

// localFile reads a header: the name and packed size of a file of a backup, how long the header is, and how it is
// packed; "" for what is none.
func localFile(in *bufio.Reader) (name string, size int64, long int, method uint16) {
	head, err := in.Peek(localSize)
	if err != nil || string(head[:4]) != localHeader {
		return "", 0, 0, 0
	}
	named, extra := int(binary.LittleEndian.Uint16(head[26:])), int(binary.LittleEndian.Uint16(head[28:]))
	if named > 200 || extra > 200 {
		return "", 0, 0, 0
	}
	method, size, long = binary.LittleEndian.Uint16(head[8:]), int64(binary.LittleEndian.Uint32(head[18:])),
		localSize+named+extra
	whole, err := in.Peek(long)
	if err != nil {
		return "", 0, 0, 0
	}
	if name = string(whole[localSize : localSize+named]); !ours(name) {
		return "", 0, 0, 0
	}
	return name, size, long, method
}
