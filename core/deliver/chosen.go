package deliver

import (
	"slices"

	"yarvek/core/fault"
	"yarvek/core/figure"
	"yarvek/core/format"
	"yarvek/core/format/bundle"
	"yarvek/core/format/pack"
	"yarvek/core/scene"
	"yarvek/core/station/export"
	"yarvek/core/target"
)

// named finds what the main file is called and the folder it lies in.
func (p *Parcel) named(o Order) error {
	v := export.Values{Asset: o.Asset, Kit: o.Kit, Class: o.Class, Target: o.Target.Name}
	var err error
	if o.Decisions.Name == "" {
		p.Name, err = FileName(o.Target, o.Kit, o.Asset)
	} else {
		p.Name, err = export.Filled(o.Decisions.Name, v)
	}
	if err != nil {
		return fault.Input("the pattern for files can't name it: %v", err)
	}
	folder := o.Decisions.Folder
	if folder == "" {
		pattern, err := o.Target.Pattern(target.FolderName)
		if err == nil && pattern != nil {
			folder, err = pattern.Make(map[string]string{"asset": o.Asset, "kit": o.Kit})
		}
		if err != nil {
			return fault.Input("the target's pattern for folders can't name it: %v", err)
		}
	} else if folder, err = export.Filled(folder, v); err != nil {
		return fault.Input("the pattern for folders can't name it: %v", err)
	}
	p.Folder = export.CleanFolder(folder, bundle.Safe)
	return nil
}

// without is a delivery without what is decided to stay behind, and says what did.
func without(d scene.Delivery, by export.Decisions, f format.Format) (scene.Delivery, []pack.Change) {
	var said []pack.Change
	stays := func(about pack.Topic, n int, one, many, why string) {
		if n > 0 {
			said = append(said, pack.Change{About: about, What: figure.Plural(n, one, many) + " stayed behind", Why: why})
		}
	}
	if by.Shapes == export.ShapesLeft {
		stays(pack.Collision, len(d.Collision), "collision shape", "collision shapes", "as decided")
		d.Collision = nil
	}
	if by.Markers == export.Without {
		stays(pack.Nodes, len(d.Markers), "marker", "markers", "as decided")
		d.Markers = nil
	}
	if by.Pictures == export.Without {
		stays(pack.Pictures, len(d.Scene.Images), "picture", "pictures", "as decided")
		d = d.Each(unpictured)
	}
	var sights []scene.Sight
	for _, s := range d.Sights {
		switch wanted := s.Camera != nil && by.Cameras || s.Light != nil && by.Lights; {
		case wanted && f.Sights:
			sights = append(sights, s)
		case wanted && s.Camera != nil:
			said = append(said, pack.Change{About: pack.Nodes, What: "camera “" + s.Name + "” stayed behind",
				Why: f.Name + " holds no cameras", Property: pack.Sight, Of: s.Name})
		case wanted:
			said = append(said, pack.Change{About: pack.Nodes, What: "light “" + s.Name + "” stayed behind",
				Why: f.Name + " holds no lights", Property: pack.Sight, Of: s.Name})
		}
	}
	d.Sights = sights
	return d, said
}

// unpictured is a scene whose materials have their values and no picture.
func unpictured(s *scene.Scene) *scene.Scene {
	out := s.Clone()
	out.Images, out.Textures = nil, nil
	out.Materials = slices.Clone(s.Materials)
	for i := range out.Materials {
		for use := range out.Materials[i].Maps {
			out.Materials[i].Maps[use] = scene.Map{}
		}
	}
	return out
}
