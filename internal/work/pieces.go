package work

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/station/size"
	"yarvek/internal/store"
)

// Piece is a modular piece of a kit against the kit's grid.
type Piece struct {
	Asset store.Asset
	Size  geom.Vec3 // width, height, depth; metres
	Over  geom.Vec3 // by how much each is off whole cells; metres
	Off   float64   // the pivot, at most; metres
	Meets bool      // its ends fall on the grid's lines
	Here  bool      // the asset the page is about
}

// meetTol is how far apart two pieces may be without a gap being seen: half a millimetre.
const meetTol = 0.0005

// Pieces lists the modular pieces of an asset's kit and whether they would meet on
// the kit's grid; none when the kit has no grid or the asset is no such piece.
func (d *Desk) Pieces(ctx context.Context, sh *Sheet) ([]Piece, error) {
	grid := sh.Kit.Grid
	if grid <= 0 || sh.Result.Size.Class.ID != "modular-piece" {
		return nil, nil
	}
	assets, err := d.Store.Assets(ctx, sh.Kit.ID, false)
	if err != nil {
		return nil, err
	}
	sums, err := d.summaries(ctx, sh.Kit, assets)
	if err != nil {
		return nil, err
	}
	var list []Piece
	for i, a := range assets {
		s := sums[i]
		if s.Class != sh.Result.Size.Class.Name || s.Unread != "" {
			continue
		}
		p := Piece{Asset: a, Size: s.Size, Off: s.OffGrid, Here: a.ID == sh.Asset.ID, Meets: s.OffGrid <= meetTol}
		for k := range 3 {
			cells, over := size.Cells(s.Size[k], grid)
			if cells > 0 {
				p.Over[k] = over
			}
			// Heights stack only when they are whole cells on purpose; a piece's plan decides
			// whether it meets its neighbour.
			if k != 1 && (cells == 0 || math.Abs(over) > meetTol) {
				p.Meets = false
			}
		}
		list = append(list, p)
	}
	return list, nil
}
