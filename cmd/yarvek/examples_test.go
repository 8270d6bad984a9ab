package main

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"runtime"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/spf13/pflag"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// asAShellHas builds the program and puts it first in the path, so that a shell finds it.
func asAShellHas(t *testing.T) {
	t.Helper()
	if runtime.GOOS == "windows" {
		t.Skip("the examples are for a shell")
	}
	bin := t.TempDir()
	out, err := exec.Command("go", "build", "-o", bin, ".").CombinedOutput()
	require.NoError(t, err, string(out))
	t.Setenv("PATH", bin+string(os.PathListSeparator)+os.Getenv("PATH"))
}

// What --help gives as examples runs as it is written, line by line, in a folder with the files they name; and the
// program completes itself in the shells people have.
func TestExamples(t *testing.T) {
	asAShellHas(t)
	dir := t.TempDir()
	sh := func(line string) {
		t.Helper()
		c := exec.Command("sh", "-c", line)
		c.Dir = dir
		out, err := c.CombinedOutput()
		assert.NoError(t, err, "%s: %s", line, out)
	}
	require.NoError(t, os.Mkdir(filepath.Join(dir, "props"), 0o755))
	for name, text := range map[string]string{"crate.obj": twoSlots, "two.mtl": "newmtl wood\nnewmtl iron\n",
		"quay.preset.json": `{"yarvekPreset":1,"name":"Quay","export":{"format":"glb"}}`} {
		write(t, dir, name, text)
	}
	for _, line := range []string{"yarvek prepare crate.obj -o props/hut.glb", "yarvek prepare crate.obj -o hut-1.fbx",
		"cp hut-1.fbx hut-2.fbx", "yarvek check props --format json > monday.json", "cp monday.json friday.json"} {
		sh(line)
	}
	ran := 0
	var walk func(c *cobra.Command)
	walk = func(c *cobra.Command) {
		for _, line := range strings.Split(c.Example, "\n") {
			if line = strings.TrimSpace(line); line != "" {
				if strings.Contains(line, "batch merge") { // of what sixteen runs gave
					sh("for i in $(seq 16); do yarvek batch props -o build --shard $i/16 || exit 1; done")
				}
				sh(line)
				ran++
			}
		}
		for _, sub := range c.Commands() {
			walk(sub)
		}
	}
	walk(rootCommand())
	assert.GreaterOrEqual(t, ran, 7)
	for _, shell := range []string{"bash", "zsh", "fish", "powershell"} {
		sh("yarvek completion " + shell + " > /dev/null")
	}
}

// Every command has its manual page, which says what its help says.
func TestManPages(t *testing.T) {
	dir := t.TempDir()
	root := rootCommand()
	root.SetArgs([]string{"man", dir})
	require.NoError(t, root.Execute())
	var every func(c *cobra.Command)
	every = func(c *cobra.Command) {
		if !c.IsAvailableCommand() && c.HasParent() {
			return
		}
		page, err := os.ReadFile(filepath.Join(dir, strings.ReplaceAll(c.CommandPath(), " ", "-")+".1"))
		if assert.NoError(t, err) {
			assert.Contains(t, string(page), ".TH")
			c.LocalFlags().VisitAll(func(f *pflag.Flag) {
				assert.Contains(t, strings.ReplaceAll(string(page), `\-`, "-"), "--"+f.Name, c.Name())
			})
		}
		for _, sub := range c.Commands() {
			every(sub)
		}
	}
	every(rootCommand())
}

// The Git hook lets a sound mesh pass and stops one that is none; the steps of the build run as they are written, and
// the report is kept though the first ends otherwise.
func TestHookAndBuild(t *testing.T) {
	asAShellHas(t)
	dir := t.TempDir()
	sh := func(line string) (string, error) {
		c := exec.Command("sh", "-c", line)
		c.Dir = dir
		c.Env = append(os.Environ(), "GIT_AUTHOR_NAME=ana", "GIT_AUTHOR_EMAIL=ana@localhost", "GIT_COMMITTER_NAME=ana",
			"GIT_COMMITTER_EMAIL=ana@localhost", "GIT_CONFIG_GLOBAL=/dev/null")
		out, err := c.CombinedOutput()
		return string(out), err
	}
	hook, err := filepath.Abs("../../docs/pipelines/pre-commit")
	require.NoError(t, err)
	out, err := sh("git init -q . && cp '" + hook + "' .git/hooks/pre-commit")
	require.NoError(t, err, out)
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "props"), 0o755))
	require.NoError(t, os.MkdirAll(filepath.Join(dir, "reports"), 0o755))
	write(t, dir, "props/crate.obj", twoSlots)
	write(t, dir, "props/two.mtl", "newmtl wood\nnewmtl iron\n")
	out, err = sh("git add props && git commit -q -m 'A crate'")
	require.NoError(t, err, out)
	write(t, dir, "props/broken.glb", "this is no mesh")
	out, err = sh("git add props && git commit -q -m 'No mesh'")
	require.Error(t, err)
	assert.Contains(t, out, "broken.glb")

	steps, err := os.ReadFile("../../docs/pipelines/ci.yml")
	require.NoError(t, err)
	runs := regexp.MustCompile(`run: (.+)`).FindAllStringSubmatch(string(steps), -1)
	require.Len(t, runs, 2)
	_, err = sh(runs[0][1])
	var gone *exec.ExitError
	require.ErrorAs(t, err, &gone)
	assert.Equal(t, 2, gone.ExitCode(), "a file can't be read")
	out, err = sh(runs[1][1])
	require.NoError(t, err, out)
	kept, err := os.ReadFile(filepath.Join(dir, "reports", "junit.xml"))
	require.NoError(t, err)
	assert.Contains(t, string(kept), "broken.glb")
}
