package registry

import (
	"bytes"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"molt/input"
)

// A cache keeps answers on disk, by RFC 9111: an answer is used without asking as long as the registry says, and where it says nothing
// for a time that Options give; afterwards it is asked for again with its validators. Anything that goes wrong with the disk only
// makes Molt slower. A nil cache holds nothing.
type cache struct{ dir string }

// An entry is one stored answer: the SHA-256 of all that follows, a line of JSON, then the body. What does not have that
// checksum is no entry, whatever happened to it.
type entry struct {
	URL      string    `json:"url"`
	Accept   string    `json:"accept"`
	Stored   time.Time `json:"-"`                // the time of the file
	MaxAge   int       `json:"maxAge"`           // seconds for which it counts
	Silent   bool      `json:"silent,omitempty"` // the registry does not say for how long
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

// freshFor reports whether an answer still counts. Where the registry does not say for how long, it does for the time unsaid.
func (e *entry) freshFor(unsaid time.Duration) bool {
	life := time.Duration(e.MaxAge) * time.Second
	if e.Silent {
		life = unsaid
	}
	age := time.Since(e.Stored)
	return age >= 0 && age < life
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
	if c == nil || slices.ContainsFunc(directives(response.Header), func(d directive) bool { return d.name == "no-store" }) {
		return
	}
	e := &entry{URL: address, Accept: accept, ETag: response.Header.Get("ETag"), Modified: response.Header.Get("Last-Modified"),
		Missing: response.StatusCode == http.StatusNotFound, body: body}
	e.MaxAge, e.Silent = lifetime(response.Header)
	c.write(e)
}

// renew notes that an answer is still the right one. How long it counts stays as it was unless the server says it anew
// (RFC 9111, section 4.3.4).
func (c *cache) renew(e *entry, h http.Header) {
	if life, silent := lifetime(h); !silent && (life != e.MaxAge || e.Silent) {
		e.MaxAge, e.Silent = life, silent
		c.write(e)
		return
	}
	now := time.Now()
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
	now := time.Now()
	if closed := temp.Close(); err != nil || closed != nil || os.Chtimes(temp.Name(), now, now) != nil || os.Rename(temp.Name(), file) != nil {
		os.Remove(temp.Name())
	}
}

// A directive is a part of Cache-Control, such as max-age=300.
type directive struct{ name, value string }

func directives(h http.Header) []directive {
	var all []directive
	for part := range strings.SplitSeq(strings.Join(h.Values("Cache-Control"), ","), ",") {
		name, value, _ := strings.Cut(strings.TrimSpace(part), "=")
		all = append(all, directive{strings.ToLower(name), strings.Trim(value, `"`)})
	}
	return all
}

// lifetime reads for how many seconds an answer counts from now on (RFC 9111, section 4.2), and whether the server is silent about it.
// What cannot be read counts as no time at all.
func lifetime(h http.Header) (seconds int, silent bool) {
	age, _ := strconv.Atoi(h.Get("Age"))
	life := func(seconds int) int { return min(max(seconds-max(age, 0), 0), 1<<30) }
	seconds, silent = 0, true
	for _, d := range directives(h) {
		switch d.name {
		case "no-cache":
			return 0, false
		case "max-age":
			n, _ := strconv.Atoi(d.value)
			seconds, silent = life(n), false
		}
	}
	if text := h.Get("Expires"); text != "" && silent {
		until, err := http.ParseTime(text)
		from, undated := http.ParseTime(h.Get("Date"))
		if err != nil || undated != nil {
			return 0, false
		}
		return life(int(until.Sub(from) / time.Second)), false
	}
	return seconds, silent
}
