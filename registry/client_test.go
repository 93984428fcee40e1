package registry

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"sync/atomic"
	"testing"
	"time"
)

// A counter serves one document and counts how it was asked.
type counter struct {
	full, unchanged atomic.Int64
	header          http.Header
}

func (c *counter) ServeHTTP(w http.ResponseWriter, r *http.Request) {
	for k, v := range c.header {
		w.Header()[k] = v
	}
	if tag := c.header.Get("Etag"); tag != "" && r.Header.Get("If-None-Match") == tag {
		c.unchanged.Add(1)
		w.WriteHeader(http.StatusNotModified)
		return
	}
	c.full.Add(1)
	fmt.Fprint(w, "{}")
}

func TestCacheFollowsHTTP(t *testing.T) {
	tests := []struct {
		name            string
		header          http.Header
		full, unchanged int64
	}{
		{"nothing said", http.Header{}, 1, 0},
		{"nothing but a validator", http.Header{"Etag": {`"a"`}}, 1, 0},
		{"an end that is no date", http.Header{"Expires": {"0"}}, 3, 0},
		{"an end", http.Header{"Date": {"Sat, 01 Aug 2026 10:00:00 GMT"}, "Expires": {"Sat, 01 Aug 2026 10:05:00 GMT"}},
			1, 0},
		{"an end, and a life that has it over",
			http.Header{"Expires": {"Sat, 01 Aug 2026 10:05:00 GMT"}, "Cache-Control": {"max-age=0"}}, 3, 0},
		{"a life that another cache has used up", http.Header{"Age": {"300"}, "Cache-Control": {"max-age=300"}}, 3, 0},
		{"a life that cannot be read", http.Header{"Cache-Control": {"max-age=soon"}}, 3, 0},
		{"a validator, and no life", http.Header{"Etag": {`"a"`}, "Cache-Control": {"max-age=0"}}, 1, 2},
		{"a time to live", http.Header{"Cache-Control": {"public, max-age=300"}}, 1, 0},
		{"a time to live, but not without asking", http.Header{"Cache-Control": {"no-cache, max-age=300"}, "Etag": {`"a"`}},
			1, 2},
		{"not to be stored", http.Header{"Cache-Control": {"no-store"}, "Etag": {`"a"`}}, 3, 0},
	}
	for _, test := range tests {
		t.Run(test.name, func(t *testing.T) {
			c := &counter{header: test.header}
			server := httptest.NewServer(c)
			defer server.Close()
			dir := t.TempDir()
			for range 3 {
				get(t, Options{Base: server.URL, Cache: dir, Unsaid: time.Minute}, "keel", nil)
			}
			if c.full.Load() != test.full || c.unchanged.Load() != test.unchanged {
				t.Errorf("%d whole answers and %d unchanged ones, want %d and %d", c.full.Load(), c.unchanged.Load(), test.full,
					test.unchanged)
			}
		})
	}
}

// What an answer says about how long it counts holds on when a later one, that nothing changed,
// does not repeat it (RFC 9111, section 4.3.4).
func TestUnchangedSaysNothingNew(t *testing.T) {
	for says, want := range map[string]int{"no-cache": 4, "max-age=300": 1} {
		asked := 0
		server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
			if asked++; r.Header.Get("If-None-Match") != "" {
				w.WriteHeader(http.StatusNotModified)
				return
			}
			w.Header().Set("Etag", `"a"`)
			w.Header().Set("Cache-Control", says)
			fmt.Fprint(w, "{}")
		}))
		defer server.Close()
		o := Options{Base: server.URL, Cache: t.TempDir(), Unsaid: time.Minute}
		for range 4 {
			get(t, o, "keel", nil)
		}
		if asked != want {
			t.Errorf("%s: asked %d times, want %d", says, asked, want)
		}
		before := asked
		o.Since, o.Unsaid = time.Now(), 0
		get(t, o, "keel", nil)
		o.Since = time.Time{}
		get(t, o, "keel", nil)
		if again := asked - before; again != min(want, 2) {
			t.Errorf("%s: asked %d times more, once of them anew", says, again)
		}
	}
}

// What the registry says nothing about counts as long as the options say, and nothing counts that
// is to be asked for anew.
func TestAskedAnew(t *testing.T) {
	for _, header := range []http.Header{{}, {"Cache-Control": {"max-age=300"}}, {"Etag": {`"a"`}}} {
		c := &counter{header: header}
		server := httptest.NewServer(c)
		defer server.Close()
		o := Options{Base: server.URL, Cache: t.TempDir(), Unsaid: time.Minute}
		asked := func() int64 { return c.full.Load() + c.unchanged.Load() }
		get(t, o, "keel", nil)
		get(t, o, "keel", nil)
		if asked() != 1 {
			t.Errorf("%v: asked %d times, want once", header, asked())
		}
		o.Since = time.Now()
		get(t, o, "keel", nil)
		get(t, o, "keel", nil) // which was answered since
		if asked() != 2 {
			t.Errorf("%v: asked %d times, want twice", header, asked())
		}
		o.Since, o.Unsaid = time.Time{}, 0
		before := asked()
		get(t, o, "keel", nil)
		if again := asked() - before; again == 1 != (header.Get("Cache-Control") == "") {
			t.Errorf("%v: asked %d times more where nothing counts that does not say it", header, again)
		}
	}
}

