// Command dist makes what is given to those who have no Go: a program for each system, an archive of each with what
// starts it by a double click, packages for Debian, the licences of all parts, a bill of materials (CycloneDX) of each
// program, and the sums of all. It is made of the commit that is checked out, in a copy of its own, so that the same
// commit gives the same bytes on every machine that has the same Go.
//
//	go -C tools/dist run . REPOSITORY OUT
package main

import (
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"time"
)

// most is what each file that is given out may have, in bytes.
const most = 40 << 20

// platform is a system and a processor that a program is made for.
type platform struct{ system, processor, called string }

var platforms = []platform{
	{"windows", "amd64", "windows"},
	{"darwin", "arm64", "macos-apple"},
	{"darwin", "amd64", "macos-intel"},
	{"linux", "amd64", "linux"},
	{"linux", "arm64", "linux-arm"},
}

func main() {
	if len(os.Args) != 3 {
		fmt.Fprintln(os.Stderr, "usage: dist REPOSITORY OUT")
		os.Exit(2)
	}
	if err := run(os.Args[1], os.Args[2]); err != nil {
		fmt.Fprintln(os.Stderr, "dist:", err)
		os.Exit(1)
	}
}

// release is one commit on its way to files.
type release struct {
	src     string // the commit checked out
	work    string // for what is put together
	out     string
	at      time.Time // of the commit; all files have it
	version string    // its day, such as 2026.12.01
	commit  string
}

func run(repository, out string) error {
	out, err := filepath.Abs(out)
	if err != nil {
		return err
	}
	work, err := os.MkdirTemp("", "dist-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	r, err := checkOut(repository, work, out)
	if err != nil {
		return err
	}
	if err := os.RemoveAll(out); err != nil {
		return err
	}
	if err := os.MkdirAll(out, 0o755); err != nil {
		return err
	}
	manuals, err := r.manuals()
	if err != nil {
		return err
	}
	for _, p := range platforms {
		program, err := r.build(p)
		if err != nil {
			return fmt.Errorf("%s: %w", p.called, err)
		}
		if err := r.give(p, program, manuals); err != nil {
			return fmt.Errorf("%s: %w", p.called, err)
		}
	}
	return sums(out)
}

// checkOut copies the commit that a repository has checked out. What is changed since is not in it, which is said.
func checkOut(repository, work, out string) (*release, error) {
	r := &release{src: filepath.Join(work, "src"), work: work, out: out}
	if state, err := said(repository, nil, "git", "status", "--porcelain"); err != nil {
		return nil, err
	} else if state != "" {
		fmt.Fprintln(os.Stderr, "dist: what is not committed is left out:\n"+state)
	}
	if _, err := said(repository, nil, "git", "clone", "-q", "--no-tags", ".", r.src); err != nil {
		return nil, err
	}
	head, err := said(r.src, nil, "git", "log", "-1", "--format=%H %ct")
	if err != nil {
		return nil, err
	}
	var seconds int64
	if _, err := fmt.Sscan(head, &r.commit, &seconds); err != nil {
		return nil, fmt.Errorf("the commit %q: %w", head, err)
	}
	r.at = time.Unix(seconds, 0).UTC()
	r.version = r.at.Format("2006.01.02")
	return r, nil
}

// environment is that of the Go command, the same wherever it runs.
func environment(set ...string) []string {
	env := slices.DeleteFunc(os.Environ(), func(v string) bool {
		name, _, _ := strings.Cut(v, "=")
		return strings.HasPrefix(name, "GO") && !slices.Contains([]string{"GOCACHE", "GOMODCACHE", "GOPATH", "GOPROXY",
			"GOROOT", "GONOSUMDB", "GONOSUMCHECK", "GOSUMDB", "GOFLAGS"}, name) || strings.HasPrefix(name, "CGO_")
	})
	return append(append(env, "CGO_ENABLED=0", "GOFLAGS=-trimpath", "GOWORK=off"), set...)
}

// build makes the program of a platform: without cgo, paths of this machine, names of symbols or lines.
func (r *release) build(p platform) (string, error) {
	name := "yarvek"
	if p.system == "windows" {
		name += ".exe"
	}
	to := filepath.Join(r.work, p.called, name)
	_, err := said(r.src, environment("GOOS="+p.system, "GOARCH="+p.processor), "go", "build", "-buildvcs=true",
		"-ldflags", "-s -w", "-o", to, "./cmd/yarvek")
	return to, err
}

// manuals are the manual pages of all commands, in a folder.
func (r *release) manuals() (string, error) {
	dir := filepath.Join(r.work, "man")
	_, err := said(r.src, environment(fmt.Sprintf("SOURCE_DATE_EPOCH=%d", r.at.Unix())), "go", "run", "./cmd/yarvek",
		"man", dir)
	return dir, err
}

// give writes all that is given out for a platform.
func (r *release) give(p platform, program, manuals string) error {
	parts, err := r.parts(program)
	if err != nil {
		return err
	}
	licences, err := licences(parts)
	if err != nil {
		return err
	}
	bom, err := r.bill(p, program)
	if err != nil {
		return err
	}
	body, err := os.ReadFile(program)
	if err != nil {
		return err
	}
	name := "yarvek-" + r.version + "-" + p.called
	list := []entry{
		{program: true, name: filepath.Base(program), body: body},
		{name: "LICENCES.txt", body: licences},
		{name: "BILL-OF-MATERIALS.json", body: bom},
	}
	start, err := starters(p)
	if err != nil {
		return err
	}
	if err := r.archive(name, p, append(list, start...)); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(r.out, name+".bom.json"), bom, 0o644); err != nil {
		return err
	}
	if p.system != "linux" {
		return nil
	}
	return r.debian(p, program, manuals, licences)
}

