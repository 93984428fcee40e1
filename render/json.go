package render

import (
	"encoding/json"
	"io"
)

// JSON writes a document with an indent of two spaces.
func JSON(w io.Writer, doc any) error {
	enc := json.NewEncoder(w)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	return enc.Encode(doc)
}
