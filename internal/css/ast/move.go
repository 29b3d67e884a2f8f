package ast

import "rinzel/internal/source"

// Move replaces all positions in nodes that nobody else has, such as those of a
// sheet that was just parsed. to returns the new position for an old one. The end
// of a node stays next to its last byte if that moves in the same file, and is
// otherwise its start.
func Move(nodes []Node, to func(source.Pos) source.Pos) {
	m := mover{to}
	m.nodes(nodes)
}

// MoveSpan returns a span with its positions moved like those of [Move].
func MoveSpan(at source.Span, to func(source.Pos) source.Pos) source.Span {
	if !at.IsValid() {
		return at
	}
	m := mover{to}
	start := m.to(at.Start)
	return source.Span{Start: start, End: m.end(at.Start, at.End, start)}
}

// mover moves positions.
type mover struct{ to func(source.Pos) source.Pos }

// end returns the new offset of an end, given the old and the new start.
func (m mover) end(was source.Pos, end uint32, start source.Pos) uint32 {
	if end <= was.Off {
		return start.Off
	}
	last := m.to(source.Pos{File: was.File, Off: end - 1})
	if last.File != start.File || last.Off < start.Off || last.Off == start.Off && end-was.Off > 1 {
		return start.Off
	}
	return last.Off + 1
}

// nodes moves the positions of nodes.
func (m mover) nodes(nodes []Node) {
	for _, n := range nodes {
		m.node(n)
	}
}

// node moves the positions of a node.
func (m mover) node(n Node) {
	switch n := n.(type) {
	case *StyleRule:
		m.selectors(n.Selectors)
		m.block(&n.Block)
	case *QualifiedRule:
		m.values(n.Prelude)
		m.block(&n.Block)
	case *AtRule:
		at := m.to(n.At)
		if n.Block == nil {
			n.EndOff = m.end(n.At, n.EndOff, at)
		} else {
			m.block(n.Block)
		}
		n.At = at
		m.values(n.Prelude)
	case *Declaration:
		at := m.to(n.NamePos)
		n.EndOff = m.end(n.NamePos, n.EndOff, at)
		n.NamePos = at
		m.values(n.Value)
	case *InterpolatedDeclaration:
		was := n.Pos()
		m.values(n.Name)
		n.EndOff = m.end(was, n.EndOff, n.Pos())
		m.values(n.Value)
	case *Comment:
		n.At = m.to(n.At)
	case *BadRule:
		n.At = m.to(n.At)
	case *BadDeclaration:
		n.At = m.to(n.At)
	}
}

// block moves the positions of a block.
func (m mover) block(b *Block) {
	b.LBrace = m.to(b.LBrace)
	m.nodes(b.Nodes)
	b.RBrace = m.to(b.RBrace)
}

// selectors moves the positions of selectors.
func (m mover) selectors(list []Selector) {
	for _, s := range list {
		for i := range s {
			s[i].Pos = m.to(s[i].Pos)
			if args := s[i].Args; args != nil {
				m.selectors(args.Selectors)
				m.values(args.Values)
				args.Value.Pos = m.to(args.Value.Pos)
			}
		}
	}
}

// values moves the positions of values.
func (m mover) values(values []Value) {
	for i := range values {
		values[i].Pos = m.to(values[i].Pos)
		if inner := values[i].Inner; inner != nil {
			m.values(inner.Values)
			inner.Close = m.to(inner.Close)
		}
	}
}
