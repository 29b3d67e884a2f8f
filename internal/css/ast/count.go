package ast

// Counts are the numbers of style rules and of declarations in nodes, at every
// depth.
type Counts struct {
	Rules        int `json:"rules"`
	Declarations int `json:"declarations"`
}

// Plus returns the sums of two counts.
func (c Counts) Plus(o Counts) Counts {
	return Counts{c.Rules + o.Rules, c.Declarations + o.Declarations}
}

// Count counts the rules and declarations in nodes.
func Count(nodes []Node) Counts {
	var c Counts
	Walk(nodes, func(n Node) bool {
		switch n.(type) {
		case *StyleRule:
			c.Rules++
		case *Declaration:
			c.Declarations++
		}
		return true
	})
	return c
}
