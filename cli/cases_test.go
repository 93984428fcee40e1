package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"
)

// Universes on which Molt once did not end: packages that need each other in many cycles and look
// peers up through them, and a package with two releases between which a plan swung for ever.
func TestCasesThatDidNotEnd(t *testing.T) {
	read := func(name string) string {
		t.Helper()
		data, err := os.ReadFile(filepath.Join("testdata", "cases", name))
		if err != nil {
			t.Fatal(err)
		}
		return string(data)
	}
	for _, name := range []string{"p18s", "p47"} {
		d := newDesk(t, read(name+".universe"), map[string]string{"package.json": read(name + ".package.json")})
		d.run(0, "relock")
		lock := d.read("molt.lock")
		d.run(0, "verify")
		d.run(0, "relock")
		if d.read("molt.lock") != lock {
			t.Errorf("%s: relocked, the lock is another", name)
		}
	}
	d := newDesk(t, read("p32.universe"), map[string]string{"package.json": read("p32.package.json")})
	d.run(0, "relock", "--as-of", "2022-12-31")
	for _, args := range [][]string{{"plan", "hull@2"}, {"plan", "hull@2", "--leap"}} {
		if out, _ := d.run(1, args...); !strings.Contains(out, "hull@2 is out of reach") {
			t.Errorf("molt %v says\n%s", args, out)
		}
	}
}
