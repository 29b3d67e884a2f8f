package report

import (
	"encoding/json"
	"reflect"
)

// MarshalJSON writes the figures as JSON. Lists without elements are [].
func (r *Report) MarshalJSON() ([]byte, error) {
	type plain Report // without this method
	figures := plain(*r)
	fill(reflect.ValueOf(&figures).Elem())
	return json.Marshal(struct {
		Version int `json:"version"`
		plain
	}{1, figures})
}

// fill replaces nil slices by empty ones, at every depth.
func fill(v reflect.Value) {
	switch v.Kind() {
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Type().Field(i).IsExported() {
				fill(v.Field(i))
			}
		}
	case reflect.Slice:
		if v.IsNil() {
			v.Set(reflect.MakeSlice(v.Type(), 0, 0))
		}
		for i := range v.Len() {
			fill(v.Index(i))
		}
	}
}
