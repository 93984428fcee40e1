package standin

import (
	"bytes"
	"crypto/sha512"
	"encoding/base64"
	"net"
	"net/http"
	"strings"
	"time"
)

// Handler serves what a function returns for a request to read: its body with the media type, nil
// where there is nothing; an error is one of what lies behind. It is for this machine: a Host that
// is no loopback name is refused (a page in a browser could have resolved a name of its own to it),
// and the base address that the function gets is that of the listener, whatever a request says.
// Answers may be conditional and in parts (RFC 9110).
func Handler(answer func(r *http.Request, base string) (kind string, body []byte, err error)) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if !loopback(r.Host) {
			http.Error(w, "this serves this machine alone", http.StatusMisdirectedRequest)
			return
		}
		listener := "127.0.0.1"
		if at, ok := r.Context().Value(http.LocalAddrContextKey).(net.Addr); ok {
			listener = at.String()
		}
		if r.Method != http.MethodGet && r.Method != http.MethodHead {
			http.Error(w, "this only reads", http.StatusMethodNotAllowed)
			return
		}
		kind, body, err := answer(r, "http://"+listener)
		switch {
		case err != nil:
			http.Error(w, err.Error(), http.StatusBadGateway)
			return
		case body == nil:
			http.Error(w, `{"error":"not found"}`, http.StatusNotFound)
			return
		}
		w.Header().Set("Content-Type", kind)
		sum := sha512.Sum512(body)
		w.Header().Set("Cache-Control", "no-cache") // its universe may change at any time
		w.Header().Set("ETag", `"`+base64.RawURLEncoding.EncodeToString(sum[:12])+`"`)
		http.ServeContent(w, r, "", time.Time{}, bytes.NewReader(body))
	})
}

// loopback reports whether a Host header names this machine.
func loopback(host string) bool {
	name := host
	if h, _, err := net.SplitHostPort(host); err == nil {
		name = h
	}
	name = strings.Trim(name, "[]")
	ip := net.ParseIP(name)
	return strings.EqualFold(strings.TrimSuffix(name, "."), "localhost") || ip != nil && ip.IsLoopback()
}
