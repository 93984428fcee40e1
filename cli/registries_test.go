package cli_test

import (
	"encoding/pem"
	"errors"
	"net/http"
	"net/http/httptest"
	"net/http/httputil"
	"net/url"
	"os/exec"
	"runtime"
	"slices"
	"strings"
	"sync"
	"testing"

	"molt/ecosystem/js"
	"molt/ecosystem/js/ranges"
	"molt/ecosystem/standin"
)

// A gate is a registry that wants a token and notes what it is asked for.
type gate struct {
	*httptest.Server
	mu    sync.Mutex
	asked []string
	keys  []string
}

func newGate(t *testing.T, universe, token string) *gate {
	t.Helper()
	table, err := standin.ReadUniverse("universe", []byte(universe), ranges.Scheme)
	if err != nil {
		t.Fatal(err)
	}
	g := &gate{}
	inner := js.JS{}.StandIn(table)
	g.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		g.mu.Lock()
		g.asked, g.keys = append(g.asked, r.URL.Path), append(g.keys, r.Header.Get("Authorization"))
		g.mu.Unlock()
		if token != "" && r.Header.Get("Authorization") != "Bearer "+token {
			w.WriteHeader(http.StatusUnauthorized)
			return
		}
		inner.ServeHTTP(w, r)
	}))
	t.Cleanup(g.Close)
	return g
}

// Packages of a scope come from the registry that is named for it, with its own token; no other
// registry hears of them, and it hears of no others. Where a registry wants to know who asks, the
// message says which variable or which line of which file is missing.
func TestRegistriesByScope(t *testing.T) {
	open := newGate(t, "package keel\n  1.0.0 2024-01-01 @skerry/rope@^1\npackage @skerry/rope\n  9.0.0 2024-01-01\n", "")
	closed := newGate(t, "package @skerry/rope\n  1.0.0 2024-01-01\npackage keel\n  9.0.0 2024-01-01\n", "hush")
	d := newDesk(t, "\n", map[string]string{"package.json": `{"dependencies": {"keel": "*", "@skerry/rope": "*"}}`,
		"molt.yaml": "registry:\n  default: " + open.URL + "\n  \"@skerry\": " + closed.URL + "\n"})
	netrc := d.dir + "/netrc"
	run := func(want int, env ...string) string {
		t.Helper()
		open.asked, open.keys, closed.asked, closed.keys = nil, nil, nil, nil
		c := d.command("relock")
		c.Env = append(c.Env, "MOLT_REGISTRY_JS=", "MOLT_CACHE="+t.TempDir(), "NETRC="+netrc,
			"MOLT_ALLOW_REGISTRY="+open.URL+" "+closed.URL)
		c.Env = append(c.Env, env...)
		out, err := c.CombinedOutput()
		var exit *exec.ExitError
		if err != nil && !errors.As(err, &exit) || c.ProcessState.ExitCode() != want {
			t.Fatalf("%v\n%s", err, out)
		}
		return strings.Join(strings.Fields(string(out)), " ")
	}
	host := strings.TrimPrefix(closed.URL, "http://")
	for _, missing := range []string{
		"@skerry/rope: ", "answered 401 Unauthorized", "set MOLT_TOKEN_JS_SKERRY to a token for " + closed.URL,
		`add "machine ` + host + ` login NAME password SECRET" to ` + netrc} {
		if out := run(3); !strings.Contains(out, missing) {
			t.Errorf("%q is missing:\n%s", missing, out)
		}
	}
	if out := run(3, "MOLT_TOKEN_JS=hush"); !strings.Contains(out, "set MOLT_TOKEN_JS_SKERRY") ||
		slices.Contains(closed.keys, "Bearer hush") {
		t.Errorf("the token of another registry: %s, %q", out, closed.keys)
	}
	if out := run(3, "MOLT_TOKEN_JS_SKERRY=wrong"); !strings.Contains(
		out, "it does not take the token of MOLT_TOKEN_JS_SKERRY") {
		t.Errorf("a wrong token: %s", out)
	}
	if out := run(3, "MOLT_TOKEN_JS_SKERRY=hush", "MOLT_ALLOW_REGISTRY="+open.URL); !strings.Contains(
		out, "molt.yaml names it, so it gets no credentials until you allow that with --allow-registry") {
		t.Errorf("not allowed: %s", out)
	}
	run(0, "MOLT_TOKEN_JS_SKERRY=hush")
	if slices.ContainsFunc(open.asked, func(path string) bool { return strings.Contains(path, "skerry") }) ||
		slices.Contains(open.keys, "Bearer hush") {
		t.Errorf("the open registry was asked for %q with %q", open.asked, open.keys)
	}
	if slices.ContainsFunc(closed.asked, func(path string) bool { return !strings.Contains(path, "skerry") }) {
		t.Errorf("the closed registry was asked for %q", closed.asked)
	}
	if lock := d.read("molt.lock"); !strings.Contains(lock, "@skerry/rope@1.0.0") ||
		!strings.Contains(lock, "keel@1.0.0") {
		t.Errorf("the lock has\n%s", lock)
	}
	run(0, "MOLT_REGISTRY_JS_SKERRY="+closed.URL, "MOLT_TOKEN_JS_SKERRY=hush", "MOLT_ALLOW_REGISTRY=")
	d.write("molt.yaml", "registry:\n  \"@skerry\": "+closed.URL+"\n")
	if out := run(3, "MOLT_TOKEN_JS_SKERRY=hush"); !strings.Contains(out, "no registry is named for keel") {
		t.Errorf("no registry for keel: %s", out)
	}
	d.write("molt.yaml", "registry:\n  default: "+open.URL+"\n  \"@skerry\": "+closed.URL+"\n  \"skerry*\": "+open.URL+
		"\n")
	if out := run(2, "MOLT_TOKEN_JS_SKERRY=hush"); !strings.Contains(out, "molt.yaml:4:") ||
		!strings.Contains(out, "their variables would be the same") {
		t.Errorf("one token for two registries: %s", out)
	}
	if slices.Contains(open.keys, "Bearer hush") {
		t.Error("the token went to the other registry")
	}
	d.write("molt.yaml", "registry:\n  default: "+open.URL+"\n  \"@skerry\": ftp://x\n")
	if out := run(2); !strings.Contains(out, "molt.yaml:3:14: registry address") {
		t.Errorf("no address of a registry: %s", out)
	}
}

