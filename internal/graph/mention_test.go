package graph

import (
	"slices"
	"strings"
	"testing"
)

func TestSrcset(t *testing.T) {
	for text, want := range map[string][]string{
		"":                               nil,
		" , ,":                           nil,
		"a.png":                          {"a.png"},
		"a.png, b.png 2x":                {"a.png", "b.png"},
		"a.png,b.png 2x":                 {"a.png,b.png"}, // a comma inside an address is part of it
		"a.png 1x,b.png 2x":              {"a.png", "b.png"},
		"a.png,, b.png":                  {"a.png", "b.png"},
		"w_100,h_100/a.jpg 1x, c.jpg 2x": {"w_100,h_100/a.jpg", "c.jpg"},
		"data:image/png;base64,AA== 1x, b.png 2x": {"data:image/png;base64,AA==", "b.png"},
		"a.png sizes(1, 2), b.png":                {"a.png", "b.png"}, // a comma inside brackets does not end it either
		"\n\ta.png\t100w,\n\tb.png 200w\n":        {"a.png", "b.png"},
	} {
		var got []string
		srcsetURLs(text, func(address string, offset int) {
			if text[offset:offset+len(address)] != address {
				t.Errorf("%q: %q is not at %d", text, address, offset)
			}
			got = append(got, address)
		})
		if !slices.Equal(got, want) {
			t.Errorf("%q: got %q, want %q", text, got, want)
		}
	}
}

func TestFileNames(t *testing.T) {
	tests := []struct {
		text  string
		whole bool
		want  string
	}{
		{"css/dark.css", true, "css/dark.css"},
		{" img/a b.png ", true, "img/a b.png | img/a | b.png"}, // as a whole, and its words
		{"img/a b.png", false, "img/a | b.png"},
		{`<img src="img/two.png">`, false, "img/two.png"},
		{"background: url(img/quay.svg)", true, "background: url(img/quay.svg) | img/quay.svg"},
		{"See notes/today.txt.", true, "See notes/today.txt. | notes/today.txt"},
		{"1.5", true, "1.5"}, // callers check whether the file exists
		{"plain words", true, ""},
		{"//", true, ""},
		{"a.png#x", true, "a.png#x"},
	}
	for _, test := range tests {
		var got []string
		FileNames(test.text, test.whole, func(name string, offset int) {
			if test.text[offset:offset+len(name)] != name {
				t.Errorf("%q: %q is not at %d", test.text, name, offset)
			}
			got = append(got, name)
		})
		if s := strings.Join(got, " | "); s != test.want {
			t.Errorf("%q: got %q, want %q", test.text, s, test.want)
		}
	}
}
