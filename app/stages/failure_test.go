package stages

import "testing"

func TestNames(t *testing.T) {
	for _, test := range []struct {
		text, name string
		want       bool
	}{
		{"Error: Cannot find module 'cookie-jar'", "cookie-jar", true},
		{"at node_modules/cookie-jar/index.js:1", "cookie-jar", true},
		{"at node_modules/@hull/cookie-jar/index.js", "cookie-jar", false},
		{"at node_modules/@hull/cookie-jar/index.js", "@hull/cookie-jar", true},
		{"No module named 'cookie_jar'", "cookie-jar", true},
		{"cookie-jars are full", "cookie-jar", false},
		{"my-cookie-jar", "cookie-jar", false},
		{"an oar", "oar", false}, // a word of any text
		{"", "cookie-jar", false},
	} {
		if got := names(test.text, test.name); got != test.want {
			t.Errorf("%q names %s: %v", test.text, test.name, got)
		}
	}
}
