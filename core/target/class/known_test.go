package class

import (
	"testing"

	"github.com/stretchr/testify/assert"
)

func TestNamesSayWhatAThingIs(t *testing.T) {
	for name, want := range map[string]string{"mooring-bollard": "street-furniture", "storm shutter": "building-part",
		"WoodenChairs_02": "furniture",
		"doorBell":        "building-part", "door": "building-part", "crate.glb": "street-furniture", "object_3": "",
		"house door": "building-part"} {
		got, ok := Known(name)
		assert.Equal(t, want != "", ok, name)
		assert.Equal(t, want, got.Class, name)
	}
}

// Every thing is of a class there is, and of a size that the class takes.
func TestThingsFitTheirClass(t *testing.T) {
	for w, thing := range things {
		c, ok := Find(Usual, thing.Class)
		if assert.True(t, ok, w) {
			assert.True(t, c.Fits(thing.Size), "%s of %g m", w, thing.Size)
		}
	}
}

func TestClassesAreProposedByNameThenBySize(t *testing.T) {
	ids := func(list []Proposal) (l []string) {
		for _, p := range list {
			l = append(l, p.Class.ID)
		}
		return l
	}
	assert.Equal(t, []string{"building-part", "landmark", "building"}, ids(Propose(Usual, []string{"x", "barn door"}, 30)))
	assert.Equal(t, []string{"hand-prop"}, ids(Propose(Usual, []string{"mug"}, 0.1)))
	assert.Equal(t, []string{"hand-prop"}, ids(Propose(Usual, []string{"object"}, 0.1)))
	assert.Empty(t, Propose(Usual, []string{"object"}, 3000))
	assert.Equal(t, "“door” in its name", Propose(Usual, []string{"door_2"}, 84)[0].Why)
}
