package bench

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/bytedance/sonic"
	jsonv2 "github.com/go-json-experiment/json"
	"github.com/go-json-experiment/json/jsontext"
	"github.com/tidwall/gjson"

	"molt/ecosystem"
	"molt/ecosystem/js"
	"molt/registry"
)

// document returns a registry document: that of a file named by MOLT_BENCH_DOCUMENT, else one that
// is made up, of about 20 MB.
func document(b *testing.B) []byte {
	if file := os.Getenv("MOLT_BENCH_DOCUMENT"); file != "" {
		data, err := os.ReadFile(file)
		if err != nil {
			b.Fatal(err)
		}
		return data
	}
	var text strings.Builder
	text.WriteString(`{"name":"keel","dist-tags":{"latest":"9.99.0"},"versions":{`)
	for v := range 7600 {
		if v > 0 {
			text.WriteString(",")
		}
		fmt.Fprintf(&text, `"%d.%d.0":{"name":"keel","version":"%[1]d.%[2]d.0","description":"Holds it \"all\" together","dependencies":{`, v/100, v%100)
		for k := range 20 {
			fmt.Fprintf(&text, `"rope-%d":"^1.%d.0",`, k, v/40)
		}
		text.WriteString(`"mast":"1"},"devDependencies":{`)
		for k := range 80 {
			fmt.Fprintf(&text, `"lamp-%d":"~%d.%d.0",`, k, k, v/7)
		}
		fmt.Fprintf(&text, `"wind":"*"},"scripts":{"build":"make && make test","test":"run --all"},"dist":{"integrity":"sha512-%s%d","tarball":"http://x/keel/-/keel-%d.tgz","signatures":[{"keyid":"x","sig":"%s"}]}}`,
			strings.Repeat("x", 80), v, v, strings.Repeat("y", 96))
	}
	text.WriteString(`},"readme":"`)
	text.WriteString(strings.Repeat(`# Keel\n\nIt \"holds\".\n`, 1000))
	text.WriteString(`"}`)
	return []byte(text.String())
}

// wanted is what of a document is read.
type wanted struct {
	Name     string            `json:"name"`
	Time     map[string]string `json:"time"`
	Tags     map[string]string `json:"dist-tags"`
	Versions map[string]struct {
		Needs      map[string]string `json:"dependencies"`
		Optional   map[string]string `json:"optionalDependencies"`
		Peers      map[string]string `json:"peerDependencies"`
		Engines    any               `json:"engines"`
		Deprecated any               `json:"deprecated"`
		Dist       struct {
			Tarball   string `json:"tarball"`
			Integrity string `json:"integrity"`
			Shasum    string `json:"shasum"`
		} `json:"dist"`
	} `json:"versions"`
}

// BenchmarkReaders reads a large registry document with general readers of JSON: into values
// ("struct"), or through all of it and no more.
func BenchmarkReaders(b *testing.B) {
	data := document(b)
	loose := []jsontext.Options{jsontext.AllowDuplicateNames(true), jsontext.AllowInvalidUTF8(true)}
	must := func(b *testing.B, err error) {
		if err != nil && err != io.EOF {
			b.Fatal(err)
		}
	}
	dir := b.TempDir()
	if err := os.WriteFile(filepath.Join(dir, gjson.GetBytes(data, "name").String()+".json"), data, 0o600); err != nil {
		b.Fatal(err)
	}
	for _, reader := range []struct {
		name string
		read func(b *testing.B)
	}{
		{"molt, from a folder", func(b *testing.B) {
			client, err := registry.New(registry.Options{Base: "file://" + filepath.ToSlash(dir)})
			must(b, err)
			defer client.Close()
			source := js.JS{}.Open(context.Background(), registry.Only(client), ecosystem.Detail{})
			defer source.Close()
			p, err := source.Package(context.Background(), gjson.GetBytes(data, "name").String())
			must(b, err)
			if p.Len() == 0 {
				b.Fatal("nothing was read")
			}
		}},
		{"jsontext, tokens of a stream", func(b *testing.B) {
			tokens := jsontext.NewDecoder(bytes.NewReader(data), loose...)
			var err error
			for err == nil {
				_, err = tokens.ReadToken()
			}
			must(b, err)
		}},
		{"jsontext, struct", func(b *testing.B) {
			var x wanted
			must(b, jsonv2.UnmarshalRead(bytes.NewReader(data), &x, loose...))
		}},
		{"sonic, struct in memory", func(b *testing.B) {
			var x wanted
			must(b, sonic.Unmarshal(data, &x))
		}},
		{"sonic, struct of a stream", func(b *testing.B) {
			var x wanted
			must(b, sonic.ConfigDefault.NewDecoder(bytes.NewReader(data)).Decode(&x))
		}},
		{"gjson, valid and through all releases, in memory", func(b *testing.B) {
			if !gjson.ValidBytes(data) {
				b.Fatal("this is not JSON")
			}
			gjson.GetBytes(data, "versions").ForEach(func(_, release gjson.Result) bool {
				release.ForEach(func(_, _ gjson.Result) bool { return true })
				return true
			})
		}},
		{"standard library, tokens of a stream", func(b *testing.B) {
			tokens := json.NewDecoder(bytes.NewReader(data))
			var err error
			for err == nil {
				_, err = tokens.Token()
			}
			must(b, err)
		}},
		{"standard library, struct", func(b *testing.B) {
			var x wanted
			must(b, json.Unmarshal(data, &x))
		}},
	} {
		b.Run(reader.name, func(b *testing.B) {
			b.SetBytes(int64(len(data)))
			b.ReportAllocs()
			for b.Loop() {
				reader.read(b)
			}
		})
	}
}
