package work

import (
	"context"
	"encoding/json"
	"fmt"

	"yarvek/core/fault"
	"yarvek/core/strict"
)

// KitBudget is what all assets of a kit may cost together; 0 is no bound.
type KitBudget struct {
	Triangles int   `json:"triangles,omitempty"` // of the finest meshes
	DrawCalls int   `json:"drawCalls,omitempty"`
	Memory    int64 `json:"memory,omitempty"`  // of pictures in graphics memory, in blocks and with mips; bytes
	Corners   int   `json:"corners,omitempty"` // of collision shapes
	Disk      int64 `json:"disk,omitempty"`    // of the files that were sent last; bytes
}

// mostBudget bounds what a budget may say: beyond it nothing is meant.
const mostBudget = 1 << 50

// Validate checks the bounds.
func (b KitBudget) Validate() error {
	for _, n := range []int64{int64(b.Triangles), int64(b.DrawCalls), b.Memory, int64(b.Corners), b.Disk} {
		if n < 0 || n > mostBudget {
			return fmt.Errorf("a kit can’t have a budget of %d: expected 0, for none, or more", n)
		}
	}
	return nil
}

// parseBudget reads one as it is kept.
func parseBudget(body []byte) (b KitBudget, err error) {
	if len(body) == 0 {
		return b, nil
	}
	if err := strict.Unmarshal(body, &b); err != nil {
		return b, err
	}
	return b, b.Validate()
}

// Budget is what a kit's assets may cost together.
func (d *Desk) Budget(ctx context.Context, kit int64) (KitBudget, error) {
	body, err := d.store.Budget(ctx, kit)
	if err != nil {
		return KitBudget{}, err
	}
	b, err := parseBudget(body)
	if err != nil {
		err = fault.From(fault.Damaged, fmt.Errorf("the budget of the kit can't be read: %w", err))
	}
	return b, err
}

// SetBudget says what a kit's assets may cost together; its zero value takes the budget away.
func (d *Desk) SetBudget(ctx context.Context, kit int64, b KitBudget) error {
	if err := b.Validate(); err != nil {
		return fault.From(fault.Invalid, err)
	}
	if b == (KitBudget{}) {
		return d.store.SetBudget(ctx, kit, nil)
	}
	body, err := json.Marshal(b)
	if err != nil {
		return err
	}
	return d.store.SetBudget(ctx, kit, body)
}
