package js

import (
	"errors"
	"os"
	"strings"
	"testing"

	"molt/ecosystem"
	"molt/input"
)

// awkward is a manifest that nobody would write and every editor must survive: tabs, CRLF, odd order, keys that look
// alike, an escape, and no final newline.
const awkward = "\xef\xbb\xbf{\r\n\t\"devDependencies\" : {\"lintbuoy\":\"~2.1.0\"},\r\n\t\"name\": \"desk\",\r\n" +
	"\t\"config\": {\"dependencies\": {\"keel\": \"^1.0.0\"}},\r\n" +
	"\t\"dependencies\": {\r\n\t\t\"mast\":   \"^3.0.0\" ,\r\n\t\t\"keel\": \"^1.0.0\",\r\n\t\t\"k\\u0065el-two\": " +
	"\"^1.0.0\"\r\n\t},\r\n" +
	"\t\"keel\": \"^1.0.0\"\r\n}"

func TestSetChangesNothingElse(t *testing.T) {
	m := mustRead(t, awkward)
	if err := m.Set(ecosystem.ConstraintPlace{Group: "dependencies", Name: "keel"}, "^1.4.0"); err != nil {
		t.Fatal(err)
	}
	want := strings.Replace(awkward, "\t\t\"keel\": \"^1.0.0\"", "\t\t\"keel\": \"^1.4.0\"", 1)
	if got := string(m.Bytes()); got != want {
		t.Errorf("got  %q\nwant %q", got, want)
	}
	if err := m.Set(ecosystem.ConstraintPlace{Group: "dependencies", Name: "keel-two"}, "2.x"); err != nil {
		t.Fatal(err)
	}
	want = strings.Replace(want, "el-two\": \"^1.0.0\"", "el-two\": \"2.x\"", 1)
	if got := string(m.Bytes()); got != want {
		t.Errorf("got  %q\nwant %q", got, want)
	}
	if err := m.Set(ecosystem.ConstraintPlace{Group: "dependencies", Name: "lintbuoy"}, "1"); err == nil {
		t.Error("an entry of another group was changed")
	}
}

func TestSetKeepsAnAlias(t *testing.T) {
	m := mustRead(t, `{"dependencies": {"old": "`+alias+`@quay/nail@^1.0.0"}}`)
	if e := m.Entries()[0]; e.As != "old" || e.Package != "@quay/nail" || e.Text != "^1.0.0" || e.Foreign {
		t.Errorf("the alias was read as %+v", e)
	}
	if err := m.Set(ecosystem.ConstraintPlace{Group: "dependencies", Name: "old"}, "^1.2.0"); err != nil {
		t.Fatal(err)
	}
	if got, want := string(m.Bytes()), `{"dependencies": {"old": "`+alias+`@quay/nail@^1.2.0"}}`; got != want {
		t.Errorf("got %s, want %s", got, want)
	}
}

func TestRemove(t *testing.T) {
	const three = "{\n  \"dependencies\": {\n    \"a\": \"1\",\n    \"b\": \"2\",\n    \"c\": \"3\"\n  }\n}\n"
	tests := []struct{ name, text, want string }{
		{"a", three, "{\n  \"dependencies\": {\n    \"b\": \"2\",\n    \"c\": \"3\"\n  }\n}\n"},
		{"b", three, "{\n  \"dependencies\": {\n    \"a\": \"1\",\n    \"c\": \"3\"\n  }\n}\n"},
		{"c", three, "{\n  \"dependencies\": {\n    \"a\": \"1\",\n    \"b\": \"2\"\n  }\n}\n"},
		{"a", "{\"dependencies\":{\"a\":\"1\",\"b\":\"2\"}}", "{\"dependencies\":{\"b\":\"2\"}}"},
		{"a", "{\n\t\"dependencies\": {\n\t\t\"a\": \"1\"\n\t}\n}", "{\n\t\"dependencies\": {}\n}"},
	}
	for _, test := range tests {
		m := mustRead(t, test.text)
		if err := m.Remove("dependencies", test.name); err != nil {
			t.Fatal(err)
		}
		if got := string(m.Bytes()); got != test.want {
			t.Errorf("without %s: got %q, want %q", test.name, got, test.want)
		}
	}
}

