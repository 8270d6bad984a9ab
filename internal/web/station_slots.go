package web

import (
	"fmt"
	"html/template"
	"net/http"
	"net/url"
	"slices"
	"strconv"
	"strings"

	"github.com/go-chi/chi/v5"

	"yarvek/core/entry"
	"yarvek/core/figure"
	"yarvek/core/geom"
	"yarvek/core/picture/outfit"
	"yarvek/core/picture/texture"
	"yarvek/core/prep"
	"yarvek/core/scene"
	"yarvek/core/station/slots"
	"yarvek/core/target"
	"yarvek/internal/work"
)

var slotsRoom = room{
	id:     slots.Info.ID,
	decode: decideSlots,
	page: func(c *call, ws worksheet) (any, error) {
		r := c.o.Result.Slots
		p := slotsPage{worksheet: ws, Report: r, Decided: c.o.Prep.Slots,
			Progress: c.making(c.o.Result.Pending(), ws.Station.ID)}
		lines, err := work.SlotMap(c.o.Kit)
		if err != nil {
			return nil, err
		}
		p.Map = work.SlotMapText(lines)
		stop, err := c.o.Result.Stop(slots.Info.ID)
		if err != nil {
			return nil, err
		}
		keys := stop.Before.Keys()
		for i, n := range stop.Before.Nodes {
			if n.Mesh >= 0 {
				p.Nodes = append(p.Nodes, [2]string{keys[i], n.Name})
			}
		}
		return p, nil
	},
	words: template.FuncMap{
		"uselist": func(list []scene.Use) string {
			var words []string
			for _, u := range list {
				words = append(words, u.String())
			}
			return strings.Join(words, ", ")
		},
		"kind": func(mime string) string {
			return strings.ToUpper(strings.TrimPrefix(strings.TrimPrefix(mime, "image/"), "x-"))
		},
		"sentence": sentence,
		"byname":   byName,
		"hex":      hexOf,
		"reaches": func() (list [][2]string) {
			for _, r := range outfit.Reaches {
				list = append(list, [2]string{string(r.ID), r.Name})
			}
			return list
		},
		"esc":     url.QueryEscape,
		"tobytes": func(b []byte) int64 { return int64(len(b)) },
		"toint64": func(n int) int64 { return int64(n) },
		"sides": func(two bool) int {
			if two {
				return 2
			}
			return 1
		},
		"meant": func(s texture.Sort) string {
			return map[texture.Sort]string{texture.Colours: "light (sRGB)", texture.Tints: "light (sRGB)",
				texture.Numbers:    "numbers (linear)",
				texture.Directions: "directions (linear)"}[s]
		},
		"ratio": func(v float64) string { return figure.Significant(v, 3) },
	},
}

// byName says what a name comes from.
func byName(b outfit.NameBy) string {
	return map[outfit.NameBy]string{outfit.ByHand: "renamed", outfit.ByMap: "by the kit’s map",
		outfit.ByRule: "cleaned"}[b]
}

// hexOf is a linear colour in sRGB as a browser writes it.
func hexOf(c [4]float64) string {
	p := outfit.ColourOf(c)
	return fmt.Sprintf("#%02x%02x%02x", p[0], p[1], p[2])
}

// slotsPage is what Slots' worksheet shows.
type slotsPage struct {
	worksheet
	Report   *slots.Report
	Decided  slots.Decisions
	Map      string // the kit's, as text
	Nodes    [][2]string
	Progress making
}

// Keys are the slots that leave, as options.
func (p slotsPage) Keys() (list [][2]string) {
	for _, s := range p.Report.Slots {
		list = append(list, [2]string{s.Key, s.Letter + " " + s.Name})
	}
	return list
}

// Used is how many slots have faces.
func (p slotsPage) Used() (n int) {
	for _, s := range p.Report.Slots {
		if s.Stat.Faces > 0 {
			n++
		}
	}
	return n
}

// Only tells whether the light set has room for a slot alone.
func (p slotsPage) Only(key string) bool { return slices.Contains(p.Decided.Light.Slots, key) }

// Mapped tells whether the kit has a map of names.
func (p slotsPage) Mapped() bool { return p.Map != "" }

