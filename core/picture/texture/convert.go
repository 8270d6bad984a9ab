package texture

import (
	"bytes"
	"encoding/binary"
	"fmt"
	"hash/crc32"
	"image"
	"image/jpeg"
	"image/png"

	"yarvek/core/picture"
	"yarvek/core/picture/webp"
)

// MIME is the media type of a format, "" of none.
func (f Format) MIME() string {
	switch f {
	case PNG, JPEG, WebP:
		return "image/" + string(f)
	case TGA:
		return picture.TGA
	}
	return ""
}

// UsualQuality is that of a JPEG nobody says.
const UsualQuality = 92

// Encode writes a picture. PNG is written with as few channels as it has: grey, colours, or colours with
// alpha. JPEG holds no alpha: a picture that has some is an error. TGA is written in runs (Truevision TGA
// File Format Specification 2.0, type 10), WebP without loss.
func Encode(img *image.NRGBA, as Format, quality int) ([]byte, error) {
	var buf bytes.Buffer
	switch as {
	case PNG:
		if grey, ok := greyOf(img); ok {
			err := png.Encode(&buf, grey)
			return buf.Bytes(), err
		}
		err := png.Encode(&buf, img)
		return buf.Bytes(), err
	case JPEG:
		if !img.Opaque() {
			return nil, fmt.Errorf("a JPEG holds no alpha, and the picture has some")
		}
		if quality == 0 {
			quality = UsualQuality
		}
		// opaque: the same, and written faster
		var from image.Image = &image.RGBA{Pix: img.Pix, Stride: img.Stride, Rect: img.Rect}
		if grey, ok := greyOf(img); ok {
			from = grey
		}
		err := jpeg.Encode(&buf, from, &jpeg.Options{Quality: quality})
		return buf.Bytes(), err
	case TGA:
		return encodeTGA(img)
	case WebP:
		return webp.Encode(img)
	}
	return nil, fmt.Errorf("pictures are not written as %q: expected png, jpeg, webp or tga", as)
}

// greyOf is a picture of one channel, where it has no other.
func greyOf(img *image.NRGBA) (*image.Gray, bool) {
	b := img.Bounds()
	for y := range b.Dy() {
		row := img.Pix[y*img.Stride : y*img.Stride+4*b.Dx()]
		for i := 0; i < len(row); i += 4 {
			if row[i] != row[i+1] || row[i] != row[i+2] || row[i+3] != 255 {
				return nil, false
			}
		}
	}
	out := image.NewGray(image.Rect(0, 0, b.Dx(), b.Dy()))
	for y := range b.Dy() {
		row := img.Pix[y*img.Stride:]
		for x := range b.Dx() {
			out.Pix[y*out.Stride+x] = row[4*x]
		}
	}
	return out, true
}

// encodeTGA writes rows from the top, in runs that end with their row.
func encodeTGA(img *image.NRGBA) ([]byte, error) {
	w, h := img.Bounds().Dx(), img.Bounds().Dy()
	if w > 65535 || h > 65535 {
		return nil, fmt.Errorf("a TGA has at most 65535 pixels a side, and the picture has %d × %d", w, h)
	}
	size, bits := 3, byte(0x20)
	if !img.Opaque() {
		size, bits = 4, 0x28
	}
	out := make([]byte, 18, 18+w*h*size/2)
	out[2] = 10
	binary.LittleEndian.PutUint16(out[12:], uint16(w))
	binary.LittleEndian.PutUint16(out[14:], uint16(h))
	out[16], out[17] = byte(8*size), bits
	put := func(p []uint8) { out = append(out, []byte{p[2], p[1], p[0], p[3]}[:size]...) }
	for y := range h {
		row := img.Pix[y*img.Stride : y*img.Stride+4*w]
		same := func(a, b int) bool { return bytes.Equal(row[4*a:4*a+4], row[4*b:4*b+4]) }
		for x := 0; x < w; {
			n := 1
			for x+n < w && n < 128 && same(x, x+n) {
				n++
			}
			if n > 1 {
				out = append(out, byte(n-1)|0x80)
				put(row[4*x:])
				x += n
				continue
			}
			for x+n < w && n < 128 && !(x+n+1 < w && same(x+n, x+n+1)) {
				n++
			}
			out = append(out, byte(n-1))
			for k := range n {
				put(row[4*(x+k):])
			}
			x += n
		}
	}
	return out, nil
}

// kept are the parts of a PNG that pixels depend on (PNG specification, third edition, section 11): how
// they are coded, and what their colours mean.
var kept = map[string]bool{"IHDR": true, "PLTE": true, "IDAT": true, "IEND": true, "tRNS": true, "gAMA": true,
	"cHRM": true, "sRGB": true,
	"iCCP": true, "sBIT": true, "cICP": true}

// stripped is a file without what is not needed for its pixels: texts, times and previews. It is false
// for a file that can't be taken apart.
func stripped(data []byte, mime string) ([]byte, bool) {
	switch mime {
	case "image/png":
		return strippedPNG(data)
	case "image/jpeg":
		return strippedJPEG(data)
	}
	return nil, false
}

func strippedPNG(data []byte) ([]byte, bool) {
	const head = 8
	if len(data) < head {
		return nil, false
	}
	out := append([]byte(nil), data[:head]...)
	for at := head; at+12 <= len(data); {
		n := int(binary.BigEndian.Uint32(data[at:]))
		if n < 0 || n > len(data)-at-12 {
			return nil, false
		}
		kind := string(data[at+4 : at+8])
		if crc32.ChecksumIEEE(data[at+4:at+8+n]) != binary.BigEndian.Uint32(data[at+8+n:]) {
			return nil, false
		}
		if kept[kind] {
			out = append(out, data[at:at+12+n]...)
		}
		if kind == "IEND" {
			return out, true
		}
		at += 12 + n
	}
	return nil, false
}

// strippedJPEG keeps what pixels depend on: tables, frames and scans, and of what programs add the colour
// transform of application 14 and the colour profile of application 2 (ITU-T T.81, annex B; ITU-T T.872).
func strippedJPEG(data []byte) ([]byte, bool) {
	if len(data) < 4 || data[0] != 0xff || data[1] != 0xd8 {
		return nil, false
	}
	out := append([]byte(nil), data[:2]...)
	for at := 2; at+4 <= len(data); {
		if data[at] != 0xff {
			return nil, false
		}
		marker := data[at+1]
		if marker == 0xff { // a byte that fills
			at++
			continue
		}
		n := int(binary.BigEndian.Uint16(data[at+2:]))
		if n < 2 || at+2+n > len(data) {
			return nil, false
		}
		part := data[at : at+2+n]
		profile := marker == 0xe2 && bytes.HasPrefix(part[4:], []byte("ICC_PROFILE\x00"))
		if app := marker >= 0xe0 && marker <= 0xef; marker != 0xfe && (!app || marker == 0xe0 || marker == 0xee || profile) {
			out = append(out, part...)
		}
		if at += 2 + n; marker == 0xda { // the scan, and all after it
			return append(out, data[at:]...), true
		}
	}
	return nil, false
}
