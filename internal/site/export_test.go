package site

// What tests of the outside ask of the inside.
var WithinStyle = escapeStyleText
