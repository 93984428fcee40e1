package app

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"strings"
	"testing"
)

// packed makes an archive of files.
func packed(t *testing.T, files ...[2]string) []byte {
	t.Helper()
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	w := tar.NewWriter(z)
	for _, f := range files {
		if err := w.WriteHeader(&tar.Header{Name: f[0], Mode: 0o644, Size: int64(len(f[1])), Typeflag: tar.TypeReg}); err != nil {
			t.Fatal(err)
		}
		if _, err := w.Write([]byte(f[1])); err != nil {
			t.Fatal(err)
		}
	}
	if err := w.Close(); err != nil {
		t.Fatal(err)
	}
	if err := z.Close(); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func TestReadLog(t *testing.T) {
	for _, test := range []struct {
		name  string
		files [][2]string
		want  string
	}{
		{"none", [][2]string{{"package/readme.md", "x"}}, ""},
		{"the usual name comes first", [][2]string{{"package/HISTORY.md", "history"}, {"package/CHANGELOG.md", "log"}, {"package/news.txt", "news"}}, "log"},
		{"other names", [][2]string{{"package/Release-Notes.markdown", "notes"}}, "notes"},
		{"only beside the manifest", [][2]string{{"package/lib/deep/CHANGELOG.md", "deep"}}, ""},
		{"a folder of another name", [][2]string{{"keel-1.0.0/changes", "log"}}, "log"},
		{"what a terminal would obey", [][2]string{{"package/CHANGELOG.md", "a\x1b]0;title\x07b\xff\r\n"}}, "a]0;titleb\n"},
	} {
		got, err := readLog(packed(t, test.files...))
		if err != nil || got != test.want {
			t.Errorf("%s: read %q, %v; want %q", test.name, got, err, test.want)
		}
	}
	if _, err := readLog(packed(t, [2]string{"package/CHANGELOG.md", strings.Repeat("x", longestLog+1)})); err == nil || !strings.Contains(err.Error(), "longer than 20 MB") {
		t.Errorf("a huge log gives %v", err)
	}
	for _, data := range [][]byte{nil, []byte("no archive"), packed(t, [2]string{"package/CHANGELOG.md", "x"})[:40]} {
		if _, err := readLog(data); err == nil {
			t.Errorf("%q is read as an archive", data)
		}
	}
}

func TestMatches(t *testing.T) {
	data := []byte("a plank")
	big, middle, small := sha512.Sum512(data), sha256.Sum256(data), sha1.Sum(data)
	encode := base64.StdEncoding.EncodeToString
	for _, test := range []struct {
		integrity string
		want      bool
	}{
		{"", true},
		{"sha512-" + encode(big[:]), true},
		{"sha512-" + encode(big[:]) + "?note", true},
		{"sha256-" + encode(middle[:]), true},
		{"sha1-" + encode(small[:]), true},
		{"md9-xxxx", true},
		{"md9-xxxx sha256-" + encode(big[:]), false},
		{"sha512-" + encode(middle[:]), false},
		{"sha1-", false},
	} {
		if got := matches(data, test.integrity); got != test.want {
			t.Errorf("%s matches: %v", test.integrity, got)
		}
	}
}

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
