// Package code lists the codes of all findings. A code is what people search for and what programs compare: it appears
// in messages, in JSON and SARIF output, and in the settings of checks.
//
// docs/messages.md explains each code to users, and docs/gallery.md has an example of each; tests keep all three in
// step. A new finding needs a constant here, an entry in All, a row in docs/messages.md, and a case in
// internal/testdata/gallery.txtar.
package code

// A Code names a kind of finding: lower-case words joined by hyphens.
type Code string

// The codes, each with its meaning.
const (
	// AmbiguousURL: a URL in a custom property resolves to different files, because sheets in several folders use the
	// property.
	AmbiguousURL Code = "ambiguous-url"
	// BadAsIs: an invalid rinzel as-is comment.
	BadAsIs Code = "bad-as-is"
	// BadCall: a call of a mixin or function does not match its parameters.
	BadCall Code = "bad-call"
	// BadColor: an invalid colour.
	BadColor Code = "bad-color"
	// BadCondition: an invalid or misplaced condition of @when, @else, if() or a query with custom media.
	BadCondition Code = "bad-condition"
	// BadConstant: invalid syntax in @const, @default, @drop or const().
	BadConstant Code = "bad-constant"
	// BadCustomName: an invalid @custom-selector or @custom-media.
	BadCustomName Code = "bad-custom-name"
	// BadDeclaration: neither a declaration nor a rule inside a block; browsers skip it.
	BadDeclaration Code = "bad-declaration"
	// BadFamily: an invalid @family, @slot, @mode or @take.
	BadFamily Code = "bad-family"
	// BadImport: an @import without a sheet, or with invalid without(), only(), set() or replace().
	BadImport Code = "bad-import"
	// BadImportMap: an invalid import map.
	BadImportMap Code = "bad-import-map"
	// BadInterpolation: the brackets in a name contain no constant, or one that cannot be part of a name.
	BadInterpolation Code = "bad-interpolation"
	// BadKeyframe: an invalid keyframe selector.
	BadKeyframe Code = "bad-keyframe"
	// BadLayer: invalid layer names.
	BadLayer Code = "bad-layer"
	// BadLink: a <link> that browsers ignore: rel is missing or misspelt, or the URL is in src.
	BadLink Code = "bad-link"
	// BadLoop: invalid syntax in @loop or range().
	BadLoop Code = "bad-loop"
	// BadMath: an invalid calculation, or one that adds incompatible types.
	BadMath Code = "bad-math"
	// BadMixin: invalid syntax in @mixin, @function, @apply or @contents.
	BadMixin Code = "bad-mixin"
	// BadQuery: an invalid media or container query, or an unknown media type.
	BadQuery Code = "bad-query"
	// BadSelector: an invalid selector; browsers drop the rule.
	BadSelector Code = "bad-selector"
	// BadSettings: an unknown key or invalid value in rinzel.toml, or a folder in it that cannot be opened.
	BadSettings Code = "bad-settings"
	// BadString: a string that is not closed on its line.
	BadString Code = "bad-string"
	// BadTokens: an invalid design token file or @tokens rule.
	BadTokens Code = "bad-tokens"
	// BadURL: an unquoted url() with characters that need quotes.
	BadURL Code = "bad-url"
	// BadVar: var() without a custom property, or env() without a name.
	BadVar Code = "bad-var"
	// BareImport: a script import that no import map resolves; an error for a sheet.
	BareImport Code = "bare-import"
	// Charset: @charset declares another encoding than UTF-8 for a sheet that is UTF-8.
	Charset Code = "charset"
	// ClassesFromData: classes of a template come from data, so purging does not know them.
	ClassesFromData Code = "classes-from-data"
	// ClassicImport: a script that is not loaded as a module uses import; browsers do not run it.
	ClassicImport Code = "classic-import"
	// ConflictingOrder: two pages load sheets that may set the same property in opposite order.
	ConflictingOrder Code = "conflicting-order"
	// Deprecated: a deprecated property or value.
	Deprecated Code = "deprecated"
	// DuplicateDeclaration: a declaration with the same property and value as an earlier one of its rule.
	DuplicateDeclaration Code = "duplicate-declaration"
	// EmptyBundle: purging removes all rules of a bundle, and other bundles style the page.
	EmptyBundle Code = "empty-bundle"
	// EmptyURL: an @import with an empty URL.
	EmptyURL Code = "empty-url"
	// ExternalImport: an external sheet is imported where a single sheet or import cannot express it: after rules, in
	// an anonymous layer, or in a sheet that a script uses.
	ExternalImport Code = "external-import"
	// ForeignFile: the output folder contains a file that Rinzel did not write.
	ForeignFile Code = "foreign-file"
	// ImportCycle: a sheet imports itself, directly or through others.
	ImportCycle Code = "import-cycle"
	// ImportMapConflict: import maps of two pages resolve the same import of a sheet to different URLs.
	ImportMapConflict Code = "import-map-conflict"
	// LateConstant: @const or @drop overrides a default that an earlier sheet has already read.
	LateConstant Code = "late-constant"
	// LateImport: an @import or @namespace after a rule; browsers ignore it.
	LateImport Code = "late-import"
	// LegacyHack: a hack for legacy browsers.
	LegacyHack Code = "legacy-hack"
	// LineComment: // does not start a comment in CSS.
	LineComment Code = "line-comment"
	// LostKey: a group of constants is redefined without one of its keys.
	LostKey Code = "lost-key"
	// LostRules: classes of pages had rules in the previous build, but not in this one.
	LostRules Code = "lost-rules"
	// MissingAsset: url() or a page names a file that does not exist.
	MissingAsset Code = "missing-asset"
	// MissingBlock: a rule without a block at the end of the file.
	MissingBlock Code = "missing-block"
	// MissingEntry: a source of a bundle in the settings does not exist.
	MissingEntry Code = "missing-entry"
	// MissingEvidence: an evidence pattern matches no file; an error in a release, or if there is no evidence at all.
	MissingEvidence Code = "missing-evidence"
	// MissingFile: a page, sheet or script names a sheet or other file that does not exist; a warning for a link of a
	// page in development.
	MissingFile Code = "missing-file"
	// MissingKeyframes: an animation uses keyframes that no sheet defines.
	MissingKeyframes Code = "missing-keyframes"
	// MissingScript: a page or script names a script, or an import in a script a file, that does not exist.
	MissingScript Code = "missing-script"
	// MissingSemicolon: a statement such as @import without ; swallows the next rule.
	MissingSemicolon Code = "missing-semicolon"
	// MissingSize: an image of a page without width and height.
	MissingSize Code = "missing-size"
	// MissingUnit: a number without the unit that its property needs.
	MissingUnit Code = "missing-unit"
	// NamedStyleImport: a script imports a sheet with a name, but without type: "css".
	NamedStyleImport Code = "named-style-import"
	// Namespace: an @namespace that would apply to other sheets of the bundle.
	Namespace Code = "namespace"
	// NearMember: a class of a page looks like a member of a family, but is none, and has no rule.
	NearMember Code = "near-member"
	// NeedsCompose: a sheet uses build-time syntax, but its chain has no step compose.
	NeedsCompose Code = "needs-compose"
	// NoPages: the source folder contains no page.
	NoPages Code = "no-pages"
	// NoSheets: a check finds no sheet.
	NoSheets Code = "no-sheets"
	// NotAGroup: a loop with a key variable runs over a single value.
	NotAGroup Code = "not-a-group"
	// NotMinified: a rule is not minified completely, because it could not be shown that the result means the same.
	NotMinified Code = "not-minified"
	// NotUTF8: a file is not UTF-8, and its format allows no other encoding.
	NotUTF8 Code = "not-utf-8"
	// OnlyPrefixed: a prefixed property without its standard form.
	OnlyPrefixed Code = "only-prefixed"
	// OutOfRange: a number outside of the range of its property.
	OutOfRange Code = "out-of-range"
	// OutputConflict: two output files have the same path.
	OutputConflict Code = "output-conflict"
	// OutsideRoot: a path leads out of the source folder or root.
	OutsideRoot Code = "outside-root"
	// OverBudget: a page or a bundle exceeds a limit in [budget].
	OverBudget Code = "over-budget"
	// OverriddenDeclaration: a declaration that a later one of its rule overrides.
	OverriddenDeclaration Code = "overridden-declaration"
	// PackageChanged: an installed package differs from the lock file, or one of its sheets was changed after the
	// installation.
	PackageChanged Code = "package-changed"
	// PageOutside: a page outside of the source folder is used as evidence, but not built.
	PageOutside Code = "page-outside"
	// PurgeLimit: purging would remove more of a bundle than [purge] max-removed allows.
	PurgeLimit Code = "purge-limit"
	// PurgedEmpty: purging would remove all rules of a bundle.
	PurgedEmpty Code = "purged-empty"
	// PurgedMostly: purging removes more than 90% of a bundle, and [purge] max-removed is not set.
	PurgedMostly Code = "purged-mostly"
	// RedundantConstant: a constant is set to its default (rinzel constants).
	RedundantConstant Code = "redundant-constant"
	// RestoredKey: a key is removed with @drop, but set again later (rinzel constants).
	RestoredKey Code = "restored-key"
	// ScriptSyntax: a syntax error of a script.
	ScriptSyntax Code = "script-syntax"
	// StepFailed: a step of the settings did not give a valid answer.
	StepFailed Code = "step-failed"
	// StepFinding: what a step of the settings reports.
	StepFinding Code = "step-finding"
	// StrayBracket: an unmatched closing bracket; an error if it is } before another rule.
	StrayBracket Code = "stray-bracket"
	// StraySemicolon: ; between rules; browsers drop the next rule.
	StraySemicolon Code = "stray-semicolon"
	// TooDeep: blocks and brackets are nested deeper than 256 levels.
	TooDeep Code = "too-deep"
	// TooManyCalls: mixin and function calls are nested too deep.
	TooManyCalls Code = "too-many-calls"
	// TooManyFindings: a file has more findings than are shown.
	TooManyFindings Code = "too-many-findings"
	// TooManyImports: imports are nested too deep, or load too many sheets.
	TooManyImports Code = "too-many-imports"
	// TooManySelectors: nested rules, expanded for targets without nesting, exceed a million simple selectors.
	TooManySelectors Code = "too-many-selectors"
	// TooManyValues: constants and loops generate more values than a sheet may have.
	TooManyValues Code = "too-many-values"
	// UnclosedBlock: { without }.
	UnclosedBlock Code = "unclosed-block"
	// UnclosedBracket: ( or [ without its closing bracket.
	UnclosedBracket Code = "unclosed-bracket"
	// UnclosedComment: /* without */.
	UnclosedComment Code = "unclosed-comment"
	// UnclosedFunction: a function without its ).
	UnclosedFunction Code = "unclosed-function"
	// UnclosedString: a string without its closing quote at the end of the file.
	UnclosedString Code = "unclosed-string"
	// UnclosedTag: an unclosed tag in a page.
	UnclosedTag Code = "unclosed-tag"
	// UnclosedURL: url( without its ).
	UnclosedURL Code = "unclosed-url"
	// UnknownAtRule: an at-rule that no specification has.
	UnknownAtRule Code = "unknown-at-rule"
	// UnknownConstant: const() reads a constant that is not set.
	UnknownConstant Code = "unknown-constant"
	// UnknownDescriptor: a descriptor that its at-rule does not have.
	UnknownDescriptor Code = "unknown-descriptor"
	// UnknownFunction: a call of an undefined function; in a custom property only if a function has a similar name.
	UnknownFunction Code = "unknown-function"
	// UnknownLanguage: no step takes the language of a style block of a component, which stays as it is.
	UnknownLanguage Code = "unknown-language"
	// UnknownMedia: undefined custom media.
	UnknownMedia Code = "unknown-media"
	// UnknownMediaFeature: a media feature that no specification has.
	UnknownMediaFeature Code = "unknown-media-feature"
	// UnknownMember: @take names a class that no family has.
	UnknownMember Code = "unknown-member"
	// UnknownMixin: @apply of an undefined mixin.
	UnknownMixin Code = "unknown-mixin"
	// UnknownProperty: a property that no specification has.
	UnknownProperty Code = "unknown-property"
	// UnknownPseudo: a pseudo-class or pseudo-element that no specification has.
	UnknownPseudo Code = "unknown-pseudo"
	// UnknownRoot: an unknown root before the colon of an import.
	UnknownRoot Code = "unknown-root"
	// UnknownSelector: an undefined custom selector.
	UnknownSelector Code = "unknown-selector"
	// UnknownValue: a value that its property does not accept.
	UnknownValue Code = "unknown-value"
	// UnmatchedDrop: @drop of a key that was never set and has no default.
	UnmatchedDrop Code = "unmatched-drop"
	// UnmatchedKeep: a pattern in [purge] keep that matches no selector and no sheet.
	UnmatchedKeep Code = "unmatched-keep"
	// UnmatchedPart: a pattern in without() or only() that matches nothing imported.
	UnmatchedPart Code = "unmatched-part"
	// UnmatchedPattern: a pattern in external, copy, components or exclude that matches nothing.
	UnmatchedPattern Code = "unmatched-pattern"
	// UnmergedLinks: a script reads the style links of its page, so they are not merged.
	UnmergedLinks Code = "unmerged-links"
	// UnreachedComponent: no script of a page imports a component, so its styles are in no bundle.
	UnreachedComponent Code = "unreached-component"
	// UnreadableFile: a file or folder that cannot be read.
	UnreadableFile Code = "unreadable-file"
	// UnreadableMap: the source map of a script that imports sheets is invalid, and copied unchanged; or that of a
	// sheet, and left out.
	UnreadableMap Code = "unreadable-map"
	// UnreadableScript: a script cannot be searched for names in use: it is external, or runs generated code.
	UnreadableScript Code = "unreadable-script"
	// UnreferencedFiles: a script builds names of files in a folder, and some of these files are not in the output.
	UnreferencedFiles Code = "unreferenced-files"
	// Unsupported: a rule, selector or value that a target does not support, without a fallback.
	Unsupported Code = "unsupported"
	// UnsupportedProperty: a property or media feature that a target does not support.
	UnsupportedProperty Code = "unsupported-property"
	// UnusedChain: a chain in the settings that no sheet uses.
	UnusedChain Code = "unused-chain"
	// UnusedConstant: an unused constant in a sheet of the site (rinzel constants).
	UnusedConstant Code = "unused-constant"
	// WrongCase: a file name that differs in case from the file, and is only found on some systems.
	WrongCase Code = "wrong-case"
)

