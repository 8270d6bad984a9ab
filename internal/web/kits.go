package web

import (
	"cmp"
	"fmt"
	"html/template"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"yarvek/core/figure"
	"yarvek/core/target"
	"yarvek/core/target/class"
	"yarvek/internal/demo"
	"yarvek/internal/draft"
	"yarvek/internal/show"
	"yarvek/internal/work"
)

// kitsPage is the first page.
type kitsPage struct {
	Kits    []work.Kit
	Removed []work.Kit
	Out     *work.Kit // was taken off just now, nil for none
	Targets []target.Target
	Choices []targetChoice // where there is no kit yet
	Limit   int64          // bytes of one upload
	Who     string         // is signed in, "" where nobody has to
	Unswept int            // files that nothing refers to and that were left where they are
}

// targetChoice is a target to choose for the first kit, by its axes and its unit.
type targetChoice struct {
	ID, Name string
	Drawn    template.HTML
}

// choicesOf are the house's own targets and then those that ship, drawn.
func choicesOf(list []target.Target) (out []targetChoice) {
	for _, t := range list {
		out = append(out, targetChoice{t.ID, t.Name, trusted(draft.Frames([]draft.Frame{{Label: "in " + t.Unit.Name,
			Basis: t.Basis}}))})
	}
	return out
}

// kits is the first page: all kits.
func (s *Server) kits(w http.ResponseWriter, r *http.Request) error {
	kits, err := s.desk.Kits(r.Context())
	if err != nil {
		return err
	}
	removed, err := s.desk.RemovedKits(r.Context())
	if err != nil {
		return err
	}
	targets, err := s.desk.Targets(r.Context())
	if err != nil {
		return err
	}
	p := kitsPage{Kits: kits, Removed: removed, Targets: targets, Limit: s.desk.Limits.Upload, Who: work.By(r.Context()),
		Unswept: s.desk.Unswept().Orphans}
	if len(kits) == 0 {
		p.Choices = choicesOf(targets)
	}
	for i := range removed {
		if strconv.FormatInt(removed[i].ID, 10) == r.URL.Query().Get("out") {
			p.Out = &removed[i]
		}
	}
	s.render(w, http.StatusOK, "kits", "Kits · Yarvek", p)
	return nil
}

// newKit makes a kit and goes to it.
func (s *Server) newKit(w http.ResponseWriter, r *http.Request) error {
	f := parse(w, r)
	name, target := f.str("name"), f.str("target")
	if err := f.end(); err != nil {
		return err
	}
	k, err := s.desk.NewKit(r.Context(), name, target)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", k.ID)
}

// demoKit begins a demo kit and goes to it, which tells how far the filling is.
func (s *Server) demoKit(w http.ResponseWriter, r *http.Request) error {
	if err := nothing(w, r); err != nil {
		return err
	}
	k, err := demo.Begin(r.Context(), s.desk)
	if err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", k.ID)
}

// kitPage is a kit with its line-up.
type kitPage struct {
	Kit               work.Kit
	Rows              []work.Row
	Removed           []work.Asset
	Out               *work.Asset // was taken out just now, nil for none
	Targets           []target.Target
	Newer             int // revision of its target that is there, 0 for none
	Lineup            show.Lineup
	Ready, Look, Held int   // assets
	Limit             int64 // bytes of one upload

	All        int    // assets of the kit
	Find       string // letters of a name that are looked for, "" for none
	From       int    // the first shown
	Prev, Next string // addresses of the assets before and after those shown, "" for none
	Switch     string // address of the same assets in the other line-up

	lens     lens
	Chips    []chip
	Findings []foundKind // of all its assets, the most frequent first
	Heads    []heading
	Group    string      // what the list is grouped by, "" for nothing
	Code     string      // of the finding that is looked for
	Class    string      // the class that is
	Station  string      // the station that is
	Kept     [][2]string // of the address, what the filters have no field for
	FoundIDs []int64     // of all that are found, in their order
	Presets  []work.Preset
	Others   []work.Kit  // where assets may be moved to
	Round    *work.Round // what was done for many last, nil where nothing can be undone

	Unlooked int         // assets that were not looked at yet
	Looking  lookingView // the job that looks at them

	Jobs     []string   // uploads under way, or whose outcome was not seen
	Unsorted []proposed // assets without a class whose name says one
	Cost     kitCost
}

