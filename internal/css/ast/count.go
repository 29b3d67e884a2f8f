package ast

// Counts are the numbers of style rules and of declarations in nodes, at every
// depth.
type Counts struct {
	Rules        int `json:"rules"`
	Declarations int `json:"declarations"`
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