func TestAdd(t *testing.T) {
	tests := []struct{ name, text, want string }{
		{"b", "{\n  \"dependencies\": {\n    \"a\": \"1\",\n    \"c\": \"3\"\n  }\n}\n",
			"{\n  \"dependencies\": {\n    \"a\": \"1\",\n    \"b\": \"^2.0.0\",\n    \"c\": \"3\"\n  }\n}\n"},
		{"z", "{\r\n\t\"dependencies\": {\r\n\t\t\"a\": \"1\"\r\n\t}\r\n}",
			"{\r\n\t\"dependencies\": {\r\n\t\t\"a\": \"1\",\r\n\t\t\"z\": \"^2.0.0\"\r\n\t}\r\n}"},
		{"a", `{"dependencies":{"b":"1"}}`, `{"dependencies":{"a":"^2.0.0", "b":"1"}}`},
		{"a", "{\n\t\"dependencies\": {},\n\t\"name\": \"x\"\n}\n",
			"{\n\t\"dependencies\": {\n\t\t\"a\": \"^2.0.0\"\n\t},\n\t\"name\": \"x\"\n}\n"},
		{"a", "{\r\n  \"name\": \"x\"\r\n}\r\n",
			"{\r\n  \"name\": \"x\",\r\n  \"dependencies\": {\r\n    \"a\": \"^2.0.0\"\r\n  }\r\n}\r\n"},
		{"a", "{}", "{\n  \"dependencies\": {\n    \"a\": \"^2.0.0\"\n  }\n}"},
	}
	for _, test := range tests {
		m := mustRead(t, test.text)
		if err := m.Add("dependencies", test.name, "^2.0.0"); err != nil {
			t.Fatal(err)
		}
		if got := string(m.Bytes()); got != test.want {
			t.Errorf("with %s: got %q, want %q", test.name, got, test.want)
		}
		if err := m.Add("dependencies", test.name, "1"); err == nil {
			t.Errorf("%s was added twice", test.name)
		}
	}
	if err := mustRead(t, `{"name":"x"}`).Add("dependants", "a", "1"); err == nil {
		t.Error("an entry was added to a group that no manifest has")
	}
}

func TestEntries(t *testing.T) {
	m := mustRead(t, `{
  "name": "desk", "version": "1.2.3",
  "engines": {"node": ">=20", "toolchain": "^9"},
  "peerDependencies": {"hulk": "^3", "flag": "*"},
  "peerDependenciesMeta": {"flag": {"optional": true}},
  "optionalDependencies": {"lamp": "^1.0.0"},
  "dependencies": {
    "range": "^1.0.0 || 2.x", "tag": "next", "path": "file:../path", "linked": "link:../linked", "space": "workspace:*",
    "address": "https://example.invalid/x.tgz", "versioned": "git+ssh://example.invalid/x.git#v1", "short": "someone/thing",
    "folder": "./folder", "any": "", "exact": "v1.2.3"
  }
}`)
	if m.Name() != "desk" || m.Version() != "1.2.3" || len(m.Runtimes()) != 2 || m.Runtimes()[0].Text != ">=20" {
		t.Errorf("name %q, version %q, runtimes %v", m.Name(), m.Version(), m.Runtimes())
	}
	foreign := map[string]bool{"path": true, "linked": true, "space": true, "address": true, "versioned": true,
		"short": true, "folder": true}
	optional := map[string]bool{"lamp": true, "flag": true}
	for _, e := range m.Entries() {
		if e.Foreign != foreign[e.As] || e.Optional != optional[e.As] {
			t.Errorf("%s: foreign %v, optional %v", e.As, e.Foreign, e.Optional)
		}
		if e.As == "linked" && (e.Line != 8 || e.Column != 80) {
			t.Errorf("linked stands at %d:%d", e.Line, e.Column)
		}
	}
	if len(m.Entries()) != 14 {
		t.Errorf("%d entries", len(m.Entries()))
	}
}

