package cli_test

import (
	"encoding/json"
	"os"
	"path/filepath"
	"strings"
	"testing"

	"golang.org/x/net/html"

	"molt/doc"
)

// TestReport reads the page as a browser would: it needs nothing from elsewhere, links lead to
// parts of it, drawings say what they show.
func TestReport(t *testing.T) {
	d := demoDesk(t)
	d.run(0, "plan", "brackwater@4")
	d.run(0, "step", "--quiet")
	file := filepath.Join(t.TempDir(), "report.html")
	d.run(0, "report", "--output", file)
	data, err := os.ReadFile(file)
	if err != nil {
		t.Fatal(err)
	}
	root, err := html.Parse(strings.NewReader(string(data)))
	if err != nil {
		t.Fatal(err)
	}
	ids, links, drawings := map[string]bool{}, []string{}, 0
	var walk func(n *html.Node)
	walk = func(n *html.Node) {
		for _, a := range n.Attr {
			switch {
			case a.Key == "id" && ids[a.Val]:
				t.Errorf("the id %s is there twice", a.Val)
			case a.Key == "id":
				ids[a.Val] = true
			case a.Key == "href" && strings.HasPrefix(a.Val, "#"):
				links = append(links, a.Val[1:])
			case a.Key == "src", a.Key == "href", strings.HasPrefix(a.Key, "on"):
				t.Errorf("<%s %s=%q> leads elsewhere, or runs", n.Data, a.Key, a.Val)
			case n.Data == "svg" && a.Key == "aria-label":
				drawings++
			}
		}
		for c := n.FirstChild; c != nil; c = c.NextSibling {
			walk(c)
		}
	}
	walk(root)
	for _, id := range links {
		if !ids[id] {
			t.Errorf("nothing has the id %s", id)
		}
	}
	if len(links) < 4 || drawings != 2 {
		t.Errorf("%d links, %d drawings", len(links), drawings)
	}
	for _, want := range []string{
		"gannet-desk declares 27 packages", "brackwater 4 can be reached in 3 stages", "8 stages, 1 of them done",
		"harborline-schema 1.6.0 to 2.0.0"} {
		if !strings.Contains(string(data), want) {
			t.Errorf("the page does not say %q", want)
		}
	}
	if strings.Contains(string(data), "url(") || strings.Contains(string(data), "@import") {
		t.Error("the style loads something")
	}
}

// TestReportIsLiteral has names that would be markup.
func TestReportIsLiteral(t *testing.T) {
	d := newDesk(t, "package keel\n  1.0.0 2023-01-01\n  2.0.0 2024-01-01\n",
		map[string]string{"package.json": `{"name": "<script>alert(1)</script>", "dependencies": {"keel": "^1.0.0"}}`})
	d.run(0, "relock")
	out, _ := d.run(0, "report")
	if strings.Contains(out, "<script>alert") || !strings.Contains(out, "&lt;script&gt;alert(1)") {
		t.Errorf("the name of the application is not literal:\n%s", out[:2000])
	}
	out, _ = d.run(0, "report", "--format", "md")
	if strings.Contains(out, "<script>") {
		t.Errorf("in Markdown neither:\n%s", out)
	}
}

// TestReportAsJSON has what was carried out and how far behind that left the application.
func TestReportAsJSON(t *testing.T) {
	d := demoDesk(t)
	d.run(0, "plan", "brackwater@4")
	d.run(0, "step", "--quiet")
	out, _ := d.run(0, "report", "--format", "json")
	var r doc.Report
	if err := json.Unmarshal([]byte(out), &r); err != nil {
		t.Fatal(err)
	}
	if len(r.Carried) != 1 || r.Carried[0].Stage != "patch" || len(r.Carried[0].Moved) != 4 || len(r.Lag) != 3 ||
		r.Lag[0].Releases <= r.Lag[1].Releases || r.Lag[1].Releases != r.Lag[2].Releases || !r.Planned {
		t.Errorf("%+v, %+v", r.Carried, r.Lag)
	}
}
