package work

import (
	"archive/zip"
	"bytes"
	"context"
	"encoding/json"
	"io"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"yarvek/core/fault"
	"yarvek/core/prep"
	"yarvek/core/station/export"
	"yarvek/internal/store"
)

// carried is a kit as one file: two assets with decisions, of which one is undone, revisions, a preset and a grid.
func carried(t *testing.T) (*Desk, Kit, []byte) {
	t.Helper()
	ctx := context.Background()
	d, k, list := bench(t)
	for i := range 3 {
		_, err := d.Decide(ctx, list[0].ID, i, func(p *prep.Prep) error { p.Size.Factor = float64(i + 2); return nil })
		require.NoError(t, err)
	}
	moved, err := d.Move(ctx, list[0].ID, 3, -1)
	require.NoError(t, err)
	require.True(t, moved)
	require.NoError(t, d.SetGrid(ctx, k.ID, 0.5))
	require.NoError(t, d.KeepPreset(ctx, k.ID, "Quay", export.Decisions{Format: "glb"}))
	return d, k, alongZip(t, d, k.ID)
}

func alongZip(t *testing.T, d *Desk, kit int64) []byte {
	t.Helper()
	name, write, err := d.TakeAlong(context.Background(), kit)
	require.NoError(t, err)
	assert.True(t, strings.HasSuffix(name, ".kit.zip"))
	var b bytes.Buffer
	require.NoError(t, write(&b))
	return b.Bytes()
}

// putIn brings a kit's file in, and gives what came of the job.
func putIn(t *testing.T, d *Desk, file []byte) (Kit, error) {
	t.Helper()
	u := d.NewUpload()
	require.NoError(t, u.Add("tern.kit.zip", bytes.NewReader(file)))
	j, err := d.BringAlong(context.Background(), u)
	require.NoError(t, err)
	require.Eventually(t, func() bool { return j.State().Done }, time.Minute, time.Millisecond)
	k, _ := j.State().Outcome.(Kit)
	return k, j.State().Err
}

// repacked is a zip with its entries changed: what comes back nil is left out.
func repacked(t *testing.T, file []byte, change func(name string, data []byte) []byte) []byte {
	t.Helper()
	in, err := zip.NewReader(bytes.NewReader(file), int64(len(file)))
	require.NoError(t, err)
	var out bytes.Buffer
	z := zip.NewWriter(&out)
	for _, e := range in.File {
		r, err := e.Open()
		require.NoError(t, err)
		data, err := io.ReadAll(r)
		require.NoError(t, err)
		if data = change(e.Name, data); data != nil {
			w, err := z.Create(e.Name)
			require.NoError(t, err)
			_, err = w.Write(data)
			require.NoError(t, err)
		}
	}
	require.NoError(t, z.Close())
	return out.Bytes()
}

// A kit goes out, into another installation, and out again: what comes out is the same to the byte, history and all;
// undo and redo go on where they were.
func TestAKitIsTakenAlong(t *testing.T) {
	ctx := context.Background()
	_, _, file := carried(t)
	dir := t.TempDir()
	there := desk(t, dir)
	k, err := putIn(t, there, file)
	require.NoError(t, err)
	assert.Equal(t, file, alongZip(t, there, k.ID))

	assert.Equal(t, 0.5, k.Grid)
	list, err := there.Assets(ctx, k.ID)
	require.NoError(t, err)
	require.Len(t, list, 4)
	p, err := there.Prep(ctx, list[0].ID)
	require.NoError(t, err)
	assert.Equal(t, 3.0, p.Size.Factor, "the second decision of three is in force")
	moved, err := there.Move(ctx, list[0].ID, list[0].Changes, +1)
	require.NoError(t, err)
	assert.True(t, moved)
	p, err = there.Prep(ctx, list[0].ID)
	require.NoError(t, err)
	assert.Equal(t, 4.0, p.Size.Factor)
	for _, a := range list[:2] {
		o, err := there.Open(ctx, a.ID)
		require.NoError(t, err)
		assert.Equal(t, 1, o.Result.Delivery.Scene.Count().Triangles)
	}
	v, err := store.Verify(ctx, dir)
	require.NoError(t, err)
	assert.True(t, v.Sound(), "seals hold")
	assert.Zero(t, v.Unnamed, "the list of the kit is not kept")
}

