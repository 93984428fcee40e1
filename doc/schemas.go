package doc

import (
	"embed"
	"io/fs"
	"strings"
)

//go:embed schemas/*.json
var schemas embed.FS

// Schemas lists the documents that have a JSON Schema, sorted.
func Schemas() []string {
	entries, err := fs.ReadDir(schemas, "schemas")
	if err != nil {
		panic(err) // they are part of the program
	}
	var names []string
	for _, e := range entries {
		names = append(names, strings.TrimSuffix(e.Name(), ".json"))
	}
	return names
}

// Schema returns the JSON Schema of a document, nil where it has none.
func Schema(name string) []byte {
	data, err := schemas.ReadFile("schemas/" + name + ".json")
	if err != nil {
		return nil
	}
	return data
}

// An Error is "molt/error/1": what went wrong, and in which line of a file where it is one of a file.
type Error struct {
	Schema string `json:"schema"`
	Exit   int    `json:"exit"`
	Says   string `json:"says"`
	File   string `json:"file,omitempty"`
	Line   int    `json:"line,omitempty"`
	Column int    `json:"column,omitempty"`
}
