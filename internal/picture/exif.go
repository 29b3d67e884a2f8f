package picture

import (
	"encoding/binary"
)

// Tags of Exif (CIPA DC-008), which is TIFF.
const (
	tagOrientation = 0x0112
	tagExif        = 0x8769 // where further tags are
	tagWidth       = 0xa002
)

// exif is what a browser takes from Exif data.
type exif struct {
	orientation int // 1 to 8; 0 if there is none
	// width is set if the data tell the width of the picture, from which a browser
	// may determine its density (HTML, section 4.8.4.3.5).
	width bool
}

// readExif reads Exif data. ok is false if they are invalid.
func readExif(data []byte) (e exif, ok bool) {
	if len(data) < 8 {
		return e, false
	}
	var order binary.ByteOrder
	switch string(data[:4]) {
	case "II*\x00":
		order = binary.LittleEndian
	case "MM\x00*":
		order = binary.BigEndian
	default:
		return e, false
	}
	ok = true
	read := func(at uint32) (next uint32) {
		if uint64(at)+2 > uint64(len(data)) {
			ok = false
			return 0
		}
		count := int(order.Uint16(data[at:]))
		for i := range count {
			entry := uint64(at) + 2 + uint64(i)*12
			if entry+12 > uint64(len(data)) {
				ok = false
				return 0
			}
			switch field := data[entry:]; order.Uint16(field) {
			case tagOrientation:
				e.orientation = int(order.Uint16(field[8:]))
			case tagExif:
				next = order.Uint32(field[8:])
			case tagWidth:
				e.width = true
			}
		}
		return next
	}
	if next := read(order.Uint32(data[4:])); next > 0 {
		read(next)
	}
	return e, ok
}

// onlyOrientation returns Exif data with an orientation alone.
func onlyOrientation(orientation int) []byte {
	return []byte{'M', 'M', 0, '*', 0, 0, 0, 8, 0, 1, tagOrientation >> 8, tagOrientation & 0xff, 0, 3, 0, 0, 0, 1,
		0, byte(orientation), 0, 0, 0, 0, 0, 0}
}

// shortExif returns what must stay of Exif data; nil for nothing. The error is
// that all of it must.
func shortExif(data []byte) ([]byte, error) {
	e, ok := readExif(data)
	switch {
	case ok && e.width:
		return nil, errKept
	case !ok || e.orientation < 2 || e.orientation > 8:
		return nil, nil
	}
	return onlyOrientation(e.orientation), nil
}
