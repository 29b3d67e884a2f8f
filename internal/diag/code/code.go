// Package code has the codes of all findings, by which people and programs know them. docs/messages.md explains each.
package code

// Code names a kind of finding. Codes never change.
type Code string

// The codes, with what each says.
const (
	BadAddress            Code = "bad-address"            // an import has an empty address
	BadAsIs               Code = "bad-as-is"              // a comment that starts with rinzel as-is cannot be read
	BadCall               Code = "bad-call"               // a call of a mixin or function does not fit its parameters
	BadColor              Code = "bad-color"              // what stands for a colour and is none
	BadCondition          Code = "bad-condition"          // the condition of an @when, @else, if() or a query with custom media cannot be read, or stands in the wrong place
	BadConstant           Code = "bad-constant"           // @const, @default or const() is not written as it must be
	BadCustom             Code = "bad-custom"             // an @custom-selector or @custom-media is not written as it must be
	BadDeclaration        Code = "bad-declaration"        // what stands in a block is no declaration and no rule; browsers skip it
	BadImport             Code = "bad-import"             // an @import names no sheet, or says of its parts what cannot be read
	BadImportMap          Code = "bad-import-map"         // an import map cannot be read
	BadKeyframe           Code = "bad-keyframe"           // the selector of a keyframe that selects none
	BadLayer              Code = "bad-layer"              // names of layers that browsers cannot read
	BadLink               Code = "bad-link"               // a link of a page looks like one of a sheet, and browsers load nothing: its rel is misspelt or missing, or its address is in src
	BadLoop               Code = "bad-loop"               // @loop or range() is not written as it must be
	BadMath               Code = "bad-math"               // a calculation that browsers cannot read, or that adds what cannot be added
	BadMixin              Code = "bad-mixin"              // @mixin, @function, @apply or @contents is not written as it must be
	BadQuery              Code = "bad-query"              // a media or container query that browsers cannot read, or with a media type that none has
	BadSelector           Code = "bad-selector"           // a selector cannot be read; browsers drop the rule
	BadSettings           Code = "bad-settings"           // a key or value of rinzel.toml cannot be, or a folder it names cannot be opened
	BadSplice             Code = "bad-splice"             // what stands in the brackets of a name is no constant, or none that can be part of a name
	BadString             Code = "bad-string"             // a string is cut short by the end of its line
	BadTokens             Code = "bad-tokens"             // a file of design tokens, or an @tokens rule, cannot be read
	BadURL                Code = "bad-url"                // an unquoted url() holds what only a quoted one may
	BadVar                Code = "bad-var"                // var() without the name of a custom property, or env() without a name
	BareImport            Code = "bare-import"            // a script imports a name that no import map gives an address; an error for a sheet
	Charset               Code = "charset"                // @charset names another encoding than UTF-8, which the sheet is in
	ClassicImport         Code = "classic-import"         // a script that is not loaded as a module imports others; browsers do not run it
	CustomURL             Code = "custom-url"             // an address in a custom property leads to different files, because sheets of several folders use the property
	EmptyBundle           Code = "empty-bundle"           // purging leaves nothing of a bundle, and other bundles style the page
	ExternalImport        Code = "external-import"        // a sheet from elsewhere is imported after rules in what has to be a single sheet, in a layer without a name, or by a script
	ForeignFile           Code = "foreign-file"           // the output folder holds a file that Rinzel did not write
	IdleChain             Code = "idle-chain"             // no sheet goes through a chain of the settings
	IdleDrop              Code = "idle-drop"              // an @drop names a key that nothing set and no default fills in
	IdleKeep              Code = "idle-keep"              // a pattern in [purge] keep matches no selector
	IdlePart              Code = "idle-part"              // a pattern in without() or only() matches nothing that is imported
	IdlePattern           Code = "idle-pattern"           // a pattern in external, copy or exclude matches nothing
	ImportCycle           Code = "import-cycle"           // a sheet imports itself, perhaps by way of others
	Lacking               Code = "lacking"                // a rule, selector or value that a target does not read, without anything in its stead
	LackingProperty       Code = "lacking-property"       // a property or media feature that a target does not know
	LateConstant          Code = "late-constant"          // @const or @drop overrides a default that a sheet before has read already
	LateImport            Code = "late-import"            // an @import or @namespace stands behind a rule, where browsers ignore it
	LineComment           Code = "line-comment"           // // starts no comment in CSS
	LinksApart            Code = "links-apart"            // a script looks for style links of its page, so each of them stays one of its own
	LostKey               Code = "lost-key"               // a group of constants is set anew, without a key that it had
	LostRules             Code = "lost-rules"             // classes of pages had rules in the output of the last build, and have none now
	MapKept               Code = "map-kept"               // the source map of a script that imports sheets cannot be read, and so is copied as it is
	Missing               Code = "missing"                // a page, sheet or script names a sheet or other file that is not there; a warning for a link of a page, where the profile is for no release
	MissingAsset          Code = "missing-asset"          // url(), or what a page shows, names a file that is not there
	MissingKeyframes      Code = "missing-keyframes"      // an animation names keyframes that no sheet of the project defines
	MissingScript         Code = "missing-script"         // a page or script names a script, or what a script imports, that is not there
	MissingSemicolon      Code = "missing-semicolon"      // a statement such as @import goes on up to the block of the next rule
	MissingUnit           Code = "missing-unit"           // a number where one with a unit is due
	NamedStyleImport      Code = "named-style-import"     // a script gives a name to a sheet without the attribute type: "css"
	Namespace             Code = "namespace"              // an @namespace cannot hold for the whole bundle
	NeedsCompose          Code = "needs-compose"          // a sheet is written for the step compose, and its chain leaves that out
	NoBlock               Code = "no-block"               // a rule has no block before the file ends
	NoEntry               Code = "no-entry"               // a bundle of the settings is made from what is not there
	NoEvidence            Code = "no-evidence"            // an evidence glob matches nothing; an error in a release, or if there is no evidence at all
	NoGroup               Code = "no-group"               // a loop with a name for keys goes over a single value
	NoPages               Code = "no-pages"               // the source folder holds no page
	NoSheets              Code = "no-sheets"              // a check finds no sheet to look at
	NotUTF8               Code = "not-utf-8"              // a file is not UTF-8 text, and its format allows no other encoding
	OldHack               Code = "old-hack"               // what only browsers of long ago read
	OnlyPrefixed          Code = "only-prefixed"          // a prefixed property without the standard one
	OppositeOrder         Code = "opposite-order"         // two pages load sheets that may set the same in opposite order
	OtherCase             Code = "other-case"             // a file is asked for by a name in another case, which only some systems find
	OutOfDate             Code = "out-of-date"            // what browsers read still and are advised to drop
	OutOfRange            Code = "out-of-range"           // a number that is smaller or larger than its property takes
	Outside               Code = "outside"                // a path leads out of the source folder or root
	OverriddenDeclaration Code = "overridden-declaration" // a declaration that a later one of its rule overrides
	PackageChanged        Code = "package-changed"        // an installed package has another version than the lock file in its folder says, or a sheet of it was changed after it was installed
	PageBeside            Code = "page-beside"            // a page outside of the source folder is evidence, and is not built
	PurgedEmpty           Code = "purged-empty"           // purging would leave nothing of a bundle
	PurgedMost            Code = "purged-most"            // purging would remove more of a bundle than [purge] most lets it
	PurgedMostly          Code = "purged-mostly"          // purging removes more than nine tenths of a bundle, and [purge] most does not say that it may
	PutBack               Code = "put-back"               // a @drop drops what something sets again behind it (rinzel constants)
	RepeatedDeclaration   Code = "repeated-declaration"   // a declaration that says what an earlier one of its rule says
	SameDefault           Code = "same-default"           // a constant is set to what its default is (rinzel constants)
	StrayBracket          Code = "stray-bracket"          // a bracket closes nothing; an error if it is } outside of all rules
	StraySemicolon        Code = "stray-semicolon"        // ; between rules makes browsers drop the next one
	TooDeep               Code = "too-deep"               // blocks and brackets nest deeper than 256 levels
	TooMany               Code = "too-many"               // a file has more findings than are shown
	TooManyCalls          Code = "too-many-calls"         // mixins and functions call each other too deep
	TooManyImports        Code = "too-many-imports"       // imports lead too deep, or reach too many sheets
	TooManySelectors      Code = "too-many-selectors"     // nested rules, written out for targets that read no nesting, come to more than a million simple selectors
	TooManyValues         Code = "too-many-values"        // constants put more values into a sheet than it can hold
	TwoMeanings           Code = "two-meanings"           // import maps of two pages give one import of a sheet different addresses
	TwoOwners             Code = "two-owners"             // two files would be written to one name
	UnclosedBlock         Code = "unclosed-block"         // { without its }; likewise unclosed-bracket and unclosed-function
	UnclosedBracket       Code = "unclosed-bracket"       // ( or [ without its closing bracket
	UnclosedComment       Code = "unclosed-comment"       // /* without its */
	UnclosedFunction      Code = "unclosed-function"      // a function without its )
	UnclosedString        Code = "unclosed-string"        // a string without its closing quote before the file ends
	UnclosedTag           Code = "unclosed-tag"           // a tag of a page is not closed before the file ends
	UnclosedURL           Code = "unclosed-url"           // url( without its )
	UnknownAtRule         Code = "unknown-at-rule"        // an at-rule that no specification has
	UnknownConstant       Code = "unknown-constant"       // nothing set the constant that const() reads
	UnknownDescriptor     Code = "unknown-descriptor"     // a descriptor that its at-rule does not take
	UnknownFunction       Code = "unknown-function"       // nothing defines the function that is called; in a custom property, which may hold text for scripts, only if a function has nearly that name
	UnknownMedia          Code = "unknown-media"          // nothing defines the custom media --name
	UnknownMediaFeature   Code = "unknown-media-feature"  // a media feature that no specification has
	UnknownMixin          Code = "unknown-mixin"          // @apply names a mixin that nothing defines
	UnknownProperty       Code = "unknown-property"       // a property that no specification has
	UnknownPseudo         Code = "unknown-pseudo"         // a pseudo-class or pseudo-element that no specification has
	UnknownRoot           Code = "unknown-root"           // the part before the colon of an import names no root
	UnknownSelector       Code = "unknown-selector"       // nothing defines the custom selector :--name
	UnknownValue          Code = "unknown-value"          // a value that its property does not take
	UnnamedFiles          Code = "unnamed-files"          // a script works out names of files in a folder, of which some are not in the output
	Unread                Code = "unread"                 // nothing reads a constant of the site's own (rinzel constants)
	UnreadScript          Code = "unread-script"          // a script cannot be read for names in use: it comes from another origin, or makes the code that it runs
	Unreadable            Code = "unreadable"             // a file or folder cannot be read
)

