// Mutate puts small faults into a package, one at a time, and runs the package's own tests over each: a fault
// that no test sees is printed, with its place and what was changed.
//
//	go run ./tools/mutate [-n 60] [-seed 1] [-j 2] ./core/collide/floor
//
// It turns over comparisons, the signs of sums and products, numbers, and early returns; not what only ends work
// with its context, reserves room, or is a tolerance below a hundred-thousandth, and not the lines of same.txt, of
// which somebody has said why nothing comes out otherwise. All faults within
// functions are built into one test binary, which is told by an environment variable which of them is on; those
// in constants are built one by one, as overlays. A fault counts as seen when a test fails, panics, or takes five
// times as long as without. The last line has the counts; nothing in the tree is changed.
package main

import (
	"cmp"
	"context"
	_ "embed"
	"encoding/json"
	"flag"
	"fmt"
	"log"
	"math/rand/v2"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"sync"
	"time"
)

// chosen is the variable that tells which fault is on.
const chosen = "YARVEK_MUTANT"

func main() {
	log.SetFlags(0)
	most := flag.Int("n", 60, "how many faults are tried, drawn at random")
	seed := flag.Uint64("seed", 1, "of the draw")
	jobs := flag.Int("j", 2, "how many at a time")
	flag.Parse()
	if flag.NArg() != 1 {
		log.Fatal("one package is expected, as ./core/collide/floor")
	}
	if err := run(flag.Arg(0), *most, *seed, *jobs); err != nil {
		log.Fatal(err)
	}
}

// fault is one that may be put in.
type fault struct {
	id    int
	file  string
	line  int
	what  string // "a < b turned over"
	text  string // of the line
	edits []edit // that build it in, to be turned on by its id
	alone bool   // built by itself: it is on as soon as it is in
	lives bool   // no test saw it
}

// edit takes out so many bytes at a place and puts a text there. What opens round an expression stands before what
// opens round a part of it, and what closes round the part before what closes round the whole.
type edit struct {
	at, out int
	text    string
	depth   int // of the expression
	closes  bool
}

// run tries faults in a package.
func run(pkg string, most int, seed uint64, jobs int) error {
	dir, name, err := folder(pkg)
	if err != nil {
		return err
	}
	faults, err := find(dir)
	if err != nil {
		return err
	}
	if faults, err = without(faults, dir); err != nil {
		return err
	}
	all := len(faults)
	r := rand.New(rand.NewPCG(seed, 0))
	r.Shuffle(all, func(i, j int) { faults[i], faults[j] = faults[j], faults[i] })
	faults = faults[:min(all, most)]
	tmp, err := os.MkdirTemp("", "mutate")
	if err != nil {
		return err
	}
	defer os.RemoveAll(tmp)
	together := slices.DeleteFunc(slices.Clone(faults), func(f fault) bool { return f.alone })
	bin := filepath.Join(tmp, "all.test")
	if err := build(pkg, dir, name, together, bin, filepath.Join(tmp, "all")); err != nil {
		return err
	}
	began := time.Now()
	out, failed := tried(bin, dir, 0, 10*time.Minute, "-test.v")
	if failed {
		return fmt.Errorf("the tests fail without a fault:\n%s", out)
	}
	limit := max(10*time.Second, 5*time.Since(began))
	quick, slow := byTime(out)
	var group sync.WaitGroup
	turn := make(chan struct{}, jobs)
	for i, f := range faults {
		turn <- struct{}{}
		group.Go(func() {
			defer func() { <-turn }()
			of := bin
			if f.alone {
				of = filepath.Join(tmp, strconv.Itoa(f.id)+".test")
				if err := build(pkg, dir, name, []fault{f}, of, filepath.Join(tmp, strconv.Itoa(f.id))); err != nil {
					return // what does not build is seen by the compiler
				}
				defer os.Remove(of)
			}
			_, seen := tried(of, dir, f.id, limit, "-test.run", quick)
			if !seen && slow != "" {
				_, seen = tried(of, dir, f.id, limit, "-test.run", slow)
			}
			faults[i].lives = !seen
		})
	}
	group.Wait()
	n := 0
	slices.SortFunc(faults, func(a, b fault) int { return a.id - b.id })
	for _, f := range faults {
		if f.lives {
			n++
			fmt.Printf("%s:%d: %s\n\t%s\n", filepath.Join(dir, f.file), f.line, f.what, f.text)
		}
	}
	fmt.Printf("%s: %d of %d faults survive (%d %%), of %d there are\n", pkg, n, len(faults), 100*n/max(1, len(faults)),
		all)
	return nil
}

// same lists lines whose faults change nothing that comes out: a file with the folder it is in, the line, and why.
//
//go:embed same.txt
var same string

// without leaves out the faults of lines that same.txt lists.
func without(faults []fault, dir string) ([]fault, error) {
	listed := map[[2]string]bool{}
	for line := range strings.Lines(same) {
		if line = strings.TrimSpace(line); line == "" || line[0] == '#' {
			continue
		}
		p := strings.Split(line, " ¦ ")
		if len(p) != 3 {
			return nil, fmt.Errorf("same.txt: “%s” is not a file, a line and a reason", line)
		}
		listed[[2]string{p[0], p[1]}] = true
	}
	return slices.DeleteFunc(faults, func(f fault) bool {
		return listed[[2]string{filepath.Base(dir) + "/" + f.file, f.text}]
	}), nil
}

