package main

import (
	"encoding/json"
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/prep"
)

// twoSlots is two boxes of two slots, the one within reach of the other's middle.
const twoSlots = "mtllib two.mtl\no low\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nv 1 1 1\nv 0 1 1\n" +
	"usemtl wood\nf 4 3 2 1\nf 5 6 7 8\nf 1 2 6 5\nf 2 3 7 6\nf 3 4 8 7\nf 4 1 5 8\n" +
	"o high\nv 0 5 0\nv 1 5 0\nv 1 8 0\nv 0 8 0\nv 0 5 1\nv 1 5 1\nv 1 8 1\nv 0 8 1\n" +
	"usemtl iron\nf 12 11 10 9\nf 13 14 15 16\nf 9 10 14 13\nf 10 11 15 14\nf 11 12 16 15\nf 12 9 13 16\n"

// What values decide is what a prep decides: the prep that is saved writes the same bytes again.
func TestPrepareDecidesByValues(t *testing.T) {
	dir := t.TempDir()
	in := write(t, dir, "two.obj", twoSlots)
	write(t, dir, "two.mtl", "newmtl wood\nnewmtl iron\n")
	saved, first, second := filepath.Join(dir, "p.json"), filepath.Join(dir, "out.glb"), filepath.Join(dir, "b",
		"out.glb")
	require.NoError(t, os.Mkdir(filepath.Dir(second), 0o755))
	said, err := run(t, prepareCommand(), in, "-o", first, "--set", "collision.form=slab", "--set", "collision.planes=6",
		"--set", "pivot.place=box", "--set", "pivot.box=0,-1,0", "--set", "size.class=furniture", "--save-prep", saved,
		"--release", "a trial")
	require.NoError(t, err, said)
	assert.Contains(t, said, "decided: Collision, Planes of a slab: undecided → 6")
	b, err := os.ReadFile(saved)
	require.NoError(t, err)
	p, err := prep.Parse(b)
	require.NoError(t, err)
	assert.Equal(t, 6, p.Collision.Fits[0].Planes)
	said, err = run(t, prepareCommand(), in, "-o", second, "--prep", saved, "--release", "a trial")
	require.NoError(t, err, said)
	one, err := os.ReadFile(first)
	require.NoError(t, err)
	two, err := os.ReadFile(second)
	require.NoError(t, err)
	assert.Equal(t, one, two)
	// Of the formats with a suffix it is the one that is decided.
	text := filepath.Join(dir, "text.fbx")
	said, err = run(t, prepareCommand(), in, "-o", text, "--set", "export.format=fbx-text", "--release", "a trial")
	require.NoError(t, err, said)
	b, err = os.ReadFile(text)
	require.NoError(t, err)
	assert.Contains(t, string(b[:40]), "; FBX")
	_, err = run(t, prepareCommand(), in, "-o", first, "--grid", "wide")
	require.ErrorContains(t, err, "--grid")
	said, err = run(t, prepareCommand(), in, "-o", second, "--prep", saved, "--release", "a trial", "--grid", "50cm",
		"--slot-map", write(t, dir, "map.txt", "wood => plank\n"))
	require.NoError(t, err, said)
	for set, say := range map[string]string{"size.class=spaceship": "expected one of hand-prop",
		"colision.most=3": "Did you mean", "collision.planes=6": "counts only with a slab"} {
		_, err := run(t, prepareCommand(), in, "-o", first, "--set", set)
		require.ErrorContains(t, err, say, set)
	}
}

// Short forms lack nothing that pages have, within the same bounds.
func TestShortFormsTakeWhatPagesTake(t *testing.T) {
	dir := t.TempDir()
	in := write(t, dir, "two.obj", twoSlots)
	write(t, dir, "two.mtl", "newmtl wood\nnewmtl iron\n")
	out := filepath.Join(dir, "out.obj")
	fitted := func(args ...string) (got collided) {
		said, err := run(t, collideCommand(), append([]string{in, "-o", out}, args...)...)
		require.NoError(t, err, said)
		require.NoError(t, json.Unmarshal([]byte(said), &got), said)
		return got
	}
	// The volumes of the book: boxes of 1 and 3, and the box round both of 8, of a mesh of 4.
	assert.InDelta(t, 8./4, fitted("--shape", "box").VolumeRatio, 1e-6)
	assert.InDelta(t, 1./4, fitted("--shape", "box", "--set", "slot=wood").VolumeRatio, 1e-6)
	assert.InDelta(t, 3./4, fitted("--shape", "box", "--set", "nodes=high").VolumeRatio, 1e-6)
	assert.InDelta(t, 3./4, fitted("--shape", "box", "--at", "0.5,7,1").VolumeRatio, 1e-6)
	assert.Equal(t, 2, fitted("--shape", "box", "--set", "each=yes").Shapes)
	assert.InDelta(t, 8./4, fitted("--set", "form=slab", "--set", "planes=6").VolumeRatio, 1e-6)
	for _, args := range [][]string{{"--shape", "hulls", "--max-hulls", "1024"}, {"--shape", "hull", "--max-points",
		"4096"},
		{"--shape", "box", "--set", "nodes=middle"}, {"--shape", "box", "--set", "slot=gold"}, {"--set", "gap=2mm"},
		{"--shape", "box", "--set", "lods.few=yes"}, {"--shape", "box", "--at", "here"},
		{"--shape", "box", "--at", "1,2,3m"}} {
		_, err := run(t, collideCommand(), append([]string{in, "-o", out}, args...)...)
		assert.Error(t, err, "%v", args)
	}
	said, err := run(t, tidyCommand(), in, "-o", out, "--set", "holes=8", "--set", "waste=yes")
	require.NoError(t, err, said)
	assert.Contains(t, said, `"remedy":"waste"`)
	_, err = run(t, tidyCommand(), in, "-o", out, "--set", "holes=100000")
	assert.ErrorContains(t, err, "expected 0 to 200")
	said, err = run(t, simplifyCommand(), in, "-o", out, "--ratio", "0.9", "--set", "angle=40", "--set", "outside=1")
	require.NoError(t, err, said)
	_, err = run(t, simplifyCommand(), in, "-o", out, "--ratio", "0.9", "--set", "few=yes")
	assert.ErrorContains(t, err, "for ladder and prepare")
	said, err = run(t, ladderCommand(), in, "-o", out, "--set", "levels=50 % from 12 m")
	require.NoError(t, err, said)
	assert.Contains(t, said, `"from":12`)
	_, err = run(t, ladderCommand(), in, "-o", out, "--set", "levels=number 1")
	assert.ErrorContains(t, err, "for prepare")
	said, err = run(t, unwrapCommand(), in, "-o", out, "--set", "only=iron", "--set", "padding=3", "--set", "sky")
	require.NoError(t, err, said)
	assert.Contains(t, said, `"set":"sky"`)
	said, err = run(t, texturesCommand(), in, "-o", out, "--set", "quality=80", "--set", "roles=normal")
	require.NoError(t, err, said)
	_, err = run(t, texturesCommand(), in, "-o", out, "--sheet-slot", "gold")
	assert.ErrorContains(t, err, "no slot is called")
}
