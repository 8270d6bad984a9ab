package texture

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"image"

	"yarvek/core/naming"
	"yarvek/core/picture"
	"yarvek/core/scene"
	"yarvek/core/split"
)

// Facts are what a picture is like.
type Facts struct {
	SHA           string // of its file, SHA-256
	Size          int    // of its file, in bytes
	MIME          string
	Width, Height int
	Channels      int
	Depth         int // bits a channel
	Shows         picture.Shows
	Green         Green
	Full, Clear   float64 // shares of pixels that are opaque, and that are clear
	Even          bool    // every pixel is the same
	// Light is the mean of the light of its colours, by how opaque each pixel is, and Parts the mean of its
	// channels as numbers; both from 0 to 1.
	Light  [3]float64
	Parts  [4]float64
	Broken string // why it can't be opened
}

// Partly is the share of pixels that are neither opaque nor clear.
func (f Facts) Partly() float64 { return max(0, 1-f.Full-f.Clear) }

// Measure looks at a picture, all of its pixels. What it says of a broken one is its size and why. When
// ctx ends it returns early, and what it returns means nothing.
func Measure(ctx context.Context, data []byte) Facts {
	sum := sha256.Sum256(data)
	f := Facts{SHA: hex.EncodeToString(sum[:]), Size: len(data)}
	f.MIME, f.Width, f.Height = picture.Probe(data)
	defer picture.Alone(ctx, f.Width*f.Height)()
	img, held, err := picture.Open(data)
	if err != nil {
		f.Broken = err.Error()
		return f
	}
	f.Channels, f.Depth = held.Channels, held.Depth
	f.Shows, _ = picture.ShowsOf(img)
	if f.Shows == picture.Directions {
		f.Green, _ = GreenOf(ctx, img)
	}
	f.alpha(ctx, img)
	return f
}

// alpha counts what lets through, sees whether all pixels are one, and takes means.
func (f *Facts) alpha(ctx context.Context, img *image.NRGBA) {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	type count struct {
		full, clear int
		even        bool
		light       [3]float64 // times alpha
		parts       [4]float64
	}
	parts := make([]count, split.Blocks(h, 64))
	_ = split.InBlocks(ctx, h, 64, func(block, from, to int) {
		c := count{even: true}
		for y := from; y < to; y++ {
			row := img.Pix[y*img.Stride : y*img.Stride+4*w]
			for i := 0; i < len(row); i += 4 {
				switch row[i+3] {
				case 255:
					c.full++
				case 0:
					c.clear++
				}
				for k := range 4 {
					c.parts[k] += float64(row[i+k])
				}
				for k := range 3 {
					c.light[k] += lights[row[i+k]] * float64(row[i+3])
				}
				c.even = c.even && row[i] == img.Pix[0] && row[i+1] == img.Pix[1] && row[i+2] == img.Pix[2] &&
					row[i+3] == img.Pix[3]
			}
		}
		parts[block] = c
	})
	var full, clear int
	f.Even = true
	var sum count
	for _, p := range parts {
		full, clear, f.Even = full+p.full, clear+p.clear, f.Even && p.even
		for k := range 4 {
			sum.parts[k] += p.parts[k]
		}
		for k := range 3 {
			sum.light[k] += p.light[k]
		}
	}
	n := float64(w * h)
	for k := range 4 {
		f.Parts[k] = sum.parts[k] / (255 * n)
	}
	for k := range 3 {
		f.Light[k] = sum.light[k] / max(sum.parts[3], 1)
	}
	f.Full, f.Clear = float64(full)/float64(w*h), float64(clear)/float64(w*h)
}

// roleWords are words in names of pictures, in English, that say what a picture is for.
var roleWords = map[scene.Use][]string{
	scene.UseBaseColor: {"colour", "color", "base", "basecolor", "basecolour", "albedo", "diffuse", "diff", "col",
		"paint"},
	scene.UseNormal:    {"normal", "normals", "nrm", "norm", "n"},
	scene.UseRoughness: {"rough", "roughness", "gloss", "glossiness", "smoothness"},
	scene.UseMetallic:  {"metal", "metallic", "metalness", "metalic"},
	scene.UseOcclusion: {"occlusion", "ao", "ambient", "shade", "cavity"},
	scene.UseEmissive:  {"emissive", "emission", "glow", "emit", "light"},
	scene.UseOpacity:   {"opacity", "alpha", "mask", "transparency", "cutout"},
	scene.UseHeight:    {"height", "bump", "displacement", "disp", "parallax"},
}

// Guess is what a picture looks like it is for.
type Guess struct {
	Use    scene.Use
	Packed bool // occlusion, roughness and metallic in red, green and blue
	Gloss  bool // roughness the other way round
	Sure   bool // its name says so, and what it shows does not speak against it
}

// GuessOf tells what a picture is for by its name, from the end, and by what it shows: directions are a
// normal map's, grey pictures are never one, and a picture that nothing speaks for is a colour.
func GuessOf(name string, f Facts) Guess {
	words := naming.Words(name)
	for k := len(words) - 1; k >= 0; k-- {
		w := words[k]
		if w == "orm" || w == "arm" {
			return Guess{Use: scene.UseOcclusion, Packed: true, Sure: f.Shows != picture.Directions}
		}
		for use := range scene.Uses {
			for _, said := range roleWords[use] {
				if w != said || k == 0 && len(words) > 1 && len(w) < 3 {
					continue
				}
				g := Guess{Use: use, Gloss: use == scene.UseRoughness && (w == "gloss" || w == "glossiness" || w == "smoothness"),
					Sure: true}
				if f.Broken == "" && (use == scene.UseNormal) != (f.Shows == picture.Directions) {
					g.Sure = false
					if f.Shows == picture.Directions {
						g = Guess{Use: scene.UseNormal}
					}
				}
				return g
			}
		}
	}
	if f.Shows == picture.Directions {
		return Guess{Use: scene.UseNormal, Sure: true}
	}
	return Guess{Use: scene.UseBaseColor}
}
