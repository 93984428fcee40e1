package app

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"crypto/sha1"
	"crypto/sha256"
	"crypto/sha512"
	"encoding/base64"
	"errors"
	"fmt"
	"io"
	"path"
	"regexp"
	"strings"

	"molt/core/universe"
	"molt/input"
)

// A change log longer than this is not looked at.
const longestLog = 20 << 20

// logNames match the files in which packages keep their change log, the preferred ones first.
var logNames = []*regexp.Regexp{
	regexp.MustCompile(`(?i)^changelog(\.(md|markdown|txt))?$`),
	regexp.MustCompile(`(?i)^(changes|history|news)(\.(md|markdown|txt))?$`),
	regexp.MustCompile(`(?i)^release[-_]?notes(\.(md|markdown|txt))?$`),
}

// ChangeLog reads the change log in a release's archive, whose checksum must be right. It is "" when the archive holds
// none, or lies outside the registry.
func (a *App) ChangeLog(ctx context.Context, r *universe.Release) (string, error) {
	if r.Archive == "" || strings.Contains(r.Archive, "://") || a.client == nil || strings.HasPrefix(a.client.Base(), "file:") {
		return "", nil
	}
	data, err := a.client.Get(ctx, r.Archive, "*/*")
	if err != nil {
		return "", err
	}
	if !matches(data, r.Integrity) {
		return "", fmt.Errorf("%s does not match its checksum", r.Archive)
	}
	return readLog(data)
}

// matches checks data against a subresource-integrity string. Without one, or with one of an unknown kind, there is
// nothing to check against.
func matches(data []byte, integrity string) bool {
	for _, one := range strings.Fields(integrity) {
		kind, sum, _ := strings.Cut(one, "-")
		sum, _, _ = strings.Cut(sum, "?")
		var got []byte
		switch kind {
		case "sha512":
			s := sha512.Sum512(data)
			got = s[:]
		case "sha384":
			s := sha512.Sum384(data)
			got = s[:]
		case "sha256":
			s := sha256.Sum256(data)
			got = s[:]
		case "sha1":
			s := sha1.Sum(data)
			got = s[:]
		default:
			continue
		}
		return base64.StdEncoding.EncodeToString(got) == sum
	}
	return true
}

// readLog finds the change log in an archive.
func readLog(data []byte) (string, error) {
	unpacked, err := gzip.NewReader(bytes.NewReader(data))
	if err != nil {
		return "", fmt.Errorf("reading the archive: %w", err)
	}
	best, text := len(logNames), ""
	for archive := tar.NewReader(unpacked); ; {
		h, err := archive.Next()
		if errors.Is(err, io.EOF) {
			return input.Harmless(strings.ToValidUTF8(text, "")), nil
		}
		if err != nil {
			return "", fmt.Errorf("reading the archive: %w", err)
		}
		if h.Typeflag != tar.TypeReg || strings.Count(path.Clean(h.Name), "/") > 1 {
			continue
		}
		for rank, name := range logNames[:best] {
			if !name.MatchString(path.Base(h.Name)) {
				continue
			}
			if h.Size > longestLog {
				return "", fmt.Errorf("its change log is longer than %d MB", longestLog>>20)
			}
			body, err := io.ReadAll(io.LimitReader(archive, longestLog))
			if err != nil {
				return "", fmt.Errorf("reading the archive: %w", err)
			}
			best, text = rank, string(body)
			break
		}
	}
}
