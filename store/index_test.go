package store

import (
	"bytes"
	"reflect"
	"testing"

	"molt/archive"
)

// An index that is read is the one that was written; one that is not whole is none.
func TestIndex(t *testing.T) {
	x := &index{Release: "keel@1.0.0",
		About: About{Executables: map[string]string{"keel": "bin/keel.js"}, Steps: []string{"install"}}, Files: []File{
			{archive.File{Path: "bin/keel.js", Executable: true, Size: 12, Digest: "ab", Written: 5}},
			{archive.File{Path: "a name with  spaces – and more", Size: 1 << 40, Digest: "cd", Written: -1}},
		}}
	data, err := x.encode()
	if err != nil {
		t.Fatal(err)
	}
	if got := decodeIndex(data); !reflect.DeepEqual(got, x) {
		t.Errorf("got %+v, want %+v", got, x)
	}
	for k := range data {
		if decodeIndex(data[:k]) != nil || decodeIndex(append(bytes.Clone(data[:k]), data[k+1:]...)) != nil {
			t.Fatalf("without byte %d and what follows it is whole", k)
		}
	}
	for _, text := range []string{"", "{}\n", "{}\n-\tx\t1\tab\tp\n", "{}\n-\t1\t1\tab\n", "[]\n", "no\n", "{}"} {
		if decodeIndex([]byte(sumOf([]byte(text))+"\n"+text)) != nil && text != "{}\n" {
			t.Errorf("%q is an index", text)
		}
	}
}
