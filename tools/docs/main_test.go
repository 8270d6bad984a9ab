package main

import (
	"os"
	"path/filepath"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

func TestTheDocsAreOfTheProgram(t *testing.T) { assert.NoError(t, run("../../docs", true)) }

// A table that differs by one letter is seen, and written anew.
func TestDocsAreSeenToDiffer(t *testing.T) {
	guide, err := os.ReadFile("../../docs/guide.md")
	require.NoError(t, err)
	dir := t.TempDir()
	name := filepath.Join(dir, "guide.md")
	require.NoError(t, os.WriteFile(name, append([]byte("# Another\n"), guide...), 0o644))
	require.Error(t, run(dir, true), "there is no schema")
	require.NoError(t, run(dir, false))
	require.NoError(t, run(dir, true))
	was, err := os.ReadFile(name)
	require.NoError(t, err)
	was[len(was)/2]++ // in the tables, which are most of it
	require.NoError(t, os.WriteFile(name, was, 0o644))
	require.NoError(t, os.WriteFile(filepath.Join(dir, "prep.schema.json"), []byte("{}"), 0o644))
	require.Error(t, run(dir, true))
	require.NoError(t, os.WriteFile(name, []byte("# No marks\n"), 0o644))
	require.ErrorContains(t, run(dir, false), "has no line")
}
