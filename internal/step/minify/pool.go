package minify

import (
	"hash/maphash"

	"rinzel/internal/css/accept"
	"rinzel/internal/css/ast"
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
	seed         maphash.Seed
	selectors    []selectorInfo
	declarations []declarationInfo
	properties   map[string]*property.Property // by name as written

	// Numbers by the hash of what was found first with it, and by text.
	selectorsByHash    map[uint64]numbered[ast.Selector, selectorID]
	selectorsByText    map[string]selectorID
	declarationsByHash map[uint64]numbered[*ast.Declaration, declarationID]
	declarationsByText map[string]declarationID

	buf  []byte
	node [1]ast.Node
	list [1]ast.Selector
}

// numbered is a node with its number.
type numbered[T, ID any] struct {
	of T
	id ID
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
	of       *ast.Declaration // the first one
	property *property.Property
	kinds    uint64 // of the property
	size     int    // in bytes, without a semicolon
}

// newPool returns a pool without numbers.
func newPool(browsers *accept.Browsers) *pool {
	return &pool{accept: browsers, seed: maphash.MakeSeed(), properties: make(map[string]*property.Property),
		selectorsByHash:    make(map[uint64]numbered[ast.Selector, selectorID]),
		selectorsByText:    make(map[string]selectorID),
		declarationsByHash: make(map[uint64]numbered[*ast.Declaration, declarationID]),
		declarationsByText: make(map[string]declarationID)}
}

// selector returns the number of a selector.
func (p *pool) selector(s ast.Selector) selectorID {
	hash := p.hashSelector(0, s)
	p.list[0] = s
	known, ok := p.selectorsByHash[hash]
	if ok && ast.EqualSelectors([]ast.Selector{known.of}, p.list[:]) {
		return known.id
	}
	p.buf = print.AppendSelectors(p.buf[:0], p.list[:])
	id, found := p.selectorsByText[string(p.buf)]
	if !found {
		id = selectorID(len(p.selectors))
		text := string(p.buf)
		p.selectorsByText[text] = id
		p.selectors = append(p.selectors, selectorInfo{s, text, selector.Of(s), p.accept.Selector(s)})
	}
	if !ok {
		p.selectorsByHash[hash] = numbered[ast.Selector, selectorID]{s, id}
	}
	return id
}

// declaration returns the number of a declaration.
func (p *pool) declaration(d *ast.Declaration) declarationID {
	hash := p.hashDeclaration(d)
	known, ok := p.declarationsByHash[hash]
	if ok && known.of.Name == d.Name && known.of.Important == d.Important && ast.EqualValues(known.of.Value, d.Value) {
		return known.id
	}
	p.node[0] = d
	p.buf = print.Append(p.buf[:0], p.node[:], print.Options{Compact: true})
	id, found := p.declarationsByText[string(p.buf)]
	if !found {
		id = declarationID(len(p.declarations))
		p.declarationsByText[string(p.buf)] = id
		of := p.property(d.Name)
		p.declarations = append(p.declarations, declarationInfo{d, of, of.Kinds(), len(p.buf) - len("\n")})
	}
	if !ok {
		p.declarationsByHash[hash] = numbered[*ast.Declaration, declarationID]{d, id}
	}
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

// mix adds a text and a number to a hash.
func (p *pool) mix(hash uint64, text string, number byte) uint64 {
	return mixNumber(hash, maphash.String(p.seed, text)^uint64(number))
}

// mixNumber adds a number to a hash.
func mixNumber(hash, number uint64) uint64 { return (hash^number)*0x9e3779b97f4a7c15 ^ hash>>29 }

// hashDeclaration returns a hash of a declaration. Different ones may have the
// same.
func (p *pool) hashDeclaration(d *ast.Declaration) uint64 {
	important := byte(0)
	if d.Important {
		important = 1
	}
	return p.hashValues(p.mix(0, d.Name, important), d.Value)
}

// hashValues adds values to a hash.
func (p *pool) hashValues(hash uint64, values []ast.Value) uint64 {
	for i := range values {
		v := &values[i]
		mark := byte(v.Kind) << 1
		if v.Space {
			mark |= 1
		}
		hash = p.mix(hash, v.Text, mark)
		if v.Inner != nil {
			hash = p.mix(p.hashValues(hash, v.Inner.Values), ")", 0)
		}
	}
	return hash
}

// hashSelector adds a selector to a hash.
func (p *pool) hashSelector(hash uint64, s ast.Selector) uint64 {
	for i := range s {
		hash = p.mix(hash, s[i].Name, byte(s[i].Kind))
		if args := s[i].Args; args != nil {
			hash = p.hashValues(p.mix(p.mix(hash, args.Matcher, 0), args.Value.Text, 1), args.Values)
			for _, inner := range args.Selectors {
				hash = p.mix(p.hashSelector(hash, inner), ",", 0)
			}
		}
	}
	return hash
}
