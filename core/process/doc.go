// Package process is the wing of what is made of a mesh: mended, thinned, made coarser, put in another order,
// unfolded. Each package takes meshes that it does not change, and gives new ones and an account of what it did.
// What only looks is in measure; shapes for collision are in collide.
//
// It has no code of its own.
package process