// decideSlots turns Slots' form into decisions.
func decideSlots(f *form, p *prep.Prep) {
	d := &p.Slots
	switch act := f.str("act"); act {
	case "slots":
		f.changeSlots(d)
	case "order":
		d.Order = f.strs("order")
	case "rename":
		d.Rename = append(slices.Clone(d.Rename), outfit.Rename{Match: f.str("match"), To: f.str("to")})
	case "move":
		m := outfit.Move{To: f.slotName("to"), From: f.str("from"), Node: f.str("node")}
		f.comes(slots.Info.ID, entry.KindNode, []string{m.Node}, nil)
		f.comes(slots.Info.ID, entry.KindSlot, []string{m.From}, nil)
		d.Moves = append(slices.Clone(d.Moves), m)
	case "picked":
		d.Moves = append(slices.Clone(d.Moves), outfit.Move{To: f.slotName("to"), At: []geom.Vec3{f.point("at")},
			Reach: outfit.Reach(f.str("reach"))})
	case "back":
		f.giveBack(d)
	case "aswanted":
		*d = d.AsWanted(f.textures())
	case "asthey":
		d.Pictures, d.Own = outfit.Pictures{}, nil
	case "own":
		*d = d.Owning(f.str("picture"), f.own)
	case "assign":
		f.assign(d)
	case "unassign":
		d.Assigned = slices.Clone(d.Assigned)
		slot, use := f.str("slot"), scene.Use(f.int("use"))
		had := len(d.Assigned)
		d.Assigned = slices.DeleteFunc(d.Assigned, func(a outfit.Assigned) bool { return a.Slot == slot && a.Use == use })
		if len(d.Assigned) == had {
			d.Assigned = append(d.Assigned, outfit.Assigned{Slot: slot, Use: use})
		}
	case "look":
		f.look(d)
	default:
		f.unknown()
	}
}

// slotName is the slot that is chosen, or the name of a new one that is typed beside it.
func (f *form) slotName(name string) string {
	if s := f.str("new"); s != "" {
		return s
	}
	return f.str(name)
}

// textures are the rules of the kit's target for them.
func (f *form) textures() target.Textures {
	o, err := f.open()
	if err != nil {
		f.check(err)
		return target.Textures{}
	}
	return o.Kit.Target.Textures
}

// changeSlots changes the slots that are ticked.
func (f *form) changeSlots(d *slots.Decisions) {
	o, err := f.open()
	if err != nil {
		f.check(err)
		return
	}
	ticked := f.strs("slot")
	var order []string
	for _, s := range o.Result.Slots.Slots {
		if s.Key != scene.NoSlot {
			order = append(order, s.Key)
		}
	}
	if len(ticked) == 0 {
		f.fail("no slot is ticked. Tick one in the table")
		return
	}
	at := slices.Index(order, ticked[0])
	switch do := f.str("do"); do {
	case "join":
		if len(ticked) < 2 {
			f.fail("one slot is ticked. Tick those that are to be one")
			return
		}
		d.Joins = slices.Clone(d.Joins)
		into := ticked[0]
		if into == scene.NoSlot {
			into = ticked[1]
		}
		for _, s := range ticked {
			if s != into {
				d.Joins = append(d.Joins, outfit.Join{Slot: s, Into: into})
			}
		}
	case "sheet":
		d.Sheets = append(slices.Clone(d.Sheets), outfit.Sheet{Slots: ticked, Most: f.optional("sheetmost"),
			Padding: f.optional("sheetpadding"),
			AsIs:    f.on("asis"), Name: f.str("sheetname")})
	case "up", "down", "place":
		to := f.optional("place") - 1
		if do == "up" {
			to = at - 1
		} else if do == "down" {
			to = at + 1
		}
		if at < 0 {
			f.fail("faces without a slot have no place among slots")
			return
		}
		order = slices.Delete(order, at, at+1)
		d.Order = slices.Insert(order, min(max(to, 0), len(order)), ticked[0])
	case "name":
		name := f.str("name")
		d.Names = slices.DeleteFunc(slices.Clone(d.Names), func(n outfit.Name) bool { return n.Slot == ticked[0] })
		if name != "" {
			d.Names = append(d.Names, outfit.Name{Slot: ticked[0], To: name})
		}
	default:
		f.unknown()
	}
}

