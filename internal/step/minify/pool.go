package minify

import (
	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
	"rinzel/internal/css/intern"
	"rinzel/internal/css/print"
	"rinzel/internal/css/property"
	"rinzel/internal/css/selector"
)

// This file numbers selectors and declarations, so that rules are compared by
// numbers.

// selectorID is the number of a selector: two with the same text have the same
// number.
type selectorID int32

// declarationID is the number of a declaration: two with the same text have the
// same number.
type declarationID int32

// pool has the numbers of the selectors and declarations of a sheet.
type pool struct {
	accept       *accept.Browsers
	selectors    []selectorInfo
	declarations []declarationInfo
	properties   map[string]*property.Property // by name as written

	// Numbers by those of equal nodes, and by text: different nodes may have the
	// same text.
	equalSelectors     *intern.Selectors
	selectorOf         []selectorID
	selectorsByText    map[string]selectorID
	equalDeclarations  *intern.Declarations
	declarationOf      []declarationID
	declarationsByText map[string]declarationID

	buf  []byte
	node [1]ast.Node
}

// selectorInfo is what is known about a selector.
type selectorInfo struct {
	of     ast.Selector
	text   string // in compact form
	weight selector.Specificity
	known  bool // by all targets: it may be in a list with others
}

// declarationInfo is what is known about a declaration.
type declarationInfo struct {
	property *property.Property
	kinds    uint64 // of the property
	size     int    // in bytes, without a semicolon
}

// newPool returns a pool without numbers.
func newPool(browsers *accept.Browsers) *pool {
	return &pool{accept: browsers, properties: make(map[string]*property.Property),
		equalSelectors: intern.NewSelectors(), selectorsByText: make(map[string]selectorID),
		equalDeclarations: intern.NewDeclarations(), declarationsByText: make(map[string]declarationID)}
}

// selector returns the number of a selector.
func (p *pool) selector(s ast.Selector) selectorID {
	n := p.equalSelectors.Number(s)
	if n < len(p.selectorOf) {
		return p.selectorOf[n]
	}
	p.buf = print.AppendSelectors(p.buf[:0], []ast.Selector{s})
	id, found := p.selectorsByText[string(p.buf)]
	if !found {
		id = selectorID(len(p.selectors))
		text := string(p.buf)
		p.selectorsByText[text] = id
		p.selectors = append(p.selectors, selectorInfo{s, text, selector.Of(s), p.accept.Selector(s)})
	}
	p.selectorOf = append(p.selectorOf, id)
	return id
}

// declaration returns the number of a declaration.
func (p *pool) declaration(d *ast.Declaration) declarationID {
	n := p.equalDeclarations.Number(d)
	if n < len(p.declarationOf) {
		return p.declarationOf[n]
	}
	p.node[0] = d
	p.buf = print.Append(p.buf[:0], p.node[:], print.Options{Compact: true})
	id, found := p.declarationsByText[string(p.buf)]
	if !found {
		id = declarationID(len(p.declarations))
		p.declarationsByText[string(p.buf)] = id
		of := p.property(d.Name)
		p.declarations = append(p.declarations, declarationInfo{of, of.Kinds(), len(p.buf) - len("\n")})
	}
	p.declarationOf = append(p.declarationOf, id)
	return id
}

// property returns the property with a name as written.
func (p *pool) property(name string) *property.Property {
	of := p.properties[name]
	if of == nil {
		of = property.Of(name)
		p.properties[name] = of
	}
	return of
}

// hashOf returns a hash of a number. The sum of those of several numbers is a
// hash of their set.
func hashOf[ID selectorID | declarationID](id ID) uint64 {
	hash := (uint64(id) + 1) * 0x9e3779b97f4a7c15
	return (hash ^ hash>>29) * 0x94d049bb133111eb
}