// What is cut short, damaged, lacks something or is of a newer program is refused, and nothing of it stays.
func TestADamagedKitChangesNothing(t *testing.T) {
	ctx := context.Background()
	_, _, file := carried(t)
	edit := func(from, to string) func(string, []byte) []byte {
		return func(name string, data []byte) []byte {
			if name == alongList {
				now := bytes.Replace(data, []byte(from), []byte(to), 1)
				require.NotEqual(t, data, now, "%q is in the list", from)
				return now
			}
			return data
		}
	}
	for name, x := range map[string]struct {
		file []byte
		says string
	}{
		"cut":   {file[:len(file)-40], "no zip that can be opened"},
		"empty": {nil, "no zip that can be opened"},
		"no list": {repacked(t, file, func(n string, b []byte) []byte {
			if n == alongList {
				return nil
			}
			return b
		}), "no kit that was taken along"},
		"a file is missing": {repacked(t, file, func(n string, b []byte) []byte {
			if strings.HasPrefix(n, alongFiles) && strings.Contains(string(b), "9000") {
				return nil
			}
			return b
		}), "is not in the kit’s file"},
		"a file is another": {repacked(t, file, func(n string, b []byte) []byte {
			if strings.HasPrefix(n, alongFiles) {
				return append([]byte("# "), b...)
			}
			return b
		}), "not as it was"},
		"newer":           {repacked(t, file, edit(`"yarvekKit": 1`, `"yarvekKit": 2`)), "version 2, which is newer"},
		"unknown field":   {repacked(t, file, edit(`"grid"`, `"grill"`)), "grill"},
		"unknown station": {repacked(t, file, edit(`"factor"`, `"fracture"`)), "decision 1"},
		"no such step":    {repacked(t, file, edit(`"step": 2`, `"step": 9`)), "decision 9"},
		"out of its folder": {repacked(t, file, func(n string, b []byte) []byte {
			if n == alongList {
				return bytes.ReplaceAll(b, []byte(`part 0.obj`), []byte(`../0.obj`))
			}
			return b
		}), "no name of a file"},
	} {
		t.Run(name, func(t *testing.T) {
			dir := t.TempDir()
			there := desk(t, dir)
			_, err := putIn(t, there, x.file)
			require.Error(t, err)
			assert.Contains(t, err.Error(), x.says)
			kits, err := there.Kits(ctx)
			require.NoError(t, err)
			assert.Empty(t, kits)
			assert.Eventually(t, func() bool {
				v, err := store.Verify(ctx, dir)
				return err == nil && v.Files+v.Unnamed == 0
			}, time.Minute, 10*time.Millisecond, "no file of it stays")
		})
	}
}

// Whatever stands in the list of a kit, reading it panics nowhere, and what is read is read the same again.
func FuzzAlong(f *testing.F) {
	f.Add([]byte(`{"yarvekKit":1,"kit":{"name":"a","target":{},"assets":[]}}`))
	f.Add([]byte(`{"yarvekKit":1,"kit":{"name":"a","assets":[{"name":"b","revision":1,"revisions":[{"number":1}]}]}}`))
	f.Fuzz(func(t *testing.T, text []byte) {
		k, err := parseAlong(text)
		if err != nil {
			return
		}
		b, err := json.Marshal(along{AlongVersion, withFile(t, k)})
		require.NoError(t, err)
		again, err := parseAlong(b)
		require.NoError(t, err, "what was read is read again")
		assert.Equal(t, k, again)
	})
}

// withFile is a kit as it stands in a file, with its target as a target's file.
func withFile(t *testing.T, k store.Along) store.Along {
	t.Helper()
	b, err := json.Marshal(map[string]any{"yarvekTarget": 1, "target": k.Target})
	require.NoError(t, err)
	k.Target = b
	return k
}

// A copy has the history of what it was made from, and goes its own way; what is moved takes what was sent along.
func TestDuplicateAndMove(t *testing.T) {
	ctx := context.Background()
	d, k, _ := carried(t)
	list, err := d.Assets(ctx, k.ID)
	require.NoError(t, err)
	copies, err := d.DuplicateAssets(ctx, k.ID, []int64{list[0].ID})
	require.NoError(t, err)
	_, err = d.DuplicateAssets(ctx, k.ID, []int64{list[1].ID, 99})
	require.Error(t, err)
	now, err := d.Assets(ctx, k.ID)
	require.NoError(t, err)
	assert.Len(t, now, 5, "all or none")
	_, err = d.Decide(ctx, copies[0], 0, func(p *prep.Prep) error { p.Size.Factor = 9; return nil })
	require.NoError(t, err)
	was, err := d.Prep(ctx, list[0].ID)
	require.NoError(t, err)
	assert.Equal(t, 3.0, was.Size.Factor)

	other, err := d.DuplicateKit(ctx, k.ID)
	require.NoError(t, err)
	assert.Equal(t, "Tern Point copy", other.Name)
	assert.Equal(t, 5, other.Assets)

	d.Limits.Kit = 1
	err = d.MoveAssets(ctx, k.ID, other.ID, []int64{list[0].ID})
	assert.Equal(t, fault.Limit, fault.KindOf(err))
	d.Limits.Kit = 0
	before, err := d.KitStamp(ctx, k.ID)
	require.NoError(t, err)
	require.Error(t, d.MoveAssets(ctx, other.ID, k.ID, []int64{list[0].ID}), "it is of another kit")
	require.NoError(t, d.MoveAssets(ctx, k.ID, other.ID, []int64{list[0].ID, list[1].ID}))
	after, err := d.KitStamp(ctx, k.ID)
	require.NoError(t, err)
	assert.NotEqual(t, before, after, "pages of the kit they left are drawn anew")
	stay, err := d.Assets(ctx, k.ID)
	require.NoError(t, err)
	assert.Len(t, stay, 3)
	step, err := d.Step(ctx, list[0].ID)
	require.NoError(t, err)
	assert.Equal(t, 2, step.Seq)
}
