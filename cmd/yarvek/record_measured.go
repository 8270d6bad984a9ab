package main

import (
	"context"

	"yarvek/core/measure/cost"
	"yarvek/core/measure/flaw"
	"yarvek/core/measure/uv"
	"yarvek/core/process/waste"
	"yarvek/core/scene"
	"yarvek/core/split"
	"yarvek/core/station/surface"
)

// Surface counts what is wrong with the surface of a file: all that its nodes place, in world
// space, as one mesh. What is counted from doubled faces on leaves the empty ones out.
type surfaceRecord struct {
	DuplicatePoints  int `json:"duplicatePoints"`  // points that faces use, less their distinct places
	UnusedPoints     int `json:"unusedPoints"`     // that no face uses
	ZeroAreaFaces    int `json:"zeroAreaFaces"`    // of at most 1e-9 of the square of their longest edge
	DuplicateFaces   int `json:"duplicateFaces"`   // on the same places as an earlier one, in either direction
	NonManifoldEdges int `json:"nonManifoldEdges"` // of more than two faces
	OpenBorderLoops  int `json:"openBorderLoops"`  // connected chains of edges of one face
	FlippedFaces     int `json:"flippedFaces"`     // wound against most of their part
	InsideOutParts   int `json:"insideOutParts"`   // closed, and wound to a negative volume; no inner walls
	Needles          int `json:"needles"`          // triangles more than 100 times as long as high
	BentPolygons     int `json:"bentPolygons"`     // with a corner off the mean plane by over 1e-3 of the longest edge
	ConcavePolygons  int `json:"concavePolygons"`
	// share of the area that the first UV set covers which it covers more than once
	UVOverlap float64 `json:"uvOverlap"`
	UVOutside float64 `json:"uvOutside"` // share of it outside the unit square
}

// Budget counts what a file costs a receiver, every instance by itself.
type budgetRecord struct {
	Triangles      int `json:"triangles"`
	Vertices       int `json:"vertices"` // as written: split by normals, texture coordinates, colours and slots
	DrawCalls      int `json:"drawCalls"`
	WasteTriangles int `json:"wasteTriangles"` // that can go without changing the shape
	// vertices transformed a triangle, with a cache of 16, first in first out
	ACMR float64 `json:"acmr"`
}

// mostMeasured bounds the triangles of a file whose surface is measured.
const mostMeasured = 8_000_000

// measured is surface and budget of a scene as its nodes place it.
func measured(ctx context.Context, s *scene.Scene) (*surfaceRecord, *budgetRecord) {
	var f *flaw.Flaws
	var cover uv.Cover
	budget := &budgetRecord{}
	split.Together(
		func() { f = flaw.Find(ctx, scene.Joined(s.Name, s.Flattened().Meshes), flaw.Limits{}) },
		func() { cover = surface.CoverOf(ctx, s) },
		func() { costs(ctx, s, budget) })
	return &surfaceRecord{len(f.Unjoined), len(f.Unused), len(f.Empty), len(f.Doubled), len(f.Crowded), len(f.Borders),
		len(f.Flipped),
		len(f.Inside), f.NeedleN, len(f.Bent), len(f.Concave), cover.Share(cover.Overlap), cover.Share(cover.Outside)}, budget
}

// costs adds up what all instances cost.
func costs(ctx context.Context, s *scene.Scene, b *budgetRecord) {
	for i, users := range s.Users() {
		m := s.Meshes[i]
		if len(users) == 0 || m.Faces() == 0 {
			continue
		}
		c := cost.Of(ctx, m)
		b.Triangles += c.Triangles * len(users)
		b.Vertices += c.Vertices * len(users)
		b.DrawCalls += c.DrawCalls * len(users)
		b.WasteTriangles += waste.Of(ctx, m).Triangles * len(users)
		b.ACMR += float64(c.Misses * len(users))
	}
	if b.Triangles > 0 {
		b.ACMR /= float64(b.Triangles)
	}
}
