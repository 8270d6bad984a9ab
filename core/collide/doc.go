// Package collide is the wing of shapes for collision: simple ones round points, hulls that a mesh is cut into,
// which passages they leave open, how far they are off, and what they do when they are let go on a floor.
// Which shapes an asset gets is decided at the station; how they are written, by the formats.
//
// It has no code of its own.
package collide