// All are the codes, sorted.
var All = []Code{
	BadAddress, BadAsIs, BadCall, BadColor, BadCondition, BadConstant, BadCustom, BadDeclaration, BadImport, BadImportMap, BadKeyframe,
	BadLayer, BadLink, BadLoop, BadMath, BadMixin, BadQuery, BadSelector, BadSettings, BadSplice, BadString, BadTokens, BadURL, BadVar,
	BareImport, Charset, ClassicImport, CustomURL, EmptyBundle, ExternalImport, ForeignFile, IdleChain, IdleDrop, IdleKeep, IdlePart, IdlePattern,
	ImportCycle, Lacking, LackingProperty, LateConstant, LateImport, LineComment, LinksApart, LostKey, LostRules, MapKept, Missing, MissingAsset,
	MissingKeyframes, MissingScript, MissingSemicolon, MissingUnit, NamedStyleImport, Namespace, NeedsCompose, NoBlock, NoEntry, NoEvidence,
	NoGroup, NoPages, NoSheets, NotUTF8, OldHack, OnlyPrefixed, OppositeOrder, OtherCase, OutOfDate, OutOfRange, Outside, OverriddenDeclaration,
	PackageChanged, PageBeside, PurgedEmpty, PurgedMost, PurgedMostly, PutBack, RepeatedDeclaration, SameDefault, StrayBracket, StraySemicolon,
	TooDeep, TooMany, TooManyCalls, TooManyImports, TooManySelectors, TooManyValues, TwoMeanings, TwoOwners, UnclosedBlock, UnclosedBracket,
	UnclosedComment, UnclosedFunction, UnclosedString, UnclosedTag, UnclosedURL, UnknownAtRule, UnknownConstant, UnknownDescriptor, UnknownFunction,
	UnknownMedia, UnknownMediaFeature, UnknownMixin, UnknownProperty, UnknownPseudo, UnknownRoot, UnknownSelector, UnknownValue, UnnamedFiles,
	Unread, UnreadScript, Unreadable,
}
