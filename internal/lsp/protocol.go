// Package lsp is a language server (LSP 3.17): it answers editors over a stream. The
// answers come from a session and from the facts about CSS.
package lsp

import "encoding/json"

// This file has the parts of the protocol that the server uses, with the names of the
// specification.

// position is a place in a text: line and column, both from 0, columns in UTF-16 code
// units.
type position struct {
	Line      int `json:"line"`
	Character int `json:"character"`
}

// textRange is a part of a text.
type textRange struct {
	Start position `json:"start"`
	End   position `json:"end"`
}

// location is a part of a file.
type location struct {
	URI   string    `json:"uri"`
	Range textRange `json:"range"`
}

// textDocument identifies a file.
type textDocument struct {
	URI string `json:"uri"`
}

// at is a place in a file, the parameters of many requests.
type at struct {
	TextDocument textDocument `json:"textDocument"`
	Position     position     `json:"position"`
}

// initializeParams are the parameters of initialize.
type initializeParams struct {
	RootURI          string            `json:"rootUri"`
	WorkspaceFolders []workspaceFolder `json:"workspaceFolders"`
	Capabilities     struct {
		TextDocument struct {
			Rename struct {
				PrepareSupport bool `json:"prepareSupport"`
			} `json:"rename"`
			Completion struct {
				Item struct {
					SnippetSupport bool `json:"snippetSupport"`
				} `json:"completionItem"`
			} `json:"completion"`
		} `json:"textDocument"`
	} `json:"capabilities"`
}

// workspaceFolder is an open folder.
type workspaceFolder struct {
	URI string `json:"uri"`
}

// openParams are the parameters of textDocument/didOpen.
type openParams struct {
	TextDocument struct {
		URI     string `json:"uri"`
		Version int    `json:"version"`
		Text    string `json:"text"`
	} `json:"textDocument"`
}

// changeParams are the parameters of textDocument/didChange.
type changeParams struct {
	TextDocument struct {
		URI     string `json:"uri"`
		Version int    `json:"version"`
	} `json:"textDocument"`
	ContentChanges []contentChange `json:"contentChanges"`
}

// contentChange replaces a part of a text; all of it without a range.
type contentChange struct {
	Range *textRange `json:"range"`
	Text  string     `json:"text"`
}

// diagnostic is a finding.
type diagnostic struct {
	Range    textRange `json:"range"`
	Severity int       `json:"severity"`
	Code     string    `json:"code"`
	Source   string    `json:"source"`
	Message  string    `json:"message"`
	Related  []related `json:"relatedInformation,omitempty"`
}

// related is a place that belongs to a finding.
type related struct {
	Location location `json:"location"`
	Message  string   `json:"message"`
}

// publishParams are the parameters of textDocument/publishDiagnostics.
type publishParams struct {
	URI         string       `json:"uri"`
	Version     *int         `json:"version,omitempty"`
	Diagnostics []diagnostic `json:"diagnostics"`
}

// textEdit replaces a part of a text.
type textEdit struct {
	Range   textRange `json:"range"`
	NewText string    `json:"newText"`
}

// completionItem is a proposal.
type completionItem struct {
	Label         string    `json:"label"`
	Kind          int       `json:"kind"`
	Detail        string    `json:"detail,omitempty"`
	Documentation string    `json:"documentation,omitempty"`
	SortText      string    `json:"sortText,omitempty"`
	TextEdit      *textEdit `json:"textEdit,omitempty"`
	// Format is [formatSnippet] for a text with a place for the cursor.
	Format int `json:"insertTextFormat,omitempty"`
}

// formatSnippet is the format of texts with places for the cursor.
const formatSnippet = 2

// Kinds of proposals.
const (
	kindFunction = 3
	kindClass    = 7
	kindProperty = 10
	kindUnit     = 11
	kindValue    = 12
	kindKeyword  = 14
	kindColor    = 16
	kindFile     = 17
	kindConstant = 21
)

// completionList is the answer of textDocument/completion.
type completionList struct {
	IsIncomplete bool             `json:"isIncomplete"`
	Items        []completionItem `json:"items"`
}

// hover is the answer of textDocument/hover.
type hover struct {
	Contents markdown  `json:"contents"`
	Range    textRange `json:"range"`
}

// markdown is text in Markdown.
type markdown struct {
	Kind  string `json:"kind"`
	Value string `json:"value"`
}

// symbol is a part of a document.
type symbol struct {
	Name           string    `json:"name"`
	Detail         string    `json:"detail,omitempty"`
	Kind           int       `json:"kind"`
	Range          textRange `json:"range"`
	SelectionRange textRange `json:"selectionRange"`
	Children       []symbol  `json:"children,omitempty"`
}

// Kinds of symbols.
const (
	symbolNamespace = 3
	symbolClass     = 5
	symbolProperty  = 7
	symbolFunction  = 12
	symbolConstant  = 14
)

// foldingRange is a part of a document that can be folded.
type foldingRange struct {
	StartLine int    `json:"startLine"`
	EndLine   int    `json:"endLine"`
	Kind      string `json:"kind,omitempty"`
}

// null is the answer without a result.
var null = json.RawMessage("null")
