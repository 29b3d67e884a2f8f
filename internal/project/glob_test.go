package project

import "testing"

// TestBackslashes tells backslashes between folders from those that escape.
func TestBackslashes(t *testing.T) {
	for glob, want := range map[string]bool{
		"js/**/*.js":             false,
		`pages/\[id\].html`:      false,
		`pages/\{a,b\}/[\!].css`: false,
		`js\**\*.js`:             true,
		`css\main.css`:           true,
		`css\\main.css`:          true,
		`\*.css`:                 true,
		`pages/\[id\]\main.css`:  true,
	} {
		if got := separatedByBackslashes(glob); got != want {
			t.Errorf("%s: %v", glob, got)
		}
	}
}
