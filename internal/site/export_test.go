package site

// Names that external tests use.
var WithinStyle = escapeStyleText
