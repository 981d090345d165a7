package redraw

import (
	"encoding/binary"
	"image"
	"image/color"
)

// Decoded gives the bytes that decoding a picture takes at most, as the decoders
// of the standard library and golang.org/x/image go about it.
func Decoded(raw []byte, kind string, c image.Config) int64 {
	pixels := int64(c.Width) * int64(c.Height)
	switch kind {
	case "jpeg":
		samples, whole := components(raw)
		bytes := pixels * samples / 16
		if whole {
			bytes *= 5 // a progressive picture's coefficients, 4 bytes each, are kept until its end
		}
		return bytes
	case "png":
		each := int64(8)
		switch c.ColorModel {
		case color.GrayModel:
			each = 1
		case color.Gray16Model:
			each = 2
		case color.RGBAModel, color.NRGBAModel:
			each = 4
		default:
			if _, paletted := c.ColorModel.(color.Palette); paletted {
				each = 1
			}
		}
		if len(raw) > 28 && raw[28] != 0 {
			return pixels * each * 3 / 2 // interlaced: half of it twice
		}
		return pixels * each
	case "gif":
		return pixels
	}
	return pixels * 8
}

// components gives the samples of a JPEG picture for each 16 pixels (ITU-T T.81,
// B.2.2), and whether it is progressive.
func components(file []byte) (samples int64, progressive bool) {
	for at := 2; at+4 <= len(file); {
		if file[at] != 0xFF {
			at++
			continue
		}
		marker := file[at+1]
		if marker == 0xFF || marker == 0 || marker == 1 || marker >= 0xD0 && marker <= 0xD8 {
			at++
			continue
		}
		length := int(binary.BigEndian.Uint16(file[at+2:]))
		if length < 2 || at+2+length > len(file) {
			break
		}
		if s := file[at+4 : at+2+length]; marker >= 0xC0 && marker <= 0xC2 && len(s) >= 6 {
			n := int(s[5])
			if len(s) < 6+3*n {
				break
			}
			sum, h, v := int64(0), int64(1), int64(1)
			for i := range n {
				f := s[6+3*i+1]
				sum += int64(f>>4) * int64(f&15)
				h, v = max(h, int64(f>>4)), max(v, int64(f&15))
			}
			return min((sum*16+h*v-1)/(h*v), 16*4), marker == 0xC2
		}
		at += 2 + length
	}
	return 16 * 4, true
}