// All lists the codes in alphabetical order.
var All = []Code{
	AmbiguousURL, BadAsIs, BadCall, BadColor, BadCondition, BadConstant, BadCustomName, BadDeclaration, BadFamily, BadImport,
	BadImportMap, BadInterpolation, BadKeyframe, BadLayer, BadLink, BadLoop, BadMath, BadMixin, BadQuery,
	BadSelector, BadSettings, BadString, BadTokens, BadURL, BadVar, BareImport, Charset, ClassesFromData, ClassicImport,
	ConflictingOrder, Deprecated, DuplicateDeclaration, EmptyBundle, EmptyURL, ExternalImport, ForeignFile,
	ImportCycle, ImportMapConflict, LateConstant, LateImport, LegacyHack, LineComment, LostKey, LostRules,
	MissingAsset, MissingBlock, MissingEntry, MissingEvidence, MissingFile, MissingKeyframes, MissingScript,
	MissingSemicolon, MissingSize, MissingUnit, NamedStyleImport, Namespace, NearMember, NeedsCompose, NoPages, NoSheets, NotAGroup, NotMinified,
	NotUTF8, OnlyPrefixed, OutOfRange, OutputConflict, OutsideRoot, OverBudget, OverriddenDeclaration, PackageChanged,
	PageOutside, PurgeLimit, PurgedEmpty, PurgedMostly, RedundantConstant, RestoredKey, ScriptSyntax, StepFailed, StepFinding, StrayBracket,
	StraySemicolon, TooDeep, TooManyCalls, TooManyFindings, TooManyImports, TooManySelectors, TooManyValues,
	UnclosedBlock, UnclosedBracket, UnclosedComment, UnclosedFunction, UnclosedString, UnclosedTag, UnclosedURL,
	UnknownAtRule, UnknownConstant, UnknownDescriptor, UnknownFunction, UnknownLanguage, UnknownMedia, UnknownMediaFeature,
	UnknownMember, UnknownMixin, UnknownProperty, UnknownPseudo, UnknownRoot, UnknownSelector, UnknownValue, UnmatchedDrop,
	UnmatchedKeep, UnmatchedPart, UnmatchedPattern, UnmergedLinks, UnreachedComponent, UnreadableFile, UnreadableMap,
	UnreadableScript, UnreferencedFiles, Unsupported, UnsupportedProperty, UnusedChain, UnusedConstant, WrongCase,
}
