package planfile

import (
	"bytes"

	"molt/app/yamlfile"
)

// Where an application has several ecosystems, the file is a stream of YAML documents, one for each, which says so under "ecosystem". A document without
// that key is that of the whole application.

// mark begins a document.
const mark = "---"

// parts cuts a stream into its documents, without their marks: the offsets of each.
func parts(data []byte) (all [][2]int) {
	from, at := 0, 0
	for line := range bytes.Lines(data) {
		if string(bytes.TrimRight(line, " \t\r\n")) == mark {
			if at > from {
				all = append(all, [2]int{from, at})
			}
			from = at + len(line)
		}
		at += len(line)
	}
	if at > from {
		all = append(all, [2]int{from, at})
	}
	return all
}

// ecosystemOf reads which ecosystem a document is about.
func ecosystemOf(part []byte) string {
	if at := bytes.Index(part, []byte("\nstages:")); at >= 0 {
		part = part[:at+1]
	}
	var head struct {
		Ecosystem string `yaml:"ecosystem"`
	}
	if yamlfile.Read(File, part, &head) != nil {
		return ""
	}
	return head.Ecosystem
}

// Document returns the document of an ecosystem, nil where there is none, with empty lines before it in place of what stands there, so that positions
// are those of the file.
func Document(data []byte, ecosystem string) []byte {
	for _, p := range parts(data) {
		if ecosystemOf(data[p[0]:p[1]]) == ecosystem {
			return append(bytes.Repeat([]byte("\n"), bytes.Count(data[:p[0]], []byte("\n"))), data[p[0]:p[1]]...)
		}
	}
	return nil
}

// WithDocument returns the stream with another document for an ecosystem, which comes last where there was none. A plan that names no
// ecosystem goes: it is of a time when there was one.
func WithDocument(data []byte, ecosystem string, part []byte) []byte {
	part = bytes.TrimLeft(part, "\n")
	var out [][]byte
	found := false
	for _, p := range parts(data) {
		old := data[p[0]:p[1]]
		switch ecosystemOf(old) {
		case ecosystem:
			out, found = append(out, part), true
		case "":
			if !bytes.Contains(old, []byte("molt-plan:")) { // words of people
				out = append(out, old)
			}
		default:
			out = append(out, old)
		}
	}
	if !found {
		out = append(out, part)
	}
	return bytes.Join(out, []byte(mark+"\n"))
}
