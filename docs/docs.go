// Package docs has the parts of the documentation that the program prints: see
// "rinzel help settings" and "rinzel help language".
package docs

import _ "embed" // embeds the pages

// Settings is settings.md: tables of all settings.
//
//go:embed settings.md
var Settings string

// Language is crib.md: the sheet language in one table.
//
//go:embed crib.md
var Language string
