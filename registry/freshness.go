package registry

import (
	"net/http"
	"path/filepath"
	"slices"
	"strconv"
	"strings"
	"time"

	"molt/registry/cache"
)

// An entry is an answer of the cache, by RFC 9111: it is used without asking as long as the
// registry says, and where that says nothing for a time that Options give; afterwards it is asked
// for again with its validators.
type entry struct {
	*cache.Entry
	address string
	name    string // in the cache
}

// cacheFormat changes when Molt begins to read more of a document than it kept before.
const cacheFormat = "8"

// nameOf is the name under which the cache has an answer.
func nameOf(address, accept string) string { return cacheFormat + "\n" + accept + "\n" + address }

// CacheUse adds up the answers in the folder of a cache.
func CacheUse(dir string) cache.Usage {
	c := cache.In(filepath.Join(dir, CacheDir), usualCache)
	defer c.Close()
	return c.Usage()
}

// load returns what the cache has of an address, or nil.
func (c *Client) load(address, accept string) *entry {
	e := c.cache.Get(nameOf(address, accept))
	if e == nil {
		return nil
	}
	return &entry{e, address, nameOf(address, accept)}
}

// fresh reports whether an answer still counts. Where the registry does not say for how long, it
// does for the time unsaid.
func (c *Client) fresh(e *entry) bool {
	life := time.Duration(e.MaxAge) * time.Second
	if e.Silent {
		life = c.unsaid
	}
	age := time.Since(e.Stored)
	return age >= 0 && age < life && !e.Stored.Before(c.since)
}

func (e *entry) answer() (string, error) {
	if e.Missing {
		return "", &NotFoundError{e.address}
	}
	return e.Body, nil
}

func (e *entry) condition(h http.Header) {
	if e.ETag != "" {
		h.Set("If-None-Match", e.ETag)
	}
	if e.Modified != "" {
		h.Set("If-Modified-Since", e.Modified)
	}
}

// store keeps an answer, unless the registry forbids it.
func (c *Client) store(address, accept string, response *http.Response, body string) {
	if slices.ContainsFunc(directives(response.Header), func(d directive) bool { return d.name == "no-store" }) {
		return
	}
	e := cache.Entry{Stored: time.Now(), ETag: response.Header.Get("ETag"), Modified: response.Header.Get("Last-Modified"),
		Missing: response.StatusCode == http.StatusNotFound, Body: body}
	e.MaxAge, e.Silent = lifetime(response.Header)
	c.cache.Put(nameOf(address, accept), e)
}

// renew notes that an answer is still the right one. How long it counts stays as it was unless the server states it
// again (RFC 9111, section 4.3.4).
func (c *Client) renew(e *entry, h http.Header) {
	if life, silent := lifetime(h); !silent {
		e.MaxAge, e.Silent = life, silent
	}
	e.Stored = time.Now()
	c.cache.Confirm(e.name, *e.Entry)
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

// lifetime reads for how many seconds an answer counts from now on (RFC 9111, section 4.2), and
// whether the server is silent about it. What cannot be read counts as no time at all.
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
