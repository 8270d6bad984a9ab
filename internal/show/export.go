package show

import (
	"context"

	"yarvek/core/station/export"
	"yarvek/internal/draft"
)

// exportFace shows the asset as it leaves, with its dimensions and its pivot.
var exportFace = face{
	id:  export.Info.ID,
	ask: draft.Ask{Ground: true},
	layers: func(v view) []draft.Layer {
		return append([]draft.Layer{draft.Dimensions{}}, seated(v, false)...)
	},
	// What is decided here changes files, and nothing that is drawn.
	outline: func(context.Context, *Board, view, view) (draft.Ghost, error) { return draft.Ghost{}, nil },
}
