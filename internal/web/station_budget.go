package web

import (
	"cmp"
	"html/template"
	"slices"

	"github.com/go-chi/chi/v5"

	"yarvek/core/figure"
	"yarvek/core/measure/cost"
	"yarvek/core/station/budget"
	"yarvek/core/target/class"
)

var budgetRoom = room{
	id:     budget.Info.ID,
	decode: noForm,
	page: func(c *call, ws worksheet) (any, error) {
		r := c.o.Result.Budget
		// What takes long in a large mesh comes to its page when that stands.
		waits := r.Cost.Triangles > budget.Eager && chi.URLParam(c.r, "list") == ""
		var extra budget.Extra
		if !waits {
			var err error
			if extra, err = r.Extra(c.r.Context()); err != nil {
				return nil, err
			}
		}
		nodes := slices.Clone(r.Nodes)
		slices.SortStableFunc(nodes,
			func(a, b budget.NodeCost) int { return cmp.Compare(b.Cost.Triangles, a.Cost.Triangles) })
		return budgetPage{ws, r, c.o.Prep.Budget, extra, waits, nodes, c.o.Kit.Target.Classes}, nil
	},
	words: template.FuncMap{
		"cache": func() int { return cost.CacheSize },
		"density": func(n budget.NodeCost) string {
			if !(n.Area > 0) {
				return ""
			}
			return figure.Significant(float64(n.Cost.Triangles)/n.Area, 3)
		},
		"width": func(is, most int) int { return min(100, 100*is/max(1, most)) },
	},
}

// budgetPage is what Budget's worksheet shows.
type budgetPage struct {
	worksheet
	Report  *budget.Report
	Decided budget.Decisions
	Extra   budget.Extra
	Waits   bool              // Extra comes when the page stands
	Nodes   []budget.NodeCost // the dearest first
	Classes []class.Class
}
