// Package docs holds what the guide in the application is made of: its texts and its pictures, as they lie here.
package docs

import "embed"

// Files are the texts and pictures of the guide.
//
//go:embed guide.md example.md findings.md words.md formats.md pipelines.md reliability.md *.schema.json
//go:embed why/*.svg example/*.png screenshots/*.png pipelines/*
var Files embed.FS
