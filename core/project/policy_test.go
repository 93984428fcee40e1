package project

import "testing"

func TestLicences(t *testing.T) {
	for expression, want := range map[string]bool{
		"MIT": true, "mit": true, "GPL-3.0-only": false, "(MIT OR ISC) AND Zlib": false, "MIT AND MIT": true,
		"ISC OR (Zlib AND MIT)": false, "ISC OR (MIT AND MIT)": true, "MIT WITH LLVM-exception": true,
		"LicenseRef-Harbour OR MIT": true, "": false, "MIT MIT": false, "(MIT": false} {
		if got := (Policy{AllowLicences: []string{"MIT"}}).licensed(expression); got != want {
			t.Errorf("%q is licensed: %v", expression, got)
		}
	}
	for expression, want := range map[string]bool{
		"MIT": true, "GPL-3.0-only": false, "GPL-3.0-only OR MIT": true, "GPL-3.0-only AND MIT": false,
		"Apache-2.0 WITH LLVM-exception": true,
		"Harbour Licence 2":              true, "GPL-3.0-only WITH Classpath-exception-2.0": false,
	} {
		if got := (Policy{RefuseLicences: []string{"GPL-3.0-only"}}).licensed(expression); got != want {
			t.Errorf("%q is licensed where GPL-3.0-only is refused: %v", expression, got)
		}
	}
}
