package outfit

import (
	"yarvek/core/picture/texture"
	"yarvek/core/scene"
)

// olderOf is where a material of the older workflow has its pictures, by number in the stock.
type olderOf struct{ specular, diffuse int }

// convert turns a material of the older workflow: its pictures are made of the specular and the diffuse
// one then, and its values are in them. What was given by hand stays. Where the two lie otherwise, or
// one can't be opened, its converted values are all there is.
func (k *kitchen) convert(i int) {
	m := &k.mats[i]
	spec, base := m.Maps[scene.UseSpecular], m.Maps[scene.UseBaseColor]
	m.Maps[scene.UseSpecular] = scene.Map{}
	of := olderOf{k.imageOf(spec), k.imageOf(base)}
	opens := func(at int) bool { return k.ask.Stock[at].Opens() }
	if of.specular < 0 || !opens(of.specular) || of.diffuse >= 0 &&
		(!opens(of.diffuse) || base.UVSet != spec.UVSet || !base.Place.Same(spec.Place)) {
		return
	}
	k.older[i] = of
	if base.Texture == 0 {
		m.Maps[scene.UseBaseColor] = spec
	}
	for use, channel := range map[scene.Use]scene.Channel{scene.UseRoughness: scene.Green, scene.UseMetallic: scene.Blue} {
		if !m.Maps[use].Has() {
			m.Maps[use] = spec
			mp := &m.Maps[use]
			mp.Channel = channel
		}
	}
	m.BaseColor = [4]float64{1, 1, 1, m.Older.Diffuse[3]}
	m.Roughness, m.Metallic = 1, 1
}

// convertedAs is a picture that is made of those of the older workflow.
func (k *kitchen) convertedAs(from int, use scene.Use) Cook {
	of := k.older[from]
	st, o := k.ask.Stock[of.specular], texture.Older{Older: k.mats[from].Older, Shine: use != scene.UseBaseColor}
	c := Cook{Name: Stem(st.Name) + " shine", In: []int{of.specular}, Recipe: texture.Recipe{Sort: texture.Numbers,
		Older: &o}}
	role, facts := "orm", texture.Facts{Channels: 3}
	if of.diffuse >= 0 {
		c.In = append(c.In, of.diffuse)
	}
	if use == scene.UseBaseColor {
		c.Name, c.Recipe.Sort, role = Stem(st.Name)+" colour", texture.Tints, "colour"
		if of.diffuse >= 0 {
			c.Recipe.Sort, facts = k.sort[of.diffuse], k.ask.Stock[of.diffuse].Facts
		}
	}
	c.W, c.H = k.d.Pictures.Size(st.Facts.Width, st.Facts.Height, k.own(of.specular), []scene.Use{use})
	k.resize(&c, st.Facts.Width, st.Facts.Height)
	c.Recipe.Format, c.Recipe.Quality = k.holds(k.formatFor(role, Own{}), facts), k.d.Pictures.Quality
	return c
}

// isOlder tells whether a use of a material is made of pictures of the older workflow.
func (k *kitchen) isOlder(from int, use scene.Use) bool {
	of, ok := k.older[from]
	if !ok {
		return false
	}
	at := k.imageOf(k.mats[from].Maps[use])
	_, given := k.gave[[2]int{from, int(use)}]
	return !given && (use == scene.UseBaseColor && (at == of.specular || at == of.diffuse) ||
		(use == scene.UseRoughness || use == scene.UseMetallic) && at == of.specular)
}
