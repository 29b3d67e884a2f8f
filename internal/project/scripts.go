package project

import (
	"fmt"
	"regexp"

	"rinzel/internal/step/minify"
)

// Scripts are the settings of scripts in builds for release.
type Scripts struct {
	Minify  bool
	Drop    []string // functions whose calls are removed, as they are written: "console.debug"
	Preload bool     // pages link the modules that their modules import
}

// fileScripts is [scripts] in the settings file.
type fileScripts struct {
	Finish  *[]string `toml:"finish"`
	Drop    []string  `toml:"drop"`
	Preload *bool     `toml:"preload"`
}

// callee matches what is called: a name, or names separated by dots.
var callee = regexp.MustCompile(`^[\p{L}_$][\p{L}\p{N}_$]*(\.[\p{L}_$][\p{L}\p{N}_$]*)*$`)

// scripts reads [scripts].
func (r *reader) scripts(s *Settings, raw fileScripts) {
	if raw.Finish != nil {
		s.Scripts.Minify = false
		for i, name := range *raw.Finish {
			if name != minify.Name || i > 0 {
				r.fail(r.positions.element(i, "scripts", "finish"),
					fmt.Sprintf("finish of scripts expects minify, or nothing, got %q", name),
					"your own steps on scripts need no list: on = \"script\" is enough")
				continue
			}
			s.Scripts.Minify = true
		}
	}
	for i, name := range raw.Drop {
		if !callee.MatchString(name) {
			r.fail(r.positions.element(i, "scripts", "drop"), fmt.Sprintf("%q is not the name of a function", name),
				`write it as in a call, without parentheses: "console.debug"`)
			continue
		}
		s.Scripts.Drop = append(s.Scripts.Drop, name)
	}
	if raw.Preload != nil {
		s.Scripts.Preload = *raw.Preload
	}
}