// kitCost is what all assets of a kit cost, the dearest first.
type kitCost struct {
	Bars      []bar
	Triangles int
	Vertices  int
	DrawCalls int
	Bytes     int64
	Pictures  int
	Memory    int64 // of pictures as they leave, in graphics memory
	HadMemory int64 // as they came
	Over      int   // assets that have more triangles than their class may
	Sums      []sum // by class
	Shared    []sharing
	Meters    []meter
	Texels    *texelsAcross // nil where fewer than two assets have pictures
	Unlooked  int           // assets that were not looked at yet, and count for nothing
	Open      bool          // it is shown unfolded
}

// bar is one asset of the chart.
type bar struct {
	ID        int64
	Name      string
	Triangles int
	Most      int // that its class may have, 0 for any number
	Width     int // of 1000
	Mark      int // where its bound stands, likewise; 0 where it is beyond
}

// Over tells whether it has more triangles than it may.
func (b bar) Over() bool { return b.Most > 0 && b.Triangles > b.Most }

// costOf adds up a kit's assets. The chart is as wide as the dearest asset.
func costOf(t target.Target, rows []work.Row, b work.KitBudget) kitCost {
	c := kitCost{Sums: sumsOf(rows), Shared: sharedOf(rows), Meters: metersOf(rows, b), Texels: texelsAcrossOf(rows)}
	widest := 1
	for _, r := range rows {
		s := r.Summary
		if s.Unread != "" || s.Unlooked {
			continue
		}
		class, _ := t.Class(s.ClassID)
		b := bar{ID: r.Asset.ID, Name: r.Asset.Name, Triangles: s.Triangles, Most: class.Budget.Triangles}
		widest = max(widest, s.Triangles)
		c.Bars = append(c.Bars, b)
		c.Triangles, c.Vertices, c.DrawCalls, c.Bytes = c.Triangles+s.Triangles, c.Vertices+s.Vertices,
			c.DrawCalls+s.DrawCalls, c.Bytes+s.Bytes
		c.Pictures, c.Memory, c.HadMemory = c.Pictures+s.Pictures, c.Memory+s.Memory, c.HadMemory+s.HadMemory
		if b.Over() {
			c.Over++
		}
	}
	slices.SortStableFunc(c.Bars, func(a, b bar) int { return cmp.Compare(b.Triangles, a.Triangles) })
	for i := range c.Bars {
		b := &c.Bars[i]
		b.Width = max(1, 1000*b.Triangles/widest)
		if b.Most <= widest {
			b.Mark = 1000 * b.Most / widest
		}
	}
	return c
}

// proposed is the class an asset's name says.
type proposed struct {
	ID      int64
	Name    string
	Class   class.Class
	Because string
}

// shelf is how many assets a kit's page shows at once.
const shelf = 60

// shelve leaves the assets that are looked for, in their order, and of those in the kit a shelf.
func (p *kitPage) shelve(r *http.Request) error {
	q := r.URL.Query()
	p.lens = lensOf(q)
	p.All, p.Find = len(p.Rows), p.lens.find
	var err error
	if p.From, err = fromOf(r); err != nil {
		return err
	}
	p.chips(q, p.Rows)
	p.Heads, p.Group, p.Code, p.Class = p.heads(q), p.lens.group, p.lens.code, p.lens.class
	p.Station = p.lens.station
	for _, name := range []string{"state", "over", "changed", "never", "sort", "down", "lineup"} {
		if v := q.Get(name); v != "" {
			p.Kept = append(p.Kept, [2]string{name, v})
		}
	}
	other := func(a work.Asset) bool { return !strings.Contains(strings.ToLower(a.Name), strings.ToLower(p.Find)) }
	p.Rows = slices.DeleteFunc(slices.Clone(p.Rows), func(row work.Row) bool { return !p.lens.keeps(row, p.mostOf(row)) })
	p.lens.ordered(p.Rows)
	p.Removed = slices.DeleteFunc(p.Removed, other)
	found := len(p.Rows)
	for _, row := range p.Rows {
		p.FoundIDs = append(p.FoundIDs, row.Asset.ID)
	}
	p.From = min(p.From, max(0, found-1)) / shelf * shelf
	p.Rows = p.Rows[p.From:min(p.From+shelf, found)]
	at := func(from int) string {
		q.Set("from", strconv.Itoa(from))
		return "?" + q.Encode()
	}
	turned := r.URL.Query()
	if turned.Get("lineup") == "fit" {
		turned.Del("lineup")
	} else {
		turned.Set("lineup", "fit")
	}
	p.Switch = "?" + turned.Encode()
	if p.From > 0 {
		p.Prev = at(p.From - shelf)
	}
	if p.From+shelf < found {
		p.Next = at(p.From + shelf)
	}
	return nil
}

