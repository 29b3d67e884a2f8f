package source

import (
	"strings"
	"testing"
	"testing/fstest"
)

func TestEncodings(t *testing.T) {
	const utf16be, utf16le = "\xFE\xFF\x00b\x00{\x20\xAC\x00}", "\xFF\xFEb\x00{\x00\xAC\x20}\x00"
	for _, test := range []struct {
		name, bytes, text, label string
	}{
		{"utf8.css", "b{é}", "b{é}", ""},
		{"bom.css", "\uFEFFb{é}", "b{é}", ""},
		{"be.css", utf16be, "b{€}", "utf-16be"},
		{"le.css", utf16le, "b{€}", "utf-16le"},
		{"latin.css", `@charset "iso-8859-1";` + "b{\xE9\x80}", `@charset "iso-8859-1";b{é€}`, "windows-1252"},
		{"cyrillic.css", `@charset "windows-1251";` + "b{\xE9}", `@charset "windows-1251";b{й}`, "windows-1251"},
		{"second.css", `@charset "shift_jis";` + "b{\x83\x65}", `@charset "shift_jis";b{テ}`, "shift_jis"},
		{"late.css", ` @charset "windows-1251";` + "b{\xE9}", ` @charset "windows-1251";b{é}`, "windows-1252"}, // only the first bytes count
		{"quotes.css", `@charset 'windows-1251';` + "b{\xE9}", `@charset 'windows-1251';b{é}`, "windows-1252"}, // and only exactly these bytes
		{"unknown.css", `@charset "harbour";` + "b{\xE9}", `@charset "harbour";b{` + "\uFFFD}", ""},            // which is read as UTF-8
		{"lies.css", `@charset "utf-16";` + "b{\xE9}", `@charset "utf-16";b{` + "\uFFFD}", ""},                 // ASCII cannot be UTF-16
		{"meta.html", "<meta charset=windows-1250><p>\xF8", "<meta charset=windows-1250><p>ř", "windows-1250"},
		{"equiv.html", `<meta http-equiv="Content-Type" content="text/html; charset=koi8-r">` + "\xC1", `<meta http-equiv="Content-Type" content="text/html; charset=koi8-r">а`, "koi8-r"},
		{"nothing.html", "<p>\xE9", "<p>é", "windows-1252"},
		{"picture.svg", "<?xml version='1.0' encoding='iso-8859-2'?><g>\xF8</g>", "<?xml version='1.0' encoding='iso-8859-2'?><g>ř</g>", "iso-8859-2"},
		{"plain.svg", "<g>\xF8</g>", "<g>\uFFFD</g>", ""}, // XML is UTF-8 by default
		{"script.js", "// \xA9\nf()", "// ©\nf()", "windows-1252"},
	} {
		tree := NewTree(Folder{Show: "site", FS: fstest.MapFS{test.name: {Data: []byte(test.bytes)}}})
		f, err := tree.Text(Path{Name: test.name})
		if err != nil {
			t.Errorf("%s: %v", test.name, err)
			continue
		}
		if f.Text != test.text || f.Label() != test.label {
			t.Errorf("%s is read as %q in %q, want %q in %q", test.name, f.Text, f.Label(), test.text, test.label)
		}
		if back := string(f.Encoded(f.Text)); back != test.bytes && !strings.Contains(test.text, "\uFFFD") {
			t.Errorf("%s: %q is written as %q", test.name, test.bytes, back)
		}
	}
}

// TestEncodedBeyond writes text that cannot be encoded in the encoding of its
// file.
func TestEncodedBeyond(t *testing.T) {
	tree := NewTree(Folder{FS: fstest.MapFS{
		"latin.html": {Data: []byte("<meta charset=latin1>\xE9")},
		"holes.html": {Data: []byte("<meta charset=shift_jis>\x83\x65\xFF")},
	}})
	for _, test := range []struct{ name, add string }{
		{"latin.html", "テ"}, // not in the encoding
		{"holes.html", "a"}, // invalid bytes
	} {
		f, err := tree.Text(Path{Name: test.name})
		if err != nil {
			t.Fatal(err)
		}
		if got := string(f.Encoded(f.Text + test.add)); got != "\uFEFF"+f.Text+test.add {
			t.Errorf("%s is written as %q, want UTF-8 with a byte order mark", test.name, got)
		}
	}
}

func TestSetEncoding(t *testing.T) {
	tree := NewTree(Folder{FS: fstest.MapFS{
		"a.css": {Data: []byte("\xE9")},
		"b.css": {Data: []byte("\xE9")},
		"c.css": {Data: []byte(`@charset "koi8-r";` + "\xC1")},
		"d.css": {Data: []byte("é")},
	}})
	tree.SetEncoding(Path{Name: "a.css"}, "harbour") // not an encoding
	tree.SetEncoding(Path{Name: "a.css"}, "windows-1251")
	tree.SetEncoding(Path{Name: "a.css"}, "windows-1250") // the first one remains
	for _, name := range []string{"c.css", "d.css"} {
		tree.SetEncoding(Path{Name: name}, "windows-1251")
	}
	for name, want := range map[string]string{
		"a.css": "й",
		"b.css": "й", // without a declaration
		"c.css": `@charset "koi8-r";а`,
		"d.css": "é",
	} {
		if f, err := tree.Text(Path{Name: name}); err != nil || f.Text != want {
			t.Errorf("%s is read as %q (%v), want %q", name, f.Text, err, want)
		}
	}
}
