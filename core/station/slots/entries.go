package slots

import (
	"strconv"

	"yarvek/core/entry"
	"yarvek/core/figure"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
)

// Entries are the values that can be decided here. Slots themselves, faces that are moved, single pictures and sheets
// are lists.
var Entries = []entry.Group[Decisions]{
	{ID: "leave", Title: "Pictures that leave", DoFor: makes, Entries: []entry.Entry[Decisions]{
		entry.Count("most", "Longest side", "px", func(d *Decisions) *int { return &d.Pictures.Most }).
			Between(0, outfit.MostSide).Helped("any while undecided").Usually("0"),
		entry.Choice("power", "Sides", func(d *Decisions) *string { return &d.Pictures.Power },
			entry.Option{ID: "down", Name: "power of two, down"}, entry.Option{ID: "up", Name: "power of two, up"},
			entry.Option{ID: "nearest", Name: "nearest power of two"}).Else("as they are"),
		entry.Choice("green", "Green of normals", func(d *Decisions) *string { return &d.Pictures.Green },
			entry.Option{ID: "up", Name: "up"}, entry.Option{ID: "down", Name: "down"}),
		entry.Choice("pack", "Channels", func(d *Decisions) *string { return &d.Pictures.Pack },
			entry.Option{ID: "orm", Name: "three in one"}, entry.Option{ID: "apart", Name: "apart"}).
			Helped("occlusion, roughness and metallic").Else("as they are"),
		entry.Choice("formats", "Format", func(d *Decisions) *string { return &d.Pictures.Formats },
			entry.Option{ID: "target", Name: "as the target has it"}, entry.Option{ID: "png", Name: "PNG"},
			entry.Option{ID: "jpeg", Name: "JPEG"}, entry.Option{ID: "webp", Name: "WebP"},
			entry.Option{ID: "tga", Name: "TGA"}).Else("as they are"),
		entry.Count("quality", "Quality of JPEG", "", func(d *Decisions) *int { return &d.Pictures.Quality }).
			Between(1, 100).Usually(strconv.Itoa(texture.UsualQuality)),
		entry.YesNo("eight", "8 bits a channel", func(d *Decisions) *bool { return &d.Pictures.Eight }),
		entry.YesNo("strip", "Nothing but pixels", func(d *Decisions) *bool { return &d.Pictures.Strip }).
			Helped("no remarks, profiles or dates"),
		entry.YesNo("named", "Named by the target’s pattern", func(d *Decisions) *bool { return &d.Pictures.Names }),
		entry.Choices("roles", "The longest side is for", func(d *Decisions) *[]string { return &d.Pictures.Roles },
			roles()...).Helped("all roles while undecided"),
		entry.Choices("without", "Leave as one value", func(d *Decisions) *[]string { return &d.Pictures.Without },
			roles()...).Helped("instead of a picture"),
	}},
	{ID: "names", Title: "Names", Do: "Name them so", Head: namesHead, Entries: []entry.Entry[Decisions]{
		entry.YesNo("clean", "Clean by the target’s rule", func(d *Decisions) *bool { return &d.Clean }),
		entry.YesNo("bare", "Names only", func(d *Decisions) *bool { return &d.Bare }).
			Helped("slots leave without values and pictures"),
		entry.YesNo("unmapped", "Leave the kit’s map aside", func(d *Decisions) *bool { return &d.Unmapped }),
		entry.YesNo("drop", "Leave unused materials behind", func(d *Decisions) *bool { return &d.Drop }),
	}},
	{ID: "light", Title: "A UV set for light", Do: "Unfold {size} texels", Head: lightHead,
		Entries: []entry.Entry[Decisions]{
			entry.Count("size", "Texels a side", "", func(d *Decisions) *int { return &d.Light.Size }).
				Between(16, outfit.MostSide).Helped("no set while undecided"),
			lit(entry.Count("padding", "Texels between charts", "", func(d *Decisions) *int { return &d.Light.Padding })).
				Between(1, outfit.MostPadding).Usually(strconv.Itoa(outfit.UsualLightPadding)),
			lit(entry.Text("set", "Called", func(d *Decisions) *string { return &d.Light.Name })).
				AtMost(outfit.MostName).Usually(outfit.UsualLightName),
			lit(entry.Slots("only", "Room for slots", func(d *Decisions) *[]string { return &d.Light.Slots })).
				Helped("all while undecided"),
			lit(entry.YesNo("again", "Even where a fit set is", func(d *Decisions) *bool { return &d.Light.Again })),
		}},
}

// lit is an entry of the light set: it counts where there is to be one.
func lit(e entry.Entry[Decisions]) entry.Entry[Decisions] {
	return e.When("with a set for light", func(d Decisions) bool { return d.Light.Size > 0 })
}

// makes says how many pictures are made.
func makes(_ Decisions, g entry.Given) string {
	if r, ok := g.Report.(*Report); ok && r != nil && len(r.Pictures) > 0 {
		return "Make " + figure.Plural(len(r.Pictures), "picture", "pictures")
	}
	return "Make the pictures"
}

// namesHead says what cleaning came to.
func namesHead(d Decisions, g entry.Given) string {
	r, ok := g.Report.(*Report)
	if !ok || r == nil || !d.Clean {
		return ""
	}
	n := 0
	for _, s := range r.Slots {
		if s.By == outfit.ByRule {
			n++
		}
	}
	if n == 0 {
		return "none needed cleaning"
	}
	return figure.Plural(n, "name", "names") + " cleaned"
}

func lightHead(d Decisions, _ entry.Given) string {
	if d.Light.Size == 0 {
		return "none"
	}
	return strconv.Itoa(d.Light.Size) + " texels"
}

func roles() (list []entry.Option) {
	for u, r := range outfit.Roles[:scene.UseSpecular] { // what leaves has no specular one
		list = append(list, entry.Option{ID: r, Name: scene.Use(u).String()})
	}
	return list
}