// The platform's settings for proxies are obeyed.
func TestProxy(t *testing.T) {
	registry := newGate(t, "package keel\n  1.0.0 2024-01-01\n", "")
	there, err := url.Parse(registry.URL)
	if err != nil {
		t.Fatal(err)
	}
	var asked []string
	proxy := httptest.NewServer(&httputil.ReverseProxy{Rewrite: func(r *httputil.ProxyRequest) {
		asked = append(asked, r.In.URL.String())
		r.SetURL(there)
	}})
	defer proxy.Close()
	d := newDesk(t, "\n", map[string]string{"package.json": `{"dependencies": {"keel": "*"}}`})
	c := d.command("relock")
	c.Env = append(c.Env, "MOLT_REGISTRY_JS=http://registry.example", "HTTP_PROXY="+proxy.URL, "NO_PROXY=")
	if out, err := c.CombinedOutput(); err != nil || !slices.Contains(asked, "http://registry.example/keel") {
		t.Errorf("%v, the proxy was asked for %q\n%s", err, asked, out)
	}
}

// A registry whose certificate is from an authority of one's own is trusted when the platform's settings say so.
func TestOwnAuthority(t *testing.T) {
	if runtime.GOOS != "linux" {
		t.Skip("other platforms have their authorities elsewhere")
	}
	table, err := standin.ReadUniverse("universe", []byte("package keel\n  1.0.0 2024-01-01\n"), ranges.Scheme)
	if err != nil {
		t.Fatal(err)
	}
	server := httptest.NewTLSServer(js.JS{}.StandIn(table))
	defer server.Close()
	d := newDesk(t, "\n", map[string]string{"package.json": `{"dependencies": {"keel": "*"}}`,
		"authority.pem": string(pem.EncodeToMemory(&pem.Block{Type: "CERTIFICATE", Bytes: server.Certificate().Raw}))})
	d.registry = server.URL
	if _, errout := d.run(3, "relock"); !strings.Contains(errout, "its certificate is not trusted") ||
		!strings.Contains(errout, "SSL_CERT_FILE") {
		t.Errorf("an authority that nobody knows: %s", errout)
	}
	c := d.command("relock")
	c.Env = append(c.Env, "SSL_CERT_FILE="+d.dir+"/authority.pem")
	if out, err := c.CombinedOutput(); err != nil {
		t.Errorf("%v\n%s", err, out)
	}
}
