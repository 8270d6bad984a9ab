// Package measure is the wing of what is found in a mesh: how large and heavy it is, how it stands, what is
// wrong with it, what it costs, how its UVs lie, which meshes are the same, and how far one is off another.
// Nothing here makes or changes a mesh; what does is in process, and pictures are in picture.
//
// It has no code of its own.
package measure
