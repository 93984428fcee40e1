package archive

import (
	"bytes"
	"context"
	"fmt"
	"io"
	"path"
	"regexp"
	"strings"

	"molt/input"
)

// logNames match the files in which packages keep their change log, the preferred ones first.
var logNames = []*regexp.Regexp{
	regexp.MustCompile(`(?i)^changelog(\.(md|markdown|txt))?$`),
	regexp.MustCompile(`(?i)^(changes|history|news)(\.(md|markdown|txt))?$`),
	regexp.MustCompile(`(?i)^release[-_]?notes(\.(md|markdown|txt))?$`),
}

// ReadLog finds the change log in an archive: a text next to the manifest, made harmless; "" when
// the archive holds none. Errors are those of Read.
func ReadLog(ctx context.Context, name string, data []byte) (string, error) {
	best, text := len(logNames), ""
	err := Read(ctx, name, bytes.NewReader(data), int64(len(data)), func(h Header, body io.Reader) error {
		if !h.Mode.IsRegular() || strings.Count(h.Name, "/") > 1 {
			return nil
		}
		for rank, pattern := range logNames[:best] {
			if !pattern.MatchString(path.Base(h.Name)) {
				continue
			}
			if h.Size > input.Log.Bytes {
				return input.Log.Exceeded(h.Name)
			}
			body, err := input.Read(body, h.Name, input.Log)
			if err != nil {
				return fmt.Errorf("reading the archive: %w", err)
			}
			best, text = rank, string(body)
			return nil
		}
		return nil
	})
	return input.Harmless(strings.ToValidUTF8(text, "")), err
}
