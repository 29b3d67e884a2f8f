package picture

import (
	"bytes"
	"encoding/binary"
	"errors"
)

// Markers of JPEG (ITU-T T.81, table B.1).
const (
	markerSOI  = 0xd8
	markerEOI  = 0xd9
	markerSOS  = 0xda
	markerAPP0 = 0xe0
	markerCOM  = 0xfe
)

var errJPEG = errors.New("not a valid JPEG file")

// shrinkJPEG returns a JPEG file without metadata: comments, thumbnails, and
// application data except for the colour profile and what says how colours are
// encoded.
func shrinkJPEG(data []byte) ([]byte, error) {
	out := append(make([]byte, 0, len(data)), data[:2]...)
	for i := 2; ; {
		if i+4 > len(data) || data[i] != 0xff {
			return nil, errJPEG
		}
		marker := data[i+1]
		if marker == 0xff { // fill bytes may precede a marker
			i++
			continue
		}
		size := int(binary.BigEndian.Uint16(data[i+2:]))
		if size < 2 || i+2+size > len(data) || marker < 0xc0 || marker >= 0xd0 && marker <= markerEOI {
			return nil, errJPEG
		}
		segment := data[i : i+2+size]
		i += len(segment)
		if marker == markerSOS {
			rest, err := scans(data[i:])
			if err != nil {
				return nil, err
			}
			return append(append(out, segment...), rest...), nil
		}
		kept, err := keptSegment(marker, segment)
		if err != nil {
			return nil, err
		}
		out = append(out, kept...)
	}
}

// keptSegment returns what stays of a segment before the picture itself.
func keptSegment(marker byte, segment []byte) ([]byte, error) {
	content := segment[4:]
	switch {
	case marker == markerCOM:
		return nil, nil
	case marker < markerAPP0 || marker > markerAPP0+15:
		return segment, nil
	case marker == markerAPP0 && bytes.HasPrefix(content, []byte("JFIF\x00")),
		marker == markerAPP0+2 && bytes.HasPrefix(content, []byte("ICC_PROFILE\x00")),
		marker == markerAPP0+14 && bytes.HasPrefix(content, []byte("Adobe")):
		return segment, nil
	case marker == markerAPP0+1 && bytes.Contains(content, []byte("hdrgm")):
		return nil, errKept // it has a second picture for screens with a higher dynamic range
	case marker == markerAPP0+1 && bytes.HasPrefix(content, []byte("Exif\x00\x00")):
		short, err := shortExif(content[6:])
		if short == nil || err != nil {
			return nil, err
		}
		out := []byte{0xff, marker, 0, byte(2 + 6 + len(short))}
		return append(append(out, "Exif\x00\x00"...), short...), nil
	}
	return nil, nil
}

// scans returns the rest of a file after the header of the first scan: up to the
// end of the picture.
func scans(data []byte) ([]byte, error) {
	for i := 0; i+1 < len(data); i++ {
		if data[i] != 0xff {
			continue
		}
		switch marker := data[i+1]; {
		case marker == markerEOI:
			return data[:i+2], nil
		case marker == 0 || marker == 0xff || marker >= 0xd0 && marker <= 0xd7:
			// part of the picture
		default: // another segment between scans
			if i+4 > len(data) {
				return nil, errJPEG
			}
			i += 1 + int(binary.BigEndian.Uint16(data[i+2:]))
		}
	}
	return nil, errJPEG
}
