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

// This file caches which values are valid, by shape: most values of a site only
// differ in numbers and colours, which are irrelevant for most definitions.

// verdicts say whether the values of a shape are valid, by the shape after the
// name of a definition. It is safe for concurrent use.
type verdicts struct {
	mu    sync.RWMutex
	valid map[string]bool
}

// maxVerdicts limits the number of cached shapes, and maxShape the length of
// one.
const (
	maxVerdicts = 1 << 15
	maxShape    = 256
)

// of returns whether the values of a shape are valid, if that is known.
func (v *verdicts) of(shape []byte) (valid, known bool) {
	v.mu.RLock()
	defer v.mu.RUnlock()
	valid, known = v.valid[string(shape)]
	return valid, known
}

// add records whether the values of a shape are valid.
func (v *verdicts) add(shape []byte, valid bool) {
	if len(shape) > maxShape {
		return
	}
	v.mu.Lock()
	defer v.mu.Unlock()
	if v.valid == nil || len(v.valid) >= maxVerdicts {
		v.valid = make(map[string]bool)
	}
	v.valid[string(shape)] = valid
}

// limits are the ends of all number ranges in definitions, in increasing order.
var limits = []float64{-1, 0, 1, 2, 4, 100, 1000}

// appendShape appends the shape of values: everything that a definition may
// depend on. That is all of names, functions and delimiters; of a number its
// unit, whether it is an integer, and its position among the limits; of
// anything else its kind.
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

// appendNumber appends the shape of a number.
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
