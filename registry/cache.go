package registry

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"time"

	"molt/input"
)

// A cache keeps answers on disk, by RFC 9111: an answer is used without asking as long as its max-age says, and
// afterwards asked for again with its validators. Answers without a validator and without a max-age are kept for
// --offline alone. Anything that goes wrong with the disk only makes Molt slower. A nil cache holds nothing.
type cache struct{ dir string }

// An entry is one stored answer: the SHA-256 of all that follows, a line of JSON, then the body. What does not have that
// checksum is no entry, whatever happened to it.
type entry struct {
	URL      string    `json:"url"`
	Accept   string    `json:"accept"`
	Stored   time.Time `json:"-"`      // the time of the file
	MaxAge   int       `json:"maxAge"` // seconds
	ETag     string    `json:"etag,omitempty"`
	Modified string    `json:"modified,omitempty"`
	Missing  bool      `json:"missing,omitempty"`
	body     []byte
}

// cacheFormat changes when Molt begins to read more of a document than it kept before.
const cacheFormat = "5"

func (c *cache) file(address, accept string) string {
	sum := sha256.Sum256([]byte(cacheFormat + "\n" + accept + "\n" + address))
	name := hex.EncodeToString(sum[:16])
	return filepath.Join(c.dir, name[:2], name)
}

func (c *cache) load(address, accept string) *entry {
	if c == nil {
		return nil
	}
	file := c.file(address, accept)
	info, err := os.Stat(file)
	if err != nil {
		return nil
	}
	data, err := input.ReadFile(file, input.State)
	if err != nil {
		return nil
	}
	sum, rest, ok := bytes.Cut(data, []byte{'\n'})
	if !ok || string(sum) != checksum(rest) {
		return nil
	}
	head, body, ok := bytes.Cut(rest, []byte{'\n'})
	e := &entry{body: body}
	if !ok || json.Unmarshal(head, e) != nil || e.URL != address || e.Accept != accept {
		return nil
	}
	e.Stored = info.ModTime()
	return e
}

func checksum(data []byte) string {
	sum := sha256.Sum256(data)
	return hex.EncodeToString(sum[:])
}

func (e *entry) fresh() bool {
	age := time.Since(e.Stored)
	return age >= 0 && age < time.Duration(e.MaxAge)*time.Second
}

func (e *entry) answer() ([]byte, error) {
	if e.Missing {
		return nil, &NotFoundError{e.URL}
	}
	return e.body, nil
}

func (e *entry) condition(h http.Header) {
	if e.ETag != "" {
		h.Set("If-None-Match", e.ETag)
	}
	if e.Modified != "" {
		h.Set("If-Modified-Since", e.Modified)
	}
}

// store writes an answer beside its place and moves it there, so that a reader never meets half of one.
func (c *cache) store(address, accept string, response *http.Response, body []byte) {
	directives := strings.ToLower(response.Header.Get("Cache-Control"))
	if c == nil || strings.Contains(directives, "no-store") {
		return
	}
	c.write(&entry{URL: address, Accept: accept, Stored: time.Now(), MaxAge: maxAge(directives),
		ETag: response.Header.Get("ETag"), Modified: response.Header.Get("Last-Modified"),
		Missing: response.StatusCode == http.StatusNotFound, body: body})
}

// renew notes that an answer is still the right one.
func (c *cache) renew(e *entry, h http.Header) {
	now := time.Now()
	if age := maxAge(strings.ToLower(h.Get("Cache-Control"))); age != e.MaxAge {
		e.Stored, e.MaxAge = now, age
		c.write(e)
		return
	}
	_ = os.Chtimes(c.file(e.URL, e.Accept), now, now) // the time of the file is that of the answer
}

func (c *cache) write(e *entry) {
	file := c.file(e.URL, e.Accept)
	head, err := json.Marshal(e)
	if err != nil || os.MkdirAll(filepath.Dir(file), 0o700) != nil {
		return
	}
	temp, err := os.CreateTemp(filepath.Dir(file), "part-*")
	if err != nil {
		return
	}
	rest := append(append(head, '\n'), e.body...)
	_, err = temp.WriteString(checksum(rest) + "\n")
	if err == nil {
		_, err = temp.Write(rest)
	}
	if closed := temp.Close(); err != nil || closed != nil || os.Rename(temp.Name(), file) != nil {
		os.Remove(temp.Name())
	}
}

func maxAge(directives string) int {
	if strings.Contains(directives, "no-cache") {
		return 0
	}
	for part := range strings.SplitSeq(directives, ",") {
		if value, ok := strings.CutPrefix(strings.TrimSpace(part), "max-age="); ok {
			n, err := strconv.Atoi(value)
			if err == nil && n > 0 {
				return n
			}
		}
	}
	return 0
}