// starters are what comes beside the program: how it is started, and what does that by a double click where the
// program itself would not.
func starters(p platform) ([]entry, error) {
	var list []entry
	files := map[string][]string{"windows": {"Read me first.txt"}, "darwin": {"Read me first.txt", "Start Yarvek.command"},
		"linux": {"Read me first.txt", "Start Yarvek.sh"}}[p.system]
	for _, f := range files {
		from := f
		if strings.HasSuffix(f, ".txt") {
			from = "read-me-" + p.system + ".txt"
		}
		body, err := os.ReadFile(filepath.Join("start", from))
		if err != nil {
			return nil, err
		}
		if p.system == "windows" {
			body = []byte(strings.ReplaceAll(string(body), "\n", "\r\n"))
		}
		list = append(list, entry{name: f, body: body, program: !strings.HasSuffix(f, ".txt")})
	}
	return list, nil
}

// sums writes the SHA-256 of each file that is given out, and refuses one that is too large.
func sums(out string) error {
	files, err := os.ReadDir(out)
	if err != nil {
		return err
	}
	var list strings.Builder
	for _, f := range files {
		in, err := os.Open(filepath.Join(out, f.Name()))
		if err != nil {
			return err
		}
		h := sha256.New()
		n, err := io.Copy(h, in)
		_ = in.Close()
		if err != nil {
			return err
		}
		fmt.Printf("%8.1f MB  %s\n", float64(n)/(1<<20), f.Name())
		if n > most {
			return fmt.Errorf("%s has %d bytes, and at most %d are given out", f.Name(), n, most)
		}
		fmt.Fprintf(&list, "%s  %s\n", hex.EncodeToString(h.Sum(nil)), f.Name())
	}
	return os.WriteFile(filepath.Join(out, "SHA256SUMS"), []byte(list.String()), 0o644)
}

// said runs a command in a folder and gives what it says.
func said(dir string, env []string, name string, args ...string) (string, error) {
	c := exec.Command(name, args...)
	c.Dir, c.Env, c.Stderr = dir, env, os.Stderr
	out, err := c.Output()
	if err != nil {
		return "", fmt.Errorf("%s %s: %w", name, strings.Join(args, " "), err)
	}
	return strings.TrimSpace(string(out)), nil
}

// part is one of what a program is made of: a Go module, Go itself, or a part of its pages.
type part struct {
	Name, Version, Licence string
	dir                    string // that its licence lies in
	Text                   string // file of its licence there, "" for all that look like one
}

// parts are those of a program, its modules as the Go command wrote them into it.
func (r *release) parts(program string) ([]part, error) {
	root, err := said(r.src, environment(), "go", "env", "GOROOT")
	if err != nil {
		return nil, err
	}
	list, err := r.pageParts()
	if err != nil {
		return nil, err
	}
	list = append(list, part{Name: "Go", dir: root})
	info, err := said(r.src, environment(), "go", "version", "-m", program)
	if err != nil {
		return nil, err
	}
	for line := range strings.Lines(info) {
		f := strings.Fields(line)
		if len(f) < 3 || f[0] != "dep" {
			continue
		}
		dir, err := said(r.src, environment(), "go", "list", "-m", "-f", "{{.Dir}}", f[1])
		if err != nil {
			return nil, err
		}
		list = append(list, part{Name: f[1], Version: f[2], dir: dir})
	}
	return list, nil
}

// pageParts are those of the pages.
func (r *release) pageParts() (list []part, err error) {
	dir := filepath.Join(r.src, "internal", "web", "static", "vendor")
	body, err := os.ReadFile(filepath.Join(dir, "parts.json"))
	if err == nil {
		err = json.Unmarshal(body, &list)
	}
	for i := range list {
		list[i].dir = filepath.Join(dir, "licences")
	}
	return list, err
}

// licences puts the licences of parts in one text. A part without one is an error.
func licences(parts []part) ([]byte, error) {
	var b strings.Builder
	b.WriteString("Yarvek is made with these parts, each under its licence.\n")
	for _, p := range parts {
		files, err := os.ReadDir(p.dir)
		if err != nil {
			return nil, err
		}
		n := 0
		for _, f := range files {
			if f.IsDir() || p.Text != "" && f.Name() != p.Text || p.Text == "" && !isLicence(f.Name()) {
				continue
			}
			body, err := os.ReadFile(filepath.Join(p.dir, f.Name()))
			if err != nil {
				return nil, err
			}
			n++
			fmt.Fprintf(&b, "\n%s\n%s %s: %s\n\n%s\n", strings.Repeat("=", 72), p.Name, p.Version, f.Name(),
				strings.TrimSpace(string(body)))
		}
		if n == 0 {
			return nil, fmt.Errorf("%s %s has no licence in its folder", p.Name, p.Version)
		}
	}
	return []byte(b.String()), nil
}

// isLicence tells by its name a file that holds a licence, or what a licence asks to be passed on.
func isLicence(name string) bool {
	name = strings.ToUpper(name)
	for _, is := range []string{"LICENSE", "LICENCE", "COPYING", "NOTICE", "PATENTS"} {
		if strings.HasPrefix(name, is) {
			return true
		}
	}
	return false
}
