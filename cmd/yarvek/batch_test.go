package main

import (
	"encoding/json"
	"encoding/xml"
	"errors"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/internal/report"
)

// code is the exit code that an error ends the program with.
func code(err error) int {
	var c exitCode
	switch {
	case err == nil:
		return 0
	case errors.As(err, &c):
		return int(c)
	}
	return -1
}

// check says in three forms what it finds, and ends by what is worst.
func TestCheck(t *testing.T) {
	dir := t.TempDir()
	good := write(t, dir, "two.obj", twoSlots)
	write(t, dir, "two.mtl", "newmtl wood\nnewmtl iron\n")
	far := write(t, dir, "far.obj", strings.ReplaceAll(twoSlots, "\nv ", "\nv 900")) // nine hundred metres off
	bad := write(t, dir, "bad.obj", "f 1 2 3\n")
	for _, c := range []struct {
		args []string
		code int
		says []string
	}{
		{[]string{good}, 0, []string{"two.obj: sound", "24 triangles", "look: size"}},
		{[]string{far}, 1, []string{"far.obj: held", "must fix: pivot"}},
		{[]string{far, "--set", "pivot.place=box", "--set", "pivot.box=0,-1,0"}, 0, []string{"far.obj: sound"}},
		{[]string{bad}, 2, []string{"bad.obj: unread"}},
		{[]string{good, bad, filepath.Join(dir, "gone.obj")}, 2, []string{"two.obj", "bad.obj", "gone.obj: unread"}},
		{[]string{dir}, 2, []string{"two.obj", "bad.obj"}},
		{[]string{good, "--class", "unheard"}, 2, []string{"unheard"}},
	} {
		said, err := run(t, checkCommand(), c.args...)
		assert.Equal(t, c.code, code(err), "%v: %s %v", c.args, said, err)
		for _, s := range c.says {
			assert.Contains(t, said, s, "%v", c.args)
		}
	}
	said, err := run(t, checkCommand(), dir, "--format", "json")
	assert.Equal(t, 2, code(err))
	r, err := report.Parse([]byte(said))
	require.NoError(t, err)
	require.Len(t, r.Assets, 3)
	assert.Equal(t, report.Unread, r.Assets[0].Status)
	said, err = run(t, checkCommand(), dir, "--format", "junit")
	assert.Equal(t, 2, code(err))
	var suites struct {
		Suites []struct {
			Tests    int `xml:"tests,attr"`
			Failures int `xml:"failures,attr"`
			Errors   int `xml:"errors,attr"`
		} `xml:"testsuite"`
	}
	require.NoError(t, xml.Unmarshal([]byte(said), &suites))
	require.Len(t, suites.Suites, 1)
	assert.Equal(t, [3]int{3, 1, 1}, [3]int{suites.Suites[0].Tests, suites.Suites[0].Failures, suites.Suites[0].Errors})
	_, err = run(t, checkCommand(), dir, "--format", "stone")
	assert.Equal(t, -1, code(err))
}

// batch sends a folder, makes nothing twice, divides into parts that merge, and diff tells two reports apart.
func TestBatch(t *testing.T) {
	dir, out, parts := t.TempDir(), t.TempDir(), t.TempDir()
	for _, n := range []string{"one", "two", "three", "four"} {
		write(t, dir, n+".obj", strings.ReplaceAll(twoSlots, "two.mtl", "wood.mtl"))
	}
	write(t, dir, "wood.mtl", "newmtl wood\nnewmtl iron\n")
	preset := write(t, t.TempDir(), "p.json", `{"yarvekPreset":1,"name":"Quay","export":{"format":"fbx"}}`)
	args := []string{dir, "--preset", preset, "--release", "a trial"}
	said, err := run(t, batchCommand(), append(args, "-o", out, "--dry-run")...)
	require.NoError(t, err)
	assert.Contains(t, said, "4 of 4 would be made")
	said, err = run(t, batchCommand(), append(args, "-o", out, "--junit", filepath.Join(out, "junit.xml"))...)
	require.NoError(t, err, said)
	assert.Contains(t, said, "4 assets: 4 sent, 0 held, 0 different, 0 unread; 4 made now")
	said, err = run(t, batchCommand(), append(args, "-o", out)...)
	require.NoError(t, err)
	assert.Contains(t, said, "0 made now")
	b, err := os.ReadFile(filepath.Join(out, "report.json"))
	require.NoError(t, err)
	whole, err := report.Parse(b)
	require.NoError(t, err)
	assert.FileExists(t, filepath.Join(out, whole.Assets[0].Files[0].Name))
	assert.True(t, strings.HasSuffix(whole.Assets[0].Files[0].Name, "four.fbx"))

	var reports []string
	for _, s := range []string{"1/3", "2/3", "3/3"} {
		_, err = run(t, batchCommand(), append(args, "-o", parts, "--shard", s)...)
		require.NoError(t, err)
		reports = append(reports, filepath.Join(parts, "report-"+strings.ReplaceAll(s, "/", "-of-")+".json"))
	}
	said, err = run(t, mergeCommand(), append(reports, "-o", parts)...)
	require.NoError(t, err, said)
	merged, err := os.ReadFile(filepath.Join(parts, "report.json"))
	require.NoError(t, err)
	assert.Equal(t, string(b), string(merged))

	write(t, dir, "five.obj", strings.ReplaceAll(twoSlots, "\nv ", "\nv 900"))
	said, err = run(t, batchCommand(), dir, "-o", out)
	assert.Equal(t, 1, code(err), "one is held")
	assert.Contains(t, said, "5 assets: 4 sent, 1 held")
	require.NoError(t, os.WriteFile(filepath.Join(out, "report.json"), b, 0o644))
	worse := whole
	worse.Assets = append([]report.Asset(nil), whole.Assets...)
	worse.Assets[0].Status = report.Held
	later := write(t, out, "later.json", string(worse.JSON()))
	said, err = run(t, diffCommand(), filepath.Join(out, "report.json"), later)
	assert.Equal(t, 1, code(err))
	assert.Contains(t, said, "! sent → held")
	said, err = run(t, diffCommand(), later, filepath.Join(out, "report.json"), "--json")
	require.NoError(t, err)
	var list []report.Change
	require.NoError(t, json.Unmarshal([]byte(said), &list))
	require.Len(t, list, 1)
	assert.Equal(t, []string{"held → sent"}, list[0].Better)
	said, err = run(t, diffCommand(), filepath.Join(dir, "one.obj"), filepath.Join(dir, "two.obj"))
	require.NoError(t, err)
	assert.Equal(t, "nothing changed\n", said)
}
