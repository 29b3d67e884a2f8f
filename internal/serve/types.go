package serve

import (
	"bytes"
	"path"
	"strings"
	"unicode/utf8"
)

// mediaTypes are the media types of files by extension. They do not depend on
// the system, so that a site is served in the same way everywhere.
var mediaTypes = map[string]string{
	".html": "text/html", ".htm": "text/html", ".xhtml": "application/xhtml+xml", ".css": "text/css",
	".js": "text/javascript", ".mjs": "text/javascript", ".json": "application/json", ".map": "application/json",
	".webmanifest": "application/manifest+json", ".txt": "text/plain", ".md": "text/markdown", ".csv": "text/csv",
	".xml": "application/xml", ".rss": "application/rss+xml", ".atom": "application/atom+xml", ".vtt": "text/vtt",
	".ics": "text/calendar", ".svg": "image/svg+xml", ".png": "image/png", ".apng": "image/apng",
	".jpg": "image/jpeg", ".jpeg": "image/jpeg", ".gif": "image/gif", ".webp": "image/webp", ".avif": "image/avif",
	".bmp": "image/bmp", ".ico": "image/x-icon", ".woff": "font/woff", ".woff2": "font/woff2", ".ttf": "font/ttf",
	".otf": "font/otf", ".mp3": "audio/mpeg", ".m4a": "audio/mp4", ".ogg": "audio/ogg", ".opus": "audio/ogg",
	".wav": "audio/wav", ".flac": "audio/flac", ".mp4": "video/mp4", ".webm": "video/webm", ".pdf": "application/pdf",
	".wasm": "application/wasm", ".zip": "application/zip", ".gz": "application/gzip",
}

// otherType is the media type of unknown files: browsers offer to save them.
const otherType = "application/octet-stream"

// mediaType returns the media type of a file without parameters.
func mediaType(name string) string {
	if t := mediaTypes[strings.ToLower(path.Ext(name))]; t != "" {
		return t
	}
	return otherType
}

// isText reports whether a media type is one of text: it may have a charset,
// and compresses well.
func isText(mediaType string) bool {
	switch {
	case strings.HasPrefix(mediaType, "text/"), strings.HasSuffix(mediaType, "xml"), strings.HasSuffix(mediaType, "json"):
		return true
	}
	return mediaType == "text/javascript"
}

// prescan is how far browsers look for a declared encoding, in bytes (HTML,
// section 13.2.3.2).
const prescan = 1024

// contentType returns the Content-Type of a file. A charset would override what
// the file declares itself, so it is only added to UTF-8 without a declaration.
func contentType(name string, content []byte) string {
	t := mediaType(name)
	if !isText(t) || strings.HasSuffix(t, "json") {
		return t
	}
	head := bytes.ToLower(content[:min(len(content), prescan)])
	declares := bytes.Contains(head, []byte("charset")) || bytes.HasPrefix(head, []byte("<?xml")) ||
		bytes.HasPrefix(head, []byte("\xfe\xff")) || bytes.HasPrefix(head, []byte("\xff\xfe"))
	if declares || !utf8.Valid(content) {
		return t
	}
	return t + "; charset=utf-8"
}