func TestManifestErrors(t *testing.T) {
	tests := []struct{ text, place, says string }{
		{"{\n  \"name\": \"x\"\n  \"version\": \"1\"\n}", "3:3", "not JSON"},
		{"", "1:1", "not JSON"},
		{"[]", "1:1", "expected an object"},
		{"{\n  // a remark\n  \"name\": \"x\"\n}", "2:3", "neither comments"},
		{"{\"dependencies\": {\"a\": \"1\",}}", "1:28", "neither comments"},
		{"{\"dependencies\": []}", "1:18", "expected an object of names"},
		{"{\n \"dependencies\": {\n  \"a\": 7\n }\n}", "3:8", "expected a constraint in quotes"},
		{"{\n \"dependencies\": {\n  \"keel\": \"^1.2.3 || ^\"\n }\n}", "3:23", "constraint \"^1.2.3 || ^\", byte 12"},
		{"{\n \"dependencies\": {\n  \"keel\": \"1.2.3.4\"\n }\n}", "3:17", "unexpected \".\""},
		{"{\"dependencies\": {\"a\": \"1\", \"a\": \"2\"}}", "1:29", "declared twice"},
		{"{\"dependencies\": {}, \"dependencies\": {}}", "1:22", "twice"},
		{"{\"dependencies\": {\"\": \"1\"}}", "1:19", "has a name"},
	}
	for _, test := range tests {
		_, err := JS{}.ReadManifest("package.json", []byte(test.text))
		var place *input.PositionError
		if !errors.As(err, &place) || !strings.HasPrefix(err.Error(), "package.json:"+test.place+": ") ||
			!strings.Contains(err.Error(), test.says) {
			t.Errorf("%q: %v, want an error at %s that says %q", test.text, err, test.place, test.says)
		}
	}
}

// The text of the demo's manifest survives edits there and back.
func TestThereAndBack(t *testing.T) {
	data, err := os.ReadFile("../../demo/gannet-desk/package.json")
	if err != nil {
		t.Fatal(err)
	}
	m := mustRead(t, string(data))
	for _, e := range m.Entries() {
		for _, text := range []string{"^99.0.0", e.Written} {
			if err := m.Set(e.At(), text); err != nil {
				t.Fatal(err)
			}
		}
		if e.As != "brackwater" { // the first of its group cannot be told from an added one
			if err := m.Remove(e.Group, e.As); err != nil {
				t.Fatal(err)
			}
			if err := m.Add(e.Group, e.As, e.Written); err != nil {
				t.Fatal(err)
			}
		}
	}
	if string(m.Bytes()) != string(data) {
		t.Errorf("the text came back as\n%s", m.Bytes())
	}
}

func FuzzReadManifest(f *testing.F) {
	f.Add(awkward)
	f.Add(`{"dependencies": {"a": "^1", "b": "file:x"}, "engines": {"node": ">=20"}}`)
	f.Add(`{"peerDependenciesMeta": {"a": {"optional": true}}, "peerDependencies": {"a": "*"}}`)
	f.Add(`{"dependencies": 1}`)
	f.Fuzz(func(t *testing.T, text string) {
		m, err := readManifest("package.json", []byte(text))
		if err != nil {
			var place *input.PositionError
			if beyond := (*input.LimitError)(nil); errors.As(err, &beyond) && strings.Contains(beyond.Name, "package.json:") {
				return
			}
			if !errors.As(err, &place) || place.Line < 1 || place.Column < 1 {
				t.Fatalf("an error without a place: %v", err)
			}
			return
		}
		for _, e := range m.Entries() {
			before := len(m.Entries())
			if err := m.Set(e.At(), "1.2.3"); err != nil {
				t.Fatal(err)
			}
			if err := m.Remove(e.Group, e.As); err != nil {
				t.Fatal(err)
			}
			if len(m.Entries()) != before-1 {
				t.Fatalf("removing %s left %d of %d entries", e.As, len(m.Entries()), before)
			}
		}
	})
}

func mustRead(t *testing.T, text string) *manifest {
	t.Helper()
	m, err := readManifest("package.json", []byte(text))
	if err != nil {
		t.Fatal(err)
	}
	return m
}
