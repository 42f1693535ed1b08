package photo

import (
	"bytes"
	"encoding/binary"
	"image"
)

// orientation is how a JPEG's camera was held, by its Exif data (CIPA DC-008 2019, tag
// 0x0112, from memory): 1 is upright, 2 to 8 say how it is turned and mirrored. What has
// none, or one that cannot be read, is taken to be upright.
func orientation(content []byte) int {
	data := exif(content)
	if len(data) < 8 {
		return 1
	}
	var order binary.ByteOrder = binary.BigEndian
	if string(data[:2]) == "II" {
		order = binary.LittleEndian
	}
	at := int(order.Uint32(data[4:]))
	if at < 8 || at+2 > len(data) {
		return 1
	}
	for n := int(order.Uint16(data[at:])); n > 0; n-- {
		entry := at + 2 + 12*(n-1)
		if entry+12 > len(data) {
			continue
		}
		if v := order.Uint16(data[entry+8:]); order.Uint16(data[entry:]) == 0x0112 && v >= 1 && v <= 8 {
			return int(v)
		}
	}
	return 1
}

// exif gives the TIFF part of a JPEG's Exif segment; nil where there is none.
func exif(content []byte) []byte {
	const marker, app1, scan = 0xff, 0xe1, 0xda
	for at := 2; at+4 <= len(content) && content[at] == marker && content[at+1] != scan; {
		length := int(binary.BigEndian.Uint16(content[at+2:]))
		if length < 2 || at+2+length > len(content) {
			return nil
		}
		body := content[at+4 : at+2+length]
		if data, ok := bytes.CutPrefix(body, []byte("Exif\x00\x00")); ok && content[at+1] == app1 {
			return data
		}
		at += 2 + length
	}
	return nil
}

// upright turns a picture as its orientation says. Of the pixel at (x, y) of what comes out,
// each row below names where it was in a picture w wide and h high.
func upright(i *image.RGBA, orientation int) *image.RGBA {
	if orientation <= 1 || orientation > 8 {
		return i
	}
	w, h := i.Bounds().Dx(), i.Bounds().Dy()
	from := map[int]func(x, y int) (int, int){
		2: func(x, y int) (int, int) { return w - 1 - x, y },         // mirrored
		3: func(x, y int) (int, int) { return w - 1 - x, h - 1 - y }, // upside down
		4: func(x, y int) (int, int) { return x, h - 1 - y },         // both
		5: func(x, y int) (int, int) { return y, x },                 // on its side and mirrored
		6: func(x, y int) (int, int) { return y, h - 1 - x },         // to be turned to the right
		7: func(x, y int) (int, int) { return w - 1 - y, h - 1 - x },
		8: func(x, y int) (int, int) { return w - 1 - y, x }, // to be turned to the left
	}[orientation]
	size := image.Rect(0, 0, w, h)
	if orientation >= 5 {
		size = image.Rect(0, 0, h, w)
	}
	out := image.NewRGBA(size)
	for y := range size.Dy() {
		for x := range size.Dx() {
			a, b := from(x, y)
			out.SetRGBA(x, y, i.RGBAAt(a, b))
		}
	}
	return out
}
