package archive

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"errors"
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

// ReadLog finds the change log in an archive (tar, compressed by gzip): a text beside the manifest, made harmless; "" when
// the archive holds none. Whatever the archive unpacks to, it ends at the limits of package input, and with the context.
func ReadLog(ctx context.Context, name string, data []byte) (string, error) {
	unpacked, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return "", fmt.Errorf("reading the archive: %w", err)
	}
	best, text := len(logNames), ""
	archive := tar.NewReader(&bounded{ctx: ctx, r: unpacked, name: name, left: input.Unpacked.Bytes})
	for entries := 0; ; entries++ {
		h, err := archive.Next()
		switch {
		case errors.Is(err, io.EOF):
			return input.Harmless(strings.ToValidUTF8(text, "")), nil
		case err != nil:
			return "", fmt.Errorf("reading the archive: %w", err)
		case entries == input.ArchiveEntries:
			return "", &input.LimitError{Name: name, Limit: fmt.Sprintf("an archive may have at most %d entries", input.ArchiveEntries)}
		}
		if h.Typeflag != tar.TypeReg || strings.Count(path.Clean(h.Name), "/") > 1 {
			continue
		}
		for rank, pattern := range logNames[:best] {
			if !pattern.MatchString(path.Base(h.Name)) {
				continue
			}
			if h.Size > input.Log.Bytes {
				return "", input.Log.Exceeded(h.Name)
			}
			body, err := input.Read(archive, h.Name, input.Log)
			if err != nil {
				return "", fmt.Errorf("reading the archive: %w", err)
			}
			best, text = rank, string(body)
			break
		}
	}
}

// A bounded reader ends with a context, and beyond a number of bytes.
type bounded struct {
	ctx  context.Context
	r    io.Reader
	name string
	left int64
}

func (b *bounded) Read(p []byte) (int, error) {
	if err := b.ctx.Err(); err != nil {
		return 0, err
	}
	n, err := b.r.Read(p)
	if b.left -= int64(n); b.left < 0 {
		return 0, input.Unpacked.Exceeded(b.name)
	}
	return n, err
}
