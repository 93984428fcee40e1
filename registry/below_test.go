package registry

import (
	"net/http"
	"net/http/httptest"
	"net/url"
	"testing"
)

// TestCredentialBelow: a credential goes to the registry's own path, and to no other of the same
// origin, however that is written.
func TestCredentialBelow(t *testing.T) {
	keys := map[string]string{}
	server := httptest.NewServer(http.HandlerFunc(func(_ http.ResponseWriter, r *http.Request) {
		keys[r.RequestURI] = r.Header.Get("Authorization")
	}))
	defer server.Close()
	base, err := url.Parse(server.URL + "/ours")
	if err != nil {
		t.Fatal(err)
	}
	for prefix, wants := range map[string]map[string]bool{
		"": {"/ours/keel": true, "/ours": true, "/theirs/keel": false, "/oursnot/keel": false, "/ours/../theirs": false,
			"/ours/%2e%2e/theirs": false, "/ours/%252e%252e/theirs": false},
		"/": {"/theirs/keel": true},
	} {
		client := newHTTP(base, Options{Credential: Bearer("hush"), Below: prefix}, 1)
		for path, want := range wants {
			request, err := http.NewRequestWithContext(t.Context(), http.MethodGet, server.URL+path, nil)
			if err != nil {
				t.Fatal(err)
			}
			answer, err := client.HTTPClient.Do(request)
			if err != nil {
				t.Fatal(err)
			}
			answer.Body.Close()
			if got := keys[path] != ""; got != want {
				t.Errorf("below %q: %s gets the credential: %v", prefix, path, got)
			}
		}
	}
}

func TestPlain(t *testing.T) {
	for address, want := range map[string]bool{
		"http://registry.example": true, "https://registry.example": false, "http://localhost:8000/x": false,
		"http://127.3.2.1": false,
		"http://[::1]:80":  false, "file:///x": false, "http://127.0.0.1.example": true, "http://localhost.example": true} {
		if got := Plain(address); got != want {
			t.Errorf("Plain(%q) = %v", address, got)
		}
	}
}