// headed is a row of the list with the heading that begins with it, "" for none.
type headed struct {
	work.Row
	Heading string
}

// List is the rows of the list, with the headings of their groups.
func (p *kitPage) List() (list []headed) {
	last := ""
	for _, r := range p.Rows {
		h := headed{Row: r}
		if now := p.lens.headingOf(r); now != last {
			h.Heading, last = now, now
		}
		list = append(list, h)
	}
	return list
}

// lineupWidth is that of the line-up on a page of 1280 pixels.
const lineupWidth = 1248

// kit shows the line-up and the table of a kit’s assets.
func (s *Server) kit(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	p := kitPage{Limit: s.desk.Limits.Upload}
	until := time.Now().Add(s.patience)
	if p.Kit, p.Rows, err = s.desk.OverviewUntil(r.Context(), kid, until); err != nil {
		return err
	}
	if p.Targets, err = s.choices(r, p.Kit.Target); err != nil {
		return err
	}
	if p.Newer, err = s.newer(r, p.Kit.Target); err != nil {
		return err
	}
	if p.Removed, err = s.desk.Removed(r.Context(), kid); err != nil {
		return err
	}
	for i := range p.Removed {
		if strconv.FormatInt(p.Removed[i].ID, 10) == r.URL.Query().Get("out") {
			out := p.Removed[i]
			p.Out = &out
		}
	}
	for _, row := range p.Rows {
		if c, ok := p.Kit.Target.Class(row.Summary.Proposed); ok && c.ID != "" {
			p.Unsorted = append(p.Unsorted, proposed{row.Asset.ID, row.Asset.Name, c, row.Summary.Because})
		}
		if row.Summary.Unread != "" || row.Summary.Waits {
			passing(r) // the next look may find more
		}
		switch {
		case row.Summary.Unlooked:
			p.Unlooked++
		case row.Summary.MustFix > 0 || row.Summary.Unread != "":
			p.Held++
		case row.Summary.Look > 0:
			p.Look++
		default:
			p.Ready++
		}
	}
	p.Jobs = s.desk.Uploads(kid)
	budget, err := s.desk.Budget(r.Context(), kid)
	if err != nil {
		return err
	}
	p.Cost = costOf(p.Kit.Target, p.Rows, budget)
	p.Cost.Unlooked = p.Unlooked
	p.Cost.Open = r.URL.Query().Get("cost") == "open"
	if p.Presets, err = s.desk.Presets(r.Context(), kid); err != nil {
		return err
	}
	if p.Round, err = s.desk.LastRound(r.Context(), kid); err != nil {
		return err
	}
	if err := p.shelve(r); err != nil {
		return err
	}
	fit := r.URL.Query().Get("lineup") == "fit"
	if p.Lineup, err = s.board.Lineup(r.Context(), p.Rows, fit, lineupWidth, until.Add(s.patience/2)); err != nil {
		return err
	}
	if p.Unlooked > 0 || p.Lineup.Waits {
		passing(r)
		p.Looking = lookingView{p.Kit.ID, s.board.LookLater(r.Context(), p.Kit).State(), p.Unlooked, ""}
	}
	s.render(w, http.StatusOK, "kit", p.Kit.Name+" · Yarvek", &p)
	return nil
}

// lineupWords are what the template of the line-up says that takes more than a field.
var lineupWords = template.FuncMap{
	"tickx":     func(long float64) string { return f1(46 - long) },
	"below":     func(y float64, by float64) string { return f1(y + by) },
	"personmid": func(x, k float64) string { return f1(x + max(14, 0.25*k)) },
	"person":    func(x, y, k float64) template.HTML { return trusted(draft.Person(x+max(0, 14-0.25*k), y, k)) },
	"figureof":  func(s show.Stand, ground float64) template.HTML { return trusted(s.SVG(ground)) },
	"short":     func(s string) string { return clip(s, 16) },
	"heightof": func(s show.Stand) string {
		switch {
		case s.Summary.Unlooked:
			return "…"
		case s.Summary.Unread != "":
			return "unreadable"
		}
		return figure.Length(s.Summary.Size[1])
	},
}

