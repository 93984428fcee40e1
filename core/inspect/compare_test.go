package inspect

import (
	"fmt"
	"strings"
	"testing"

	"molt/ecosystem/js/ranges"
)

func TestCompare(t *testing.T) {
	state := func(text string) State {
		s := State{Packages: map[string][]string{}}
		for _, word := range strings.Fields(text) {
			name, versions, _ := strings.Cut(word, "=")
			if declared, ok := strings.CutPrefix(name, "!"); ok {
				name = declared
				s.Declared = append(s.Declared, name)
			}
			s.Packages[name] = strings.Split(versions, ",")
		}
		return s
	}
	before := state("!hulk=1.0.0 keel=1.0.0 deck=1.1.0 mast=2.0.0 jib=1.0.0-rc.1 boom=3.1.0 gone=1.0.0 odd=1.0.0 " +
		"same=1.0.0 many=2.0.0,1.0.0 copy=1.0.0")
	after := state("!hulk=1.0.1 keel=2.0.0 deck=1.2.0 mast=1.9.0 jib=1.0.0-rc.2 !boom=3.1.1 come=1.0.0 odd=trunk " +
		"same=1.0.0 many=1.0.0,3.0.0 copy=1.0.0,1.4.0")
	want := []string{"!boom patch [3.1.0] [3.1.1]", "!hulk patch [1.0.0] [1.0.1]",
		"keel major [1.0.0] [2.0.0]", "many major [2.0.0] [3.0.0]", "deck minor [1.1.0] [1.2.0]",
		"jib prerelease [1.0.0-rc.1] [1.0.0-rc.2]",
		"mast back [2.0.0] [1.9.0]", "come added [] [1.0.0]", "copy added [] [1.4.0]", "gone removed [1.0.0] []",
		"odd cannot tell [1.0.0] [trunk]"}
	var got []string
	for _, d := range Compare(ranges.Scheme, before, after) {
		mark := ""
		if d.Declared {
			mark = "!"
		}
		got = append(got, fmt.Sprintf("%s%s %s %v %v", mark, d.Name, d.Kind, d.From, d.To))
	}
	if strings.Join(got, "\n") != strings.Join(want, "\n") {
		t.Errorf("differences are\n%s\nwant\n%s", strings.Join(got, "\n"), strings.Join(want, "\n"))
	}
	if all := Compare(ranges.Scheme, before, before); len(all) > 0 {
		t.Errorf("a state differs from itself: %v", all)
	}
}
