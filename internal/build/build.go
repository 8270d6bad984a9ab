// Package build tells which build of Yarvek runs: what the Go command wrote into the program when it was made.
package build

import (
	"runtime"
	"runtime/debug"
	"strings"
	"time"
)

// Build is one build of the program.
type Build struct {
	Version string `json:"version"` // the day of its commit, such as 2026.12.01; Unknown outside of a repository
	Commit  string `json:"commit"`  // in hexadecimal digits, "" outside of a repository
	Changed bool   `json:"changed"` // from files that are not committed
	Go      string `json:"go"`      // that it was made by
	System  string `json:"system"`  // and processor, such as windows/amd64
}

// Unknown is the version of a build that no commit is known of.
const Unknown = "of no commit"

// This is the running program.
func This() Build {
	b := Build{Version: Unknown, Go: strings.TrimPrefix(runtime.Version(), "go"),
		System: runtime.GOOS + "/" + runtime.GOARCH}
	if info, ok := debug.ReadBuildInfo(); ok {
		b.take(info.Settings)
	}
	return b
}

// take takes what the settings of a build say of its source.
func (b *Build) take(settings []debug.BuildSetting) {
	for _, s := range settings {
		switch s.Key {
		case "vcs.revision":
			b.Commit = s.Value
		case "vcs.modified":
			b.Changed = s.Value == "true"
		case "vcs.time":
			if at, err := time.Parse(time.RFC3339, s.Value); err == nil {
				b.Version = at.UTC().Format("2006.01.02")
			}
		}
	}
}

// String is the build as a person is told of it: “Yarvek 2026.12.01 (3619594abcde)”.
func (b Build) String() string {
	s := "Yarvek " + b.Version
	if b.Commit != "" {
		s += " (" + b.Commit[:min(len(b.Commit), 12)]
		if b.Changed {
			s += ", changed since"
		}
		s += ")"
	}
	return s
}
