// Package token names the tokens of CSS Syntax Level 3 and knows what their
// text means: escapes, strings, URLs, numbers, and which pairs of tokens
// would fuse if nothing stood between them.
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
	BadString // a string cut short by a line end
	URL       // url( with an unquoted address, up to its closing parenthesis
	BadURL
	Delim // one character that is no other token
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

var names = [...]string{
	EOF: "end of file", Whitespace: "white space", Comment: "comment",
	Ident: "identifier", Function: "function", AtKeyword: "at-keyword", Hash: "hash",
	String: "string", BadString: "unclosed string", URL: "URL", BadURL: "malformed URL",
	Delim: "delimiter", Number: "number", Percentage: "percentage", Dimension: "dimension",
	UnicodeRange: "unicode range", CDO: "'<!--'", CDC: "'-->'",
	Colon: "':'", Semicolon: "';'", Comma: "','",
	LBracket: "'['", RBracket: "']'", LParen: "'('", RParen: "')'", LBrace: "'{'", RBrace: "'}'",
}

// String returns the kind's name as messages word it.
func (k Kind) String() string { return names[k] }

// Closer returns the kind of token that closes what k opens, or EOF if k
// opens nothing.
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

// Token is one token: its kind and the bytes of the source it covers.
type Token struct {
	Kind  Kind
	Flags Flags
	Start uint32
	End   uint32
}

// Flags tell what a token's kind leaves open.
type Flags uint8

const (
	// ID marks a hash whose text is an identifier, so that it can be an ID
	// selector (the type flag "id").
	ID Flags = 1 << iota
	// Unclosed marks a comment, string or URL that the end of the file ended.
	Unclosed
)

// Text returns the token's text in src, the text that was scanned.
func (t Token) Text(src string) string { return src[t.Start:t.End] }

// Fuses reports whether a token of kind b with the text bText, written straight after a
// token of kind a with the text aText, would be read as something else. It is
// the table of CSS Syntax Level 3, section 9 (serialization), which is on the
// safe side: some pairs it names fuse only with certain texts.
func Fuses(a Kind, aText string, b Kind, bText string) bool {
	switch a {
	case Ident:
		return startsName(b, bText) || b == LParen ||
			aText == "--" && isDelim(b, bText, '>') ||
			(aText == "u" || aText == "U") && (isNumeric(b) || isDelim(b, bText, '+'))
	case AtKeyword, Hash:
		return startsName(b, bText)
	case Dimension: // "1e" and "+5" would make one number
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

// startsName reports whether the token continues a name it follows.
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

func isNumeric(k Kind) bool { return k == Number || k == Percentage || k == Dimension }

func isDelim(k Kind, text string, c byte) bool { return k == Delim && text[0] == c }

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
	case '\\': // a lone backslash stands before a line end; elsewhere it starts an escape
		return b != EOF
	}
	return false
}