// giveBack takes a decision back by its number.
func (f *form) giveBack(d *slots.Decisions) {
	n := f.int("n")
	without := func(size int) bool {
		if n < 0 || n >= size {
			f.unknown()
			return false
		}
		return true
	}
	switch f.str("of") {
	case "join":
		key := f.str("slot")
		d.Joins = slices.DeleteFunc(slices.Clone(d.Joins), func(j outfit.Join) bool { return j.Slot == key || j.Into == key })
	case "move":
		if without(len(d.Moves)) {
			d.Moves = slices.Delete(slices.Clone(d.Moves), n, n+1)
		}
	case "rename":
		if without(len(d.Rename)) {
			d.Rename = slices.Delete(slices.Clone(d.Rename), n, n+1)
		}
	case "sheet":
		if without(len(d.Sheets)) {
			d.Sheets = slices.Delete(slices.Clone(d.Sheets), n, n+1)
		}
	case "order":
		d.Order = nil
	default:
		f.unknown()
	}
}

// own reads what is done to one picture.
func (f *form) own(o *outfit.Own) {
	o.Green, o.Width, o.Height, o.Format = f.str("green"), f.optional("width"), f.optional("height"), f.str("format")
	o.Invert, o.Name = f.on("invert"), f.str("name")
	o.Deep = 0
	if f.str("deep") != "" {
		o.Deep = f.number("deep", "The depth")
	}
}

// assign puts pictures that were dropped into a slot, each for the use that was confirmed.
func (f *form) assign(d *slots.Decisions) {
	slot := f.str("slot")
	shas, uses := f.strs("picture"), f.strs("use")
	if len(shas) == 0 || len(shas) != len(uses) {
		f.unknown()
		return
	}
	d.Assigned = slices.Clone(d.Assigned)
	for i, sha := range shas {
		a := outfit.Assigned{Slot: slot, Picture: sha}
		switch uses[i] {
		case "":
			continue
		case "orm":
			a.Packed, a.Use = true, scene.UseOcclusion
		case "gloss":
			a.Invert, a.Use = true, scene.UseRoughness
		default:
			use, ok := outfit.UseOf(uses[i])
			if !ok {
				f.unknown()
				return
			}
			a.Use = use
		}
		d.Assigned = append(slices.DeleteFunc(d.Assigned, func(x outfit.Assigned) bool {
			return x.Slot == slot &&
				x.Use == a.Use
		}), a)
	}
}

// look reads how a slot is drawn.
func (f *form) look(d *slots.Decisions) {
	l := outfit.Look{Slot: f.str("slot"), Alpha: scene.AlphaMode(f.str("alpha")), Sides: f.optional("sides")}
	d.Looks = slices.DeleteFunc(slices.Clone(d.Looks), func(x outfit.Look) bool { return x.Slot == l.Slot })
	if l.Alpha != "" || l.Sides > 0 {
		d.Looks = append(d.Looks, l)
	}
}

// renamedPage is what a pattern would make of the names of slots.
type renamedPage struct {
	Trouble string
	Changed [][2]string // before and after
}

// previewNames tells what a pattern that is being typed would make of the slots' names.
func (s *Server) previewNames(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	by := outfit.Rename{Match: r.URL.Query().Get("match"), To: r.URL.Query().Get("to")}
	var p renamedPage
	if by.Match != "" && by.To != "" {
		if err := by.Validate(); err != nil {
			p.Trouble = sentence(err.Error())
		}
		var names []string
		for _, x := range o.Result.Slots.Slots {
			if x.Key != scene.NoSlot {
				names = append(names, x.Name)
			}
		}
		for i, to := range by.Renamed(names) {
			if p.Trouble == "" && to != names[i] {
				p.Changed = append(p.Changed, [2]string{names[i], to})
			}
		}
		if p.Trouble == "" && len(p.Changed) == 0 {
			p.Trouble = "No slot has a name like that."
		}
	}
	s.write(w, http.StatusOK, worksheets()[slots.Info.ID], "renamed", p)
	return nil
}

// setSlotMap gives a kit its map of slot names.
func (s *Server) setSlotMap(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	text, back := f.raw("map"), f.str("back")
	f.pass("base") // it stands among forms of the asset
	if err := first(err, f.end()); err != nil {
		return err
	}
	lines, err := work.ParseSlotMap(text)
	if err == nil {
		err = s.desk.SetSlotMap(r.Context(), kid, lines)
	}
	if err != nil {
		return err
	}
	return backTo(w, r, back, kid)
}

