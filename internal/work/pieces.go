package work

import (
	"context"
	"math"

	"yarvek/core/geom"
	"yarvek/core/station/size"
)

// Piece is a modular piece of a kit against the kit's grid.
type Piece struct {
	Asset Asset
	Size  geom.Vec3 // width, height, depth; metres
	Over  geom.Vec3 // by how much each is off whole cells; metres
	Off   float64   // the pivot, at most; metres
	Meets bool      // its ends fall on the grid's lines
	Here  bool      // the asset the page is about
}

// MeetTol is, in metres, how far apart two pieces may be without a gap being seen: half a millimetre.
const MeetTol = 0.0005

// Pieces lists the modular pieces of an asset's kit and whether they would meet on
// the kit's grid; none when the kit has no grid or the asset is no such piece.
func (d *Desk) Pieces(ctx context.Context, o *Opened) ([]Piece, error) {
	grid, class := o.Kit.Grid, o.Result.Size.Class
	if grid <= 0 || !class.Module {
		return nil, nil
	}
	_, rows, err := d.Overview(ctx, o.Kit.ID)
	if err != nil {
		return nil, err
	}
	var list []Piece
	for _, r := range rows {
		s := r.Summary
		if s.ClassID != class.ID || s.Unread != "" {
			continue
		}
		p := Piece{Asset: r.Asset, Size: s.Size, Off: s.OffGrid, Here: r.Asset.ID == o.Asset.ID, Meets: s.OffGrid <= MeetTol}
		for k := range 3 {
			cells, over := size.Cells(s.Size[k], grid)
			if cells > 0 {
				p.Over[k] = over
			}
			// Heights stack only when they are whole cells on purpose; a piece's plan decides
			// whether it meets its neighbour.
			if k != 1 && (cells == 0 || math.Abs(over) > MeetTol) {
				p.Meets = false
			}
		}
		list = append(list, p)
	}
	return list, nil
}