// folder is where a package stands, and its name.
func folder(pkg string) (dir, name string, err error) {
	out, err := exec.Command("go", "list", "-f", "{{.Dir}}\n{{.Name}}", pkg).Output()
	if err != nil {
		return "", "", fmt.Errorf("%s is no package here: %w", pkg, err)
	}
	dir, name, _ = strings.Cut(strings.TrimSpace(string(out)), "\n")
	return dir, name, nil
}

// switches is what a package needs for its faults to be turned on.
const switches = `package %s

import (
	"os"
	"strconv"
)

var mutantOn = func() int { n, _ := strconv.Atoi(os.Getenv("%s")); return n }()

type mutantNumber interface {
	~int | ~int8 | ~int16 | ~int32 | ~int64 | ~uint | ~uint8 | ~uint16 | ~uint32 | ~uint64 | ~float32 | ~float64
}

func mutantPick[T any](id int, is, other T) T {
	if mutantOn == id {
		return other
	}
	return is
}

func mutantSum[T mutantNumber](id int, a, b T) T {
	if mutantOn == id {
		return a - b
	}
	return a + b
}

func mutantDifference[T mutantNumber](id int, a, b T) T {
	if mutantOn == id {
		return a + b
	}
	return a - b
}

func mutantProduct[T mutantNumber](id int, a, b T) T {
	if mutantOn == id {
		return a / b
	}
	return a * b
}

func mutantQuotient[T mutantNumber](id int, a, b T) T {
	if mutantOn == id {
		return a * b
	}
	return a / b
}
`

// build makes the test binary of a package with faults in it.
func build(pkg, dir, name string, faults []fault, bin, tmp string) error {
	if err := os.MkdirAll(tmp, 0o755); err != nil {
		return err
	}
	replace := map[string]string{}
	byFile := map[string][]edit{}
	for _, f := range faults {
		byFile[f.file] = append(byFile[f.file], f.edits...)
	}
	put := func(file string, text []byte) error {
		at := filepath.Join(tmp, file)
		replace[filepath.Join(dir, file)] = at
		return os.WriteFile(at, text, 0o644)
	}
	for file, edits := range byFile {
		src, err := os.ReadFile(filepath.Join(dir, file))
		if err != nil {
			return err
		}
		if err := put(file, applied(src, edits)); err != nil {
			return err
		}
	}
	if err := put("mutant_switches.go", fmt.Appendf(nil, switches, name, chosen)); err != nil {
		return err
	}
	overlay, err := json.Marshal(map[string]any{"Replace": replace})
	if err != nil {
		return err
	}
	file := filepath.Join(tmp, "overlay.json")
	if err := os.WriteFile(file, overlay, 0o644); err != nil {
		return err
	}
	out, err := exec.Command("go", "test", "-vet=off", "-c", "-overlay", file, "-o", bin, pkg).CombinedOutput()
	if err != nil {
		return fmt.Errorf("%w\n%s", err, out)
	}
	return nil
}

// applied is a text with edits made.
func applied(src []byte, edits []edit) []byte {
	slices.SortStableFunc(edits, func(a, b edit) int {
		if a.at != b.at || a.closes != b.closes {
			return cmp.Or(cmp.Compare(a.at, b.at), map[bool]int{true: -1, false: 1}[a.closes])
		}
		if a.closes {
			return cmp.Compare(b.depth, a.depth)
		}
		return cmp.Compare(a.depth, b.depth)
	})
	var out []byte
	at := 0
	for _, e := range edits {
		out = append(append(out, src[at:e.at]...), e.text...)
		at = e.at + e.out
	}
	return append(out, src[at:]...)
}

// byTime makes patterns of the tests that a run told of: those that take less than a second, and the others.
// Most faults are seen by the first.
func byTime(told []byte) (quick, slow string) {
	var lists [2][]string
	for _, m := range regexp.MustCompile(`(?m)^--- PASS: (Test\w+) \(([\d.]+)s\)`).FindAllSubmatch(told, -1) {
		i := 0
		if took, err := strconv.ParseFloat(string(m[2]), 64); err != nil || took >= 1 {
			i = 1
		}
		lists[i] = append(lists[i], string(m[1]))
	}
	if len(lists[1]) > 0 {
		slow = "^(" + strings.Join(lists[1], "|") + ")$"
	}
	return "^(" + strings.Join(lists[0], "|") + ")$", slow
}

// tried runs tests of a binary with one fault turned on, and tells whether one saw it.
func tried(bin, dir string, id int, limit time.Duration, args ...string) (out []byte, seen bool) {
	ctx, stop := context.WithTimeout(context.Background(), limit)
	defer stop()
	c := exec.CommandContext(ctx, bin, append([]string{"-test.failfast", "-test.short"}, args...)...)
	c.Dir = dir
	c.Env = append(os.Environ(), chosen+"="+strconv.Itoa(id), "GOMEMLIMIT=3GiB")
	out, err := c.CombinedOutput()
	return out, err != nil
}
