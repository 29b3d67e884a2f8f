// Package token defines the tokens of CSS Syntax Level 3, and what their text
// means: escapes, strings, URLs and numbers. It also knows which pairs of
// tokens would fuse if they were written without a separator ([Fuses]).
package token

// Kind is the kind of a token.
type Kind uint8

// The token kinds, as CSS Syntax Level 3, section 4 names them.
const (
	EOF Kind = iota
	Whitespace
	Comment
	Ident
	Function  // an identifier and its opening parenthesis
	AtKeyword // an at sign and an identifier
	Hash
	String
	BadString // a string that is not closed on its line
	URL       // url( with an unquoted URL, up to its closing parenthesis
	BadURL
	Delim // a single character that is not another token
	Number
	Percentage
	Dimension
	UnicodeRange // only where [scan.Scanner.UnicodeRanges] allows it
	CDO
	CDC
	Colon
	Semicolon
	Comma
	LBracket
	RBracket
	LParen
	RParen
	LBrace
	RBrace
)

// names are the names of the kinds in messages.
var names = [...]string{
	EOF: "end of file", Whitespace: "white space", Comment: "comment",
	Ident: "identifier", Function: "function", AtKeyword: "at-keyword", Hash: "hash",
	String: "string", BadString: "unclosed string", URL: "URL", BadURL: "malformed URL",
	Delim: "delimiter", Number: "number", Percentage: "percentage", Dimension: "dimension",
	UnicodeRange: "unicode range", CDO: "'<!--'", CDC: "'-->'",
	Colon: "':'", Semicolon: "';'", Comma: "','",
	LBracket: "'['", RBracket: "']'", LParen: "'('", RParen: "')'", LBrace: "'{'", RBrace: "'}'",
}

// String returns the name of the kind in messages.
func (k Kind) String() string { return names[k] }

// Closer returns the kind of token that closes an opening token, or EOF if k
// does not open anything.
func (k Kind) Closer() Kind {
	switch k {
	case Function, LParen:
		return RParen
	case LBracket:
		return RBracket
	case LBrace:
		return RBrace
	}
	return EOF
}

// Token is a token: its kind and the range of the source that it covers.
type Token struct {
	Kind  Kind
	Flags Flags
	Start uint32
	End   uint32
}

// Flags are properties of a token besides its kind.
type Flags uint8

// The flags of tokens.
const (
	// ID marks a hash whose text is an identifier, so that it can be an ID
	// selector (type flag "id").
	ID Flags = 1 << iota
	// Unclosed marks a comment, string or URL that ends at the end of the file.
	Unclosed
)

// Text returns the text of the token in src, the scanned text.
func (t Token) Text(src string) string { return src[t.Start:t.End] }

// Fuses reports whether a token of kind b with text bText, written directly
// after a token of kind a with text aText, would be parsed differently. It
// implements the table of CSS Syntax Level 3, section 9 (serialization), which
// is conservative: some pairs only fuse with certain texts.
func Fuses(a Kind, aText string, b Kind, bText string) bool {
	switch a {
	case Ident:
		return startsName(b, bText) || b == LParen ||
			aText == "--" && isDelim(b, bText, '>') ||
			(aText == "u" || aText == "U") && (isNumeric(b) || isDelim(b, bText, '+'))
	case AtKeyword, Hash:
		return startsName(b, bText)
	case Dimension: // "1e" and "+5" would become one number
		return startsName(b, bText) || isNumeric(b) && bText[0] == '+' && (aText[len(aText)-1]|0x20) == 'e'
	case Number:
		return startsName(b, bText) && !isDelim(b, bText, '-') || isDelim(b, bText, '%') ||
			isNumeric(b) && bText[0] == '.'
	case UnicodeRange:
		return b == Ident || b == Function || isNumeric(b) || isDelim(b, bText, '?')
	case Delim:
		return delimFuses(aText, b, bText)
	}
	return false
}

// startsName reports whether a token continues a name before it.
func startsName(k Kind, text string) bool {
	switch k {
	case Ident, Function, URL, BadURL, CDC, UnicodeRange:
		return true
	case Number, Percentage, Dimension:
		return text[0] != '+' && text[0] != '.'
	case Delim:
		return text == "-"
	}
	return false
}

// isNumeric reports whether k is a kind of number.
func isNumeric(k Kind) bool { return k == Number || k == Percentage || k == Dimension }

// isDelim reports whether a token is the delimiter c.
func isDelim(k Kind, text string, c byte) bool { return k == Delim && text[0] == c }

// delimFuses is Fuses for a delimiter a.
func delimFuses(a string, b Kind, bText string) bool {
	switch a[0] {
	case '#':
		return b == Ident || b == Function || b == URL || b == BadURL || b == CDC || b == UnicodeRange ||
			isNumeric(b) && bText[0] != '+' && bText[0] != '.' || isDelim(b, bText, '-')
	case '-':
		return b == Ident || b == Function || b == URL || b == BadURL || b == UnicodeRange ||
			isNumeric(b) && bText[0] != '+' || isDelim(b, bText, '-') || b == CDC
	case '@':
		return b == Ident || b == Function || b == URL || b == BadURL || b == CDC || b == UnicodeRange ||
			isDelim(b, bText, '-') || isNumeric(b) && bText[0] == '-'
	case '+', '.':
		return isNumeric(b) && bText[0] != '+' && bText[0] != '-'
	case '/':
		return isDelim(b, bText, '*')
	case '<':
		return isDelim(b, bText, '!')
	case '\\': // a lone backslash comes before a line end; elsewhere it starts an escape
		return b != EOF
	}
	return false
}
