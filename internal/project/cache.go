package project

import (
	"fmt"
	"net/url"
	"path"
	"strings"
)

// Cache tells where results of the steps of the user's are stored.
type Cache struct {
	// Folder is relative to the project folder; empty for one of the user's, for
	// all projects.
	Folder string
	URL    string // of a store that machines share; ends with a slash; empty for none
}

// fileCache is [cache] in the settings file.
type fileCache struct {
	Folder *string `toml:"folder"`
	URL    *string `toml:"url"`
}

// cache reads [cache].
func (r *reader) cache(s *Settings, raw fileCache) {
	if raw.Folder != nil {
		if *raw.Folder == "" {
			r.fail(r.positions.value("cache", "folder"), "folder is empty: expected a folder", `write folder = ".cache/rinzel"`)
		}
		s.Cache.Folder = path.Clean(strings.ReplaceAll(*raw.Folder, `\`, "/"))
	}
	if raw.URL != nil {
		u, err := url.Parse(*raw.URL)
		if err != nil || u.Scheme != "http" && u.Scheme != "https" || u.Host == "" || u.RawQuery != "" || u.Fragment != "" {
			r.fail(r.positions.value("cache", "url"), fmt.Sprintf("invalid URL %q of a store", *raw.URL),
				"write it like \"http://cache.example:8080/rinzel/\"")
			return
		}
		s.Cache.URL = strings.TrimSuffix(*raw.URL, "/") + "/"
	}
}