// droppedPage asks what pictures that were dropped on a slot are for.
type droppedPage struct {
	worksheet
	Slot    string
	Dropped []work.Dropped
}

// Good are those that can be used.
func (p droppedPage) Good() (list []work.Dropped) {
	for _, d := range p.Dropped {
		if d.Why == "" {
			list = append(list, d)
		}
	}
	return list
}

// Uses are what a picture can be for.
func (p droppedPage) Uses() [][2]string {
	list := [][2]string{{"", "nothing"}}
	for u := range scene.UseSpecular {
		list = append(list, [2]string{outfit.Roles[u], u.String()})
	}
	return append(list, [2]string{"orm", "occlusion, roughness, metallic"}, [2]string{"gloss", "gloss, for roughness"})
}

// For is the use a picture seems to have.
func (p droppedPage) For(d work.Dropped) string {
	switch {
	case d.Packed:
		return "orm"
	case d.Gloss:
		return "gloss"
	}
	return outfit.Roles[d.Use]
}

// dropPictures keeps pictures that were dropped on a slot, and asks what they are for.
func (s *Server) dropPictures(w http.ResponseWriter, r *http.Request) error {
	o, err := s.open(r)
	if err != nil {
		return err
	}
	u, err := s.receive(w, r)
	if err != nil {
		return err
	}
	defer u.Close()
	list, err := s.desk.AddPictures(r.Context(), o.Asset.ID, u)
	if err != nil {
		return err
	}
	p := droppedPage{worksheet{Opened: o, Station: slots.Info, Path: assetPath(o.Asset.ID) + "/" + slots.Info.ID},
		r.URL.Query().Get("slot"), list}
	s.write(w, http.StatusOK, worksheets()[slots.Info.ID], "dropped", p)
	return nil
}

// picturePage is one picture as it came and as it leaves.
type picturePage struct {
	worksheet
	Number  int
	Picture slots.Picture
}

// Own is what is decided for a picture that goes in.
func (p picturePage) Own(key string) outfit.Own {
	for _, own := range p.Opened.Prep.Slots.Own {
		if own.Picture == key {
			return own
		}
	}
	return outfit.Own{}
}

// openPicture opens the asset of a request that is about one of its pictures, and gives the picture's number.
func (s *Server) openPicture(r *http.Request) (*work.Opened, int, error) {
	o, err := s.open(r)
	if err != nil {
		return nil, 0, err
	}
	n, err := strconv.Atoi(chi.URLParam(r, "picture"))
	if err != nil || n < 0 || n >= len(o.Result.Slots.Pictures) {
		return nil, 0, work.ErrNotFound
	}
	return o, n, nil
}

// onePicture shows a picture before and after, and what differs.
func (s *Server) onePicture(w http.ResponseWriter, r *http.Request) error {
	o, n, err := s.openPicture(r)
	if err != nil {
		return err
	}
	p := picturePage{worksheet{Opened: o, Station: slots.Info, Path: assetPath(o.Asset.ID) + "/" + slots.Info.ID}, n,
		o.Result.Slots.Pictures[n]}
	s.write(w, http.StatusOK, worksheets()[slots.Info.ID], "picture", p)
	return nil
}

// pictureFile sends a picture: as it came, as it leaves, small, or what differs.
func (s *Server) pictureFile(w http.ResponseWriter, r *http.Request) error {
	o, n, err := s.openPicture(r)
	if err != nil {
		return err
	}
	of := 0
	if q := r.URL.Query().Get("of"); q != "" {
		if of, err = strconv.Atoi(q); err != nil {
			return work.ErrNotFound
		}
	}
	shot, err := s.board.PictureAs(r.Context(), o, n, chi.URLParam(r, "as"), of)
	if err != nil {
		return err
	}
	w.Header().Set("Content-Type", shot.MIME)
	w.Header().Set("Cache-Control", "no-store")
	if shot.Name != "" {
		w.Header().Set("Content-Disposition", "attachment; filename*=UTF-8''"+url.PathEscape(shot.Name))
	}
	_, err = w.Write(shot.Data)
	return err
}
