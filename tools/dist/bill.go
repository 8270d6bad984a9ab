package main

import (
	"bytes"
	"fmt"
	"os"
	"path/filepath"

	cdx "github.com/CycloneDX/cyclonedx-go"
)

// undetected are the licences, read by a person, of those that the tool finds none of: its text is worded
// otherwise than usual, or it lies elsewhere than with modules.
var undetected = map[string]string{"github.com/pressly/goose/v3": "MIT", "std": "BSD-3-Clause"}

// bill is the bill of materials of a program: its Go modules, as CycloneDX's own tool finds them in it, and the
// parts of its pages, which that can't see.
func (r *release) bill(p platform, program string) ([]byte, error) {
	to := filepath.Join(r.work, p.called+".json")
	// Without a network: whatever is in the program was there to be compiled.
	offline := append(os.Environ(), "GOPROXY=off")
	if _, err := said(".", offline, "go", "tool", "cyclonedx-gomod", "bin", "-json", "-noserial", "-notimestamp",
		"-std", "-licenses", "-assert-licenses", "-output-version", "1.6", "-version", r.version, "-output", to,
		program); err != nil {
		return nil, err
	}
	f, err := os.Open(to)
	if err != nil {
		return nil, err
	}
	defer f.Close()
	var b cdx.BOM
	if err := cdx.NewBOMDecoder(f, cdx.BOMFileFormatJSON).Decode(&b); err != nil {
		return nil, fmt.Errorf("the bill of materials: %w", err)
	}
	parts, err := r.pageParts()
	if err != nil {
		return nil, err
	}
	list := *b.Components
	for i, c := range list {
		if c.Licenses != nil {
			continue
		}
		is, ok := undetected[c.Name]
		if !ok {
			return nil, fmt.Errorf("the bill of materials: no licence of %s was found", c.Name)
		}
		list[i].Licenses = &cdx.Licenses{{License: &cdx.License{ID: is}}}
	}
	for _, part := range parts {
		list = append(list, cdx.Component{Type: cdx.ComponentTypeLibrary, Name: part.Name, Version: part.Version,
			BOMRef: "page:" + part.Name, Licenses: &cdx.Licenses{{License: &cdx.License{ID: part.Licence}}}})
	}
	b.Components = &list
	var out bytes.Buffer
	e := cdx.NewBOMEncoder(&out, cdx.BOMFileFormatJSON)
	e.SetPretty(true)
	err = e.EncodeVersion(&b, cdx.SpecVersion1_6)
	return out.Bytes(), err
}