func TestOffline(t *testing.T) {
	server := httptest.NewServer(&counter{})
	dir := t.TempDir()
	get(t, Options{Base: server.URL, Cache: dir}, "keel", nil)
	server.Close()
	get(t, Options{Base: server.URL, Cache: dir, Offline: true}, "keel", nil)
	get(t, Options{Base: server.URL, Cache: dir, Offline: true}, "mast", ErrOffline)
}

func TestAnswers(t *testing.T) {
	var tries atomic.Int64
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		switch r.URL.Path {
		case "/missing":
			http.NotFound(w, r)
		case "/forbidden":
			http.Error(w, "no", http.StatusForbidden)
		case "/weak": // fails once
			if tries.Add(1) == 1 {
				w.WriteHeader(http.StatusBadGateway)
			}
		case "/broken":
			w.WriteHeader(http.StatusInternalServerError)
		}
	}))
	defer server.Close()
	var missing *NotFoundError
	var unreachable *UnreachableError
	get(t, Options{Base: server.URL}, "missing", &missing)
	get(t, Options{Base: server.URL}, "forbidden", &unreachable)
	get(t, Options{Base: server.URL}, "weak", nil)
	get(t, Options{Base: server.URL}, "broken", &unreachable)
	server.Close()
	get(t, Options{Base: server.URL}, "keel", &unreachable)
}

func TestTokenStaysWithItsHost(t *testing.T) {
	seen := make(chan string, 2)
	other := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		seen <- r.Header.Get("Authorization")
	}))
	defer other.Close()
	elsewhere, _ := url.Parse(other.URL)
	server := httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		seen <- r.Header.Get("Authorization")
		http.Redirect(w, r, "http://localhost:"+elsewhere.Port()+"/keel", http.StatusFound)
	}))
	defer server.Close()
	get(t, Options{Base: server.URL, Credential: Bearer("secret")}, "keel", nil)
	if first, second := <-seen, <-seen; first != "Bearer secret" || second != "" {
		t.Errorf("the registry got %q, the host it named got %q", first, second)
	}
}

func TestFolder(t *testing.T) {
	dir := t.TempDir()
	for name, text := range map[string]string{"keel.json": "{}", "@quay/rope.json": "{}", "../secret.json": "no"} {
		file := filepath.Join(dir, "registry", name)
		if err := os.MkdirAll(filepath.Dir(file), 0o755); err != nil {
			t.Fatal(err)
		}
		if err := os.WriteFile(file, []byte(text), 0o644); err != nil {
			t.Fatal(err)
		}
	}
	base := "file://" + filepath.ToSlash(filepath.Join(dir, "registry"))
	var missing *NotFoundError
	var unreachable *UnreachableError
	get(t, Options{Base: base}, "keel", nil)
	get(t, Options{Base: base}, "@quay%2frope", nil)
	get(t, Options{Base: base}, "ghost", &missing)
	get(t, Options{Base: base}, "..%2fsecret", &missing)
	get(t, Options{Base: base + "-gone"}, "keel", &unreachable)
}

func TestAddress(t *testing.T) {
	for _, base := range []string{"", "harbour", "ftp://harbour.example", "://"} {
		if _, err := New(Options{Base: base}); err == nil {
			t.Errorf("%q was taken for an address", base)
		}
	}
}

func TestCancelled(t *testing.T) {
	ctx, cancel := context.WithCancel(context.Background())
	server := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		cancel()
		<-r.Context().Done()
	}))
	defer server.Close()
	c, err := New(Options{Base: server.URL})
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	if _, err := c.Fetch(ctx, Request{Path: "keel", Accept: "application/json"}); !errors.Is(err, context.Canceled) {
		t.Errorf("a cancelled request ended with %v", err)
	}
}

// get fetches a path with a client of its own. Want is nil for success, an error for errors.Is, or a pointer for
// errors.As.
func get(t *testing.T, o Options, path string, want any) {
	t.Helper()
	c, err := New(o)
	if err != nil {
		t.Fatal(err)
	}
	defer c.Close()
	_, err = c.Fetch(context.Background(), Request{Path: path, Accept: "application/json"})
	switch want := want.(type) {
	case nil:
		if err != nil {
			t.Errorf("%s: %v", path, err)
		}
	case error:
		if !errors.Is(err, want) {
			t.Errorf("%s: %v, want %v", path, err, want)
		}
	default:
		if err == nil || !errors.As(err, want) {
			t.Errorf("%s: %v, want a %T", path, err, want)
		}
	}
}
