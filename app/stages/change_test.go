package stages

import (
	"testing"

	"molt/app/open"
)

func FuzzReadInventory(f *testing.F) {
	f.Add("keel 1.0.0\n# x\nmast 2.0.0 # y\n")
	f.Add("keel\n")
	f.Fuzz(func(t *testing.T, text string) {
		s, err := open.ReadInventory("image.txt", []byte(text))
		if err != nil {
			return
		}
		for name, versions := range s.Packages {
			if name == "" || len(versions) == 0 || versions[0] == "" {
				t.Errorf("%q gives %q %q", text, name, versions)
			}
		}
	})
}
