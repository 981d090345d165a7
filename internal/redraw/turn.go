package redraw

import (
	"bytes"
	"encoding/binary"
	"image"
)

// orientation reads the turn that a camera noted in a JPEG file (Exif 2.3, tag
// 0x0112): 1 to 8, and 1 where there is none.
func orientation(file []byte) int {
	for at := 2; at+4 <= len(file) && file[at] == 0xFF; {
		marker, length := file[at+1], int(binary.BigEndian.Uint16(file[at+2:]))
		if marker == 0xDA || length < 2 || at+2+length > len(file) {
			return 1
		}
		segment := file[at+4 : at+2+length]
		if marker == 0xE1 && bytes.HasPrefix(segment, []byte("Exif\x00\x00")) {
			return tagged(segment[6:])
		}
		at += 2 + length
	}
	return 1
}

// tagged finds the tag in a TIFF structure.
func tagged(tiff []byte) int {
	if len(tiff) < 8 {
		return 1
	}
	var order binary.ByteOrder = binary.LittleEndian
	if tiff[0] == 'M' {
		order = binary.BigEndian
	}
	at := int64(order.Uint32(tiff[4:]))
	if at+2 > int64(len(tiff)) {
		return 1
	}
	for i := range int64(order.Uint16(tiff[at:])) {
		entry := at + 2 + 12*i
		if entry+12 > int64(len(tiff)) {
			return 1
		}
		if order.Uint16(tiff[entry:]) == 0x0112 {
			if o := int(order.Uint16(tiff[entry+8:])); o >= 1 && o <= 8 {
				return o
			}
			return 1
		}
	}
	return 1
}

// upright carries a turn out.
func upright(from *image.NRGBA, orientation int) *image.NRGBA {
	if orientation <= 1 {
		return from
	}
	w, h := from.Rect.Dx(), from.Rect.Dy()
	out := image.NewNRGBA(image.Rect(0, 0, w, h))
	if orientation >= 5 {
		out = image.NewNRGBA(image.Rect(0, 0, h, w))
	}
	turned := func(x, y int) (int, int) {
		switch orientation {
		case 2:
			return w - 1 - x, y
		case 3:
			return w - 1 - x, h - 1 - y
		case 4:
			return x, h - 1 - y
		case 5:
			return y, x
		case 6:
			return h - 1 - y, x
		case 7:
			return h - 1 - y, w - 1 - x
		}
		return y, w - 1 - x
	}
	for y := range h {
		for x := range w {
			tx, ty := turned(x, y)
			out.SetNRGBA(tx, ty, from.NRGBAAt(x, y))
		}
	}
	return out
}
