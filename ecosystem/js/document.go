package js

import (
	"fmt"

	"github.com/tidwall/gjson"

	"molt/ecosystem"
	"molt/input"
)

// digestOf reads the registry document of a package into what is kept of it: a twentieth of the long ones of packages with many releases. Whatever is no such
// document, or that of another package, is an error.
func digestOf(name string, body []byte, base string) ([]byte, error) {
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
	p, err := readPackage(name, body, base)
	if err != nil {
		return nil, err
	}
	return ecosystem.EncodeDigest(p), nil
}
