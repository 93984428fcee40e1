package js

import (
	"fmt"
	"testing"
	"testing/fstest"
)

// Every import has the line on which it stands, whatever comments and strings say before it.
func TestLinesOfImports(t *testing.T) {
	text := `// import keel from "keel"
/* require("mast")
*/
const say = "not from 'keel'", r = /["']keel["']/, half = a / b
import keel from "keel"
import mast from 'mast'
const again = require("keel")
export * from "@quay/rope/deep"
`
	found, err := JS{}.Imports(fstest.MapFS{"a.js": {Data: []byte(text)}})
	if err != nil {
		t.Fatal(err)
	}
	got := ""
	for _, i := range found {
		got += fmt.Sprintf("%s:%d ", i.Package, i.Line)
	}
	if got != "keel:5 mast:6 keel:7 @quay/rope:8 " {
		t.Errorf("imports are %s", got)
	}
}

func FuzzQuoted(f *testing.F) {
	f.Add("import a from 'b' // \"c\"\n/x['\"]/.test(`d`)")
	f.Fuzz(func(t *testing.T, text string) {
		last := 1
		for _, c := range text {
			if c == '\n' {
				last++
			}
		}
		for specifier, lines := range quoted(text) {
			for _, line := range lines {
				if line < 1 || line > last {
					t.Errorf("%q stands on line %d of %d", specifier, line, last)
				}
			}
		}
	})
}
