package app

import "testing"

func FuzzReadInventory(f *testing.F) {
	f.Add("keel 1.0.0\n# x\nmast 2.0.0 # y\n")
	f.Add("keel\n")
	f.Fuzz(func(t *testing.T, text string) {
		s, err := readInventory("image.txt", []byte(text))
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

func TestAddHold(t *testing.T) {
	h := Hold{Reason: "not yet", Until: "2027-01-31"}
	const line = "keel: {reason: \"not yet\", until: 2027-01-31}\n"
	for _, test := range []struct{ name, before, after string }{
		{"an empty file", "", "hold:\n  " + line},
		{"no line end", "goal: keel@2", "goal: keel@2\nhold:\n  " + line},
		{"others are held", "hold: # ours\n    # rig\n    mast: {reason: x}\ngoal: a@1\n", "hold: # ours\n    # rig\n    " + line + "    mast: {reason: x}\ngoal: a@1\n"},
		{"an empty map", "hold: {}\ngoal: a@1\n", "hold:\n  " + line[:len(line)-1] + "\ngoal: a@1\n"},
	} {
		got := addHold(test.before, "keel", h)
		if got != test.after {
			t.Errorf("%s: got\n%q\nwant\n%q", test.name, got, test.after)
		}
		c, err := readConfig(ConfigFile, []byte(got))
		if err != nil || c.Hold["keel"] != h {
			t.Errorf("%s: read again it is %v, %v", test.name, c.Hold, err)
		}
	}
	for _, s := range []string{"plain", "@quay/lamp", "yes", "null", "a: b", "# x", `quo"te`, "zwölf"} {
		c, err := readConfig(ConfigFile, []byte(addHold("", s, Hold{Reason: s})))
		if err != nil || c.Hold[s].Reason != s {
			t.Errorf("%q comes back as %v, %v", s, c.Hold, err)
		}
	}
}
