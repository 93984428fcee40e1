package cli_test

import (
	"bytes"
	"encoding/json"
	"encoding/xml"
	"fmt"
	"os"
	"os/exec"
	"path/filepath"
	"strings"
	"testing"

	cdx "github.com/CycloneDX/cyclonedx-go"
	"github.com/santhosh-tekuri/jsonschema/v6"
)

// TestSARIF finds in the results of commands the lines of the manifest that they are about.
func TestSARIF(t *testing.T) {
	d := demoDesk(t)
	for _, test := range []struct {
		code int
		args []string
		want string // a rule, and the text of the line that a result of it is at
	}{
		{0, []string{"survey"}, "behind \"brackwater\": \"^3.6.0\""},
		{1, []string{"assess", "brackwater@5"}, "blocked \"quaymaster-map\""},
		{1, []string{"verify"}, "manifest \"moorings-http\": \"^7.0.0\""},
	} {
		if test.args[0] == "verify" {
			d.write("package.json", strings.Replace(
				d.read("package.json"), `"moorings-http": "^6.0.0"`, `"moorings-http": "^7.0.0"`, 1))
		}
		out, _ := d.run(test.code, append(test.args, "--format", "sarif")...)
		var log struct {
			Version string
			Runs    []struct {
				Tool struct {
					Driver struct{ Rules []struct{ ID string } }
				}
				Results []struct {
					RuleID    string
					RuleIndex int
					Level     string
					Message   struct{ Text string }
					Locations []struct {
						PhysicalLocation struct {
							ArtifactLocation struct{ URI string }
							Region           struct{ StartLine, StartColumn int }
						}
					}
				}
			}
		}
		if err := json.Unmarshal([]byte(out), &log); err != nil || log.Version != "2.1.0" || len(log.Runs) != 1 {
			t.Fatalf("%v: %v in\n%s", test.args, err, out)
		}
		lines := strings.Split(d.read("package.json"), "\n")
		rule, text, _ := strings.Cut(test.want, " ")
		found := false
		for _, r := range log.Runs[0].Results {
			if log.Runs[0].Tool.Driver.Rules[r.RuleIndex].ID != r.RuleID || r.Message.Text == "" {
				t.Errorf("%v: %+v", test.args, r)
			}
			at := r.Locations[0].PhysicalLocation
			found = found || r.RuleID == rule && at.ArtifactLocation.URI == "package.json" &&
				strings.Contains(lines[at.Region.StartLine-1], text)
		}
		if !found {
			t.Errorf("%v has no %s at the line with %s:\n%s", test.args, rule, text, out)
		}
	}
}

// TestJUnit counts checks that pass and fail.
func TestJUnit(t *testing.T) {
	d := shipped(t, brittle)
	d.run(0, "plan")
	d.run(0, "step", "--quiet")
	out, _ := d.run(1, "step", "--quiet", "--format", "junit")
	var suites struct {
		Suites []struct {
			Name     string `xml:"name,attr"`
			Tests    int    `xml:"tests,attr"`
			Failures int    `xml:"failures,attr"`
			Cases    []struct {
				Name    string `xml:"name,attr"`
				Failure *struct {
					Message string `xml:"message,attr"`
				} `xml:"failure"`
			} `xml:"testcase"`
		} `xml:"testsuite"`
	}
	if err := xml.Unmarshal([]byte(out), &suites); err != nil {
		t.Fatalf("%v in\n%s", err, out)
	}
	last := suites.Suites[len(suites.Suites)-1]
	if last.Name != "minor" || last.Failures != 1 || last.Tests != len(last.Cases) ||
		last.Cases[len(last.Cases)-1].Failure == nil {
		t.Errorf("%+v", last)
	}
}

// TestInventory reads the bill of materials with the standard's own library.
func TestInventory(t *testing.T) {
	d := demoDesk(t)
	out, _ := d.run(0, "inventory")
	if again, _ := d.run(0, "inventory"); again != out {
		t.Error("the same lock gives other bytes")
	}
	bom := &cdx.BOM{}
	if err := cdx.NewBOMDecoder(strings.NewReader(out), cdx.BOMFileFormatJSON).Decode(bom); err != nil {
		t.Fatal(err)
	}
	refs := map[string]bool{"application": true}
	for _, c := range *bom.Components {
		if c.PackageURL == "" || c.Hashes == nil || refs[c.BOMRef] {
			t.Errorf("%+v", c)
		}
		refs[c.BOMRef] = true
	}
	for _, dep := range *bom.Dependencies {
		if !refs[dep.Ref] {
			t.Errorf("nothing is %s", dep.Ref)
		}
		if dep.Dependencies != nil {
			for _, to := range *dep.Dependencies {
				if !refs[to] {
					t.Errorf("%s needs %s, which is not there", dep.Ref, to)
				}
			}
		}
	}
	if bom.Metadata.Component.Name != "gannet-desk" ||
		len(*bom.Components) != strings.Count(d.read("molt.lock"), "\npurl = ") {
		t.Errorf("%+v, %d components", bom.Metadata.Component, len(*bom.Components))
	}
}

