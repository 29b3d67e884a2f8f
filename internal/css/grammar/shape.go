package grammar

import (
	"math"
	"slices"
	"strings"
	"sync"

	"rinzel/internal/css/ast"
	"rinzel/internal/css/token"
	"rinzel/internal/css/value"
)

// This file remembers which values fit, by their shape: most values of a site differ in numbers and colours alone, which makes no
// difference to a definition.

// verdicts are the shapes of values that fit, each after the name of a definition. It is safe for concurrent use.
type verdicts struct {
	mu  sync.RWMutex
	fit map[string]struct{}
}

// maxVerdicts is how many shapes are remembered, and maxShape how long one may be.
const (
	maxVerdicts = 1 << 15
	maxShape    = 256
)

func (v *verdicts) fits(shape []byte) bool {
	v.mu.RLock()
	defer v.mu.RUnlock()
	_, ok := v.fit[string(shape)]
	return ok
}

func (v *verdicts) add(shape []byte) {
	if len(shape) > maxShape {
		return
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.fit == nil || len(v.fit) >= maxVerdicts {
		v.fit = make(map[string]struct{})
	}
	v.fit[string(shape)] = struct{}{}
}

// limits are the ends of all ranges of numbers in definitions, in increasing order.
var limits = []float64{-1, 0, 1, 2, 4, 100, 1000}

// appendShape appends what tells values apart that a definition may take and not take: all of names, functions and delimiters, of
// a number its unit, whether it is an integer and where it is among the limits, and of anything else its kind.
func appendShape(key []byte, values []ast.Value) []byte {
	for i := range values {
		v := &values[i]
		key = append(key, ' ')
		switch v.Kind {
		case token.Number, token.Percentage, token.Dimension:
			key = appendNumber(key, v)
		case token.Hash:
			if key = append(key, '#'); isHexColor(v) {
				key = append(key, '#')
			}
		case token.String:
			key = append(key, '"')
		case token.URL:
			key = append(key, '(')
		default:
			key = append(key, v.Text...)
		}
		if v.Inner != nil {
			key = append(appendShape(key, v.Inner.Values), ')')
		}
	}
	return key
}

func appendNumber(key []byte, v *ast.Value) []byte {
	n, ok := value.Read(v)
	if !ok {
		return append(key, v.Text...)
	}
	at, isLimit := slices.BinarySearch(limits, n.Value)
	key = append(key, '+', byte('0'+at))
	if isLimit {
		key = append(key, '=')
	}
	if n.Value == math.Trunc(n.Value) && !strings.ContainsAny(v.Text, ".eE") {
		key = append(key, '.')
	}
	return append(key, n.Unit...)
}