// f1 is a number with one decimal, for places on a drawing.
func f1(v float64) string { return fmt.Sprintf("%.1f", v) }

// setTarget changes a kit’s target and returns to the page it was set on.
func (s *Server) setTarget(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	to, revision, back := f.str("target"), f.optional("revision"), f.str("back")
	if err := first(err, f.end()); err != nil {
		return err
	}
	if err := s.desk.SetTarget(r.Context(), kid, to, revision); err != nil {
		return err
	}
	return backTo(w, r, back, kid)
}

// sortAssets gives assets the classes that were ticked, "7 furniture" for each.
func (s *Server) sortAssets(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	classes := map[int64]string{}
	for _, v := range f.strs("class") {
		asset, class, _ := strings.Cut(v, " ")
		n, err := strconv.ParseInt(asset, 10, 64)
		f.check(err)
		if _, again := classes[n]; again {
			f.fail("asset %d is ticked twice", n)
		}
		classes[n] = class
	}
	if err := first(err, f.end()); err != nil {
		return err
	}
	if _, err := s.desk.Sort(r.Context(), kid, classes); err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", kid)
}

// backTo sends the browser to the sheet a form of the kit stood on, or to the kit.
func backTo(w http.ResponseWriter, r *http.Request, back string, kit int64) error {
	if strings.HasPrefix(back, "/assets/") {
		return seeOther(w, r, "%s", back)
	}
	return seeOther(w, r, "/kits/%d", kit)
}

// renameKit changes a kit’s name.
func (s *Server) renameKit(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	was, name := f.str("was"), f.str("name")
	if err := first(err, f.end()); err != nil {
		return err
	}
	if err := s.desk.RenameKit(r.Context(), kid, was, name); err != nil {
		return err
	}
	return seeOther(w, r, "/kits/%d", kid)
}

// removeKit takes a kit off the first page or puts it back; nothing of it is deleted.
func (s *Server) removeKit(removed bool) func(http.ResponseWriter, *http.Request) error {
	return func(w http.ResponseWriter, r *http.Request) error {
		kid, err := id(r, "kit")
		if err := first(err, nothing(w, r)); err != nil {
			return err
		}
		if err := s.desk.RemoveKit(r.Context(), kid, removed); err != nil {
			return err
		}
		if removed {
			return seeOther(w, r, "/?out=%d", kid)
		}
		return seeOther(w, r, "/kits/%d", kid)
	}
}

// setGrid gives a kit the module of its pieces; an empty length takes it away.
func (s *Server) setGrid(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	f := parse(w, r)
	grid := 0.0
	if f.str("grid") != "" {
		grid = f.length("grid", "The grid")
	}
	back := f.str("back")
	if err := first(err, f.end()); err != nil {
		return err
	}
	if err := s.desk.SetGrid(r.Context(), kid, grid); err != nil {
		return err
	}
	return backTo(w, r, back, kid)
}

// exportsPage lists what was sent from a kit.
type exportsPage struct {
	Kit  work.Kit
	List []work.Sent // those shown
	From int         // the first of them, among all
	All  int
}

// Older is where those begin that are older than what is shown, 0 when there are none.
func (p exportsPage) Older() int {
	if p.From+pieceOf >= p.All {
		return 0
	}
	return p.From + pieceOf
}

// exports lists everything a kit has sent.
func (s *Server) exports(w http.ResponseWriter, r *http.Request) error {
	kid, err := id(r, "kit")
	if err != nil {
		return err
	}
	k, err := s.desk.Kit(r.Context(), kid)
	if err != nil {
		return err
	}
	from, err := fromOf(r)
	if err != nil {
		return err
	}
	list, n, err := s.desk.Exports(r.Context(), kid, 0, from, pieceOf)
	if err != nil {
		return err
	}
	s.render(w, http.StatusOK, "exports", "Exports · "+k.Name, exportsPage{k, list, from, n})
	return nil
}

// download sends the file of an export, byte for byte as it was written.
func (s *Server) download(w http.ResponseWriter, r *http.Request) error {
	eid, err := id(r, "export")
	if err != nil {
		return err
	}
	e, f, err := s.desk.Download(r.Context(), eid)
	if err != nil {
		return err
	}
	defer f.Close()
	attachment(w, work.MediaType(e.Name), e.Name)
	http.ServeContent(w, r, "", e.Created, f)
	return nil
}
