package js

import (
	"fmt"

	"github.com/tidwall/gjson"

	"molt/input"
)

// reduce copies of the registry document of a package the fields that Molt reads: a tenth of the long ones of packages
// with many releases. Whatever is no such document, or that of another package, is an error.
func reduce(name string, body []byte) ([]byte, error) {
	if err := input.JSONDepth("the document of "+name, body); err != nil {
		return nil, err
	}
	if !gjson.ValidBytes(body) {
		return nil, fmt.Errorf("the document of %s is not JSON", name)
	}
	doc := gjson.ParseBytes(body)
	switch stated := doc.Get("name"); {
	case !doc.IsObject():
		return nil, fmt.Errorf("the document of %s is no JSON object", name)
	case !doc.Get("versions").IsObject():
		return nil, fmt.Errorf("the document of %s lists no versions", name)
	case stated.Exists() && stated.String() != name:
		return nil, fmt.Errorf("the document of %s is that of another package, %q", name, stated.String())
	}
	w := &writer{into: make([]byte, 0, len(body)/4)}
	w.object(doc, func(field string, v gjson.Result) {
		switch field {
		case "name", "dist-tags", "time", "description", "homepage", "repository":
			w.field(field, v)
		case "versions":
			if !v.IsObject() {
				w.field(field, v)
				return
			}
			w.key(field)
			w.object(v, func(release string, about gjson.Result) {
				if !about.IsObject() {
					w.field(release, about)
					return
				}
				w.key(release)
				w.object(about, w.release)
			})
		}
	})
	return w.into, nil
}

// A writer writes JSON of parts of other JSON.
type writer struct {
	into  []byte
	first bool
}

// object writes an object of the fields that each writes of another.
func (w *writer) object(of gjson.Result, each func(field string, v gjson.Result)) {
	w.into = append(w.into, '{')
	w.first = true
	of.ForEach(func(field, v gjson.Result) bool {
		each(field.String(), v)
		return true
	})
	w.into = append(w.into, '}')
	w.first = false
}

// key begins a field.
func (w *writer) key(name string) {
	if !w.first {
		w.into = append(w.into, ',')
	}
	w.first = false
	w.into = append(appendQuoted(w.into, name), ':')
}

func (w *writer) field(name string, v gjson.Result) {
	w.key(name)
	w.into = append(w.into, v.Raw...)
}

// release writes a field of an entry of "versions" when it counts.
func (w *writer) release(field string, v gjson.Result) {
	switch {
	case field == "dist" && v.IsObject():
		w.key(field)
		w.object(v, func(part string, v gjson.Result) {
			if part == "tarball" || part == "integrity" || part == "shasum" {
				w.field(part, v)
			}
		})
	case new(releaseDoc).part(field) != nil:
		w.field(field, v)
	}
}

// appendQuoted writes a string as JSON. What is not plain text is written by its number.
func appendQuoted(b []byte, s string) []byte {
	const hex = "0123456789abcdef"
	b = append(b, '"')
	for i := 0; i < len(s); i++ {
		switch c := s[i]; {
		case c == '"' || c == '\\':
			b = append(b, '\\', c)
		case c < 0x20:
			b = append(b, '\\', 'u', '0', '0', hex[c>>4], hex[c&15])
		default:
			b = append(b, c)
		}
	}
	return append(b, '"')
}