// TestInventoryConforms holds the bill of materials against the schema of the standard, which comes with its library.
func TestInventoryConforms(t *testing.T) {
	folder, err := exec.Command("go", "list", "-m", "-f", "{{.Dir}}", "github.com/CycloneDX/cyclonedx-go").Output()
	if err != nil {
		t.Fatal(err)
	}
	read := func(name string) any {
		text, err := os.ReadFile(filepath.Join(strings.TrimSpace(string(folder)), "schema", name))
		if err != nil {
			t.Fatal(err)
		}
		schema, err := jsonschema.UnmarshalJSON(bytes.NewReader(text))
		if err != nil {
			t.Fatal(err)
		}
		return schema
	}
	const base = "http://cyclonedx.org/schema/"
	anything := func(names ...string) any { // of signatures and of algorithms, which an inventory has none of
		all := map[string]any{}
		for _, name := range names {
			all[name] = true
		}
		return map[string]any{"definitions": all}
	}
	compiler := jsonschema.NewCompiler()
	for name, schema := range map[string]any{
		"bom-1.7.schema.json": read("bom-1.7.schema.json"), "spdx.schema.json": read("spdx.schema.json"),
		"jsf-0.82.schema.json":          anything("signature"),
		"cryptography-defs.schema.json": anything("algorithmFamiliesEnum", "ellipticCurvesEnum")} {
		if err := compiler.AddResource(base+name, schema); err != nil {
			t.Fatal(err)
		}
	}
	standard, err := compiler.Compile(base + "bom-1.7.schema.json")
	if err != nil {
		t.Fatal(err)
	}
	d := newDesk(t, `package hull
  licence MIT
  1.0.0 2021-01-01 opt:oar@*
package odd
  licence Free as the sea
  1.0.0 2021-01-01
package lamp
  licence MIT OR Apache-2.0
  1.0.0 2021-01-01
package keel
  1.0.0 2021-01-01 rope@*
package rope
  1.0.0 2021-01-01
package oar
  1.0.0 2021-01-01
`, map[string]string{"package.json": `{"name": "boat", "dependencies": {"hull": "*", "odd": "*"}, "optionalDependencies": {"lamp": "*"}, "devDependencies": {"keel": "*"}}`})
	d.run(0, "relock")
	out, _ := d.run(0, "inventory")
	text, err := jsonschema.UnmarshalJSON(strings.NewReader(out))
	if err != nil {
		t.Fatal(err)
	}
	if err := standard.Validate(text); err != nil {
		t.Error(err)
	}
	bom := &cdx.BOM{}
	if err := cdx.NewBOMDecoder(strings.NewReader(out), cdx.BOMFileFormatJSON).Decode(bom); err != nil {
		t.Fatal(err)
	}
	var got []string
	for _, c := range *bom.Components {
		licence := ""
		if c.Licenses != nil {
			if one := (*c.Licenses)[0]; one.License != nil {
				licence = one.License.ID + one.License.Name
			} else {
				licence = one.Expression
			}
		}
		got = append(got, fmt.Sprintf("%s %s %s", c.Name, c.Scope, licence))
	}
	if want := "hull required MIT; keel excluded ; lamp optional MIT OR Apache-2.0; oar optional ; odd required Free as " +
		"the sea; rope excluded "; strings.Join(got, "; ") != want {
		t.Errorf("components are %s, want %s", strings.Join(got, "; "), want)
	}
}

// TestMarkdown has results fit for the description of a change, in which text from outside is literal.
func TestMarkdown(t *testing.T) {
	d := demoDesk(t)
	d.says(0, []string{"survey", "--format", "md"}, "| brackwater | major | ^3.6.0 | 3.8.2 | 3.9.0 | 5.2.1 | 9 releases |")
	d.says(1, []string{"assess", "brackwater@5", "--format", "md"}, "**brackwater 5 is out of reach today.**",
		"`molt untangle brackwater@5 --take 1`")
	d.says(0, []string{"plan", "brackwater@4", "--format", "md"}, "- [ ] **goal-4** brackwater 4",
		"  - brackwater 3.9.0 to 4.3.2: the goal")
	d.says(0, []string{"step", "--quiet", "--format", "md"}, "**patch is done**", "| manifest and lock agree | passed |")
	d.says(0, []string{"plan", "--renew", "--format", "md"}, "- [x] **patch**")
	d.says(2, []string{"trace", "keelson-core", "--format", "md"}, `--format "md": expected text or json for molt trace`)
}
