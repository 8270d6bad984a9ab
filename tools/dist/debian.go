package main

import (
	"bytes"
	"compress/gzip"
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"time"

	"github.com/goreleaser/nfpm/v2"
	"github.com/goreleaser/nfpm/v2/deb"
	"github.com/goreleaser/nfpm/v2/files"
)

// desktop starts Yarvek from the list of programs of a desktop, in a terminal, so that it can be ended.
const desktop = `[Desktop Entry]
Type=Application
Name=Yarvek
Comment=Make static meshes right for a real-time engine
Exec=yarvek
Icon=yarvek
Terminal=true
Categories=Graphics;3DGraphics;
`

// debian writes the package of a platform (Debian Policy 4.6: the program, its manual pages, its licences, what starts
// it from a desktop).
func (r *release) debian(p platform, program, manuals string, licences []byte) error {
	dir := filepath.Join(r.work, "debian-"+p.processor)
	if err := os.MkdirAll(dir, 0o755); err != nil {
		return err
	}
	var list files.Contents
	add := func(to, from string, mode os.FileMode) {
		list = append(list, &files.Content{Source: from, Destination: to, FileInfo: &files.ContentFileInfo{Mode: mode,
			Owner: "root", Group: "root", MTime: r.at}})
	}
	put := func(to string, body []byte) error {
		from := filepath.Join(dir, strings.ReplaceAll(to, "/", "_"))
		add(to, from, 0o644)
		return os.WriteFile(from, body, 0o644)
	}
	add("/usr/bin/yarvek", program, 0o755)
	add("/usr/share/icons/hicolor/scalable/apps/yarvek.svg", filepath.Join(r.src, "internal/web/static/mark.svg"), 0o644)
	pages, err := os.ReadDir(manuals)
	if err != nil {
		return err
	}
	for _, page := range pages {
		body, err := os.ReadFile(filepath.Join(manuals, page.Name()))
		if err != nil {
			return err
		}
		if body, err = zipped(body); err != nil {
			return err
		}
		if err := put("/usr/share/man/man1/"+page.Name()+".gz", body); err != nil {
			return err
		}
	}
	changes, err := zipped(fmt.Appendf(nil, "yarvek (%s) unstable; urgency=low\n\n  * Made of commit %s.\n\n"+
		" -- %s  %s\n", r.debVersion(), r.commit, maintainer, r.at.Format(time.RFC1123Z)))
	if err != nil {
		return err
	}
	for to, body := range map[string][]byte{"/usr/share/applications/yarvek.desktop": []byte(desktop),
		"/usr/share/doc/yarvek/copyright": licences, "/usr/share/doc/yarvek/changelog.gz": changes} {
		if err := put(to, body); err != nil {
			return err
		}
	}
	info := nfpm.WithDefaults(&nfpm.Info{Name: "yarvek", Arch: p.processor, Platform: "linux", Version: r.debVersion(),
		VersionSchema: "none", Section: "graphics", Priority: "optional", Maintainer: maintainer, MTime: r.at,
		DisableGlobbing: true,
		Description: "make static meshes right for a real-time engine\n" +
			"A workbench in the browser: scale, axes, pivot, budget, LODs, collision,\n" +
			"slots and textures of static meshes, and files that prove to have arrived.",
		Overridables: nfpm.Overridables{Contents: list, Recommends: []string{"xdg-utils"}}})
	if err := nfpm.PrepareForPackager(info, "deb"); err != nil {
		return err
	}
	var out bytes.Buffer
	if err := deb.Default.Package(info, &out); err != nil {
		return err
	}
	return os.WriteFile(filepath.Join(r.out, "yarvek_"+r.debVersion()+"_"+p.processor+".deb"), out.Bytes(), 0o644)
}

// maintainer is who answers for the package.
const maintainer = "The makers of Yarvek <yarvek@localhost>"

// debVersion sorts after every build of an earlier day.
func (r *release) debVersion() string { return r.version + "+" + r.commit[:12] }

// zipped is a body as gzip writes it, without a name or a time.
func zipped(body []byte) ([]byte, error) {
	var b bytes.Buffer
	g, err := gzip.NewWriterLevel(&b, gzip.BestCompression)
	if err == nil {
		_, err = g.Write(body)
	}
	if err == nil {
		err = g.Close()
	}
	return b.Bytes(), err
}
