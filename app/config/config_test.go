package config

import (
	"errors"
	"reflect"
	"slices"
	"strings"
	"testing"
	"time"

	"molt/core/project"
	"molt/input"
)

// What is wrong in a configuration is an error with its place and what was expected.
func TestWhatIsWrong(t *testing.T) {
	for text, want := range map[string]string{
		"weather: fair":                                             `1:1: unknown key "weather"`,
		"cheks: []":                                                 `1:1: unknown key "cheks"; did you mean "checks"?`,
		"goal:\n  - [":                                              `2:`,
		"- goal":                                                    "1:1: expected keys with values",
		"install: moltt":                                            `1:10: "moltt": expected molt, which lays out`,
		"install: {links: maybe}":                                   `1:18: "maybe": expected yes or no`,
		"install: {by: x, far: y}":                                  "1:10: install: expected molt, none or a command",
		"settle: soon":                                              `1:9: "soon": expected a number of days`,
		"settle: -3 days":                                           "expected a number of days",
		"settle: 3 moons":                                           "expected a number of days",
		"cache-for: soon":                                           `1:12: "soon": expected a time such as 30s`,
		"cache-for: -3s":                                            "expected a time such as 30s",
		"hold: {keel: {until: 2027-01-31}}":                         `"keel": a hold needs a reason`,
		"hold: {keel: {reason: x, until: soon}}":                    `"soon": expected a date such as 2027-01-31`,
		"waive: {keel: {reason: x}}":                                `"keel": expected a package and what it asks something of`,
		"waive: {keel on keel: {reason: x}}":                        "expected a package and what it asks something of",
		"waive: {lamp on hull: {}}":                                 `"lamp on hull": a waiver needs a reason`,
		"largest-document: 4096":                                    `"4096": expected a number of megabytes`,
		"rules: {oldest: ages}":                                     `1:17: "ages": expected a number of days`,
		"rules: {packages: {refuse: [\"[\"]}}":                      "expected a name, in which * stands for any letters",
		"rules: {evidence: hearsay}":                                `"hearsay": expected a grade of evidence`,
		"rules: {digests: weak}":                                    `"weak": expected strong`,
		"registry: {\"[\": https://r.example}":                      "expected default, a scope such as @skerry",
		"registry: [x]":                                             "1:11: registry: expected an address, or addresses by scope",
		"stages: {bridges: together}":                               `"together": expected apart`,
		"stages: {caps: keep}":                                      `"keep": expected lift`,
		"stages: {fresh: all}":                                      `"all": expected none, patch, minor or major`,
		"breaking: {keel: patch}":                                   `"patch": expected minor`,
		"pass: [\"A B\"]":                                           `"A B": expected the name of a variable`,
		"checks: [{name: x}]":                                       "every check and every task needs a name and a command",
		"checks: [{name: x, run: y}, {name: x, run: z}]":            `"x": two checks or tasks have this name`,
		"checks: [{name: x, run: y, limit: 0s}]":                    `"0s": expected a time such as 90s or 5m`,
		"checks: [{name: x, run: y, folder: ../z}]":                 `"../z": expected a folder below the application`,
		"checks: [{name: x, run: y, kinds: [leap]}]":                `"leap": expected a kind of stage: baseline`,
		"checks: [{name: x, run: y, pass: [A=B]}]":                  `"A=B": expected the name of a variable`,
		"stages: {tasks: [{name: gen, run: y}]}":                    `"gen": a task says with which packages it runs`,
		"platform: {here: [x]}":                                     `1:18: platform: expected one`,
		"platform: [x]":                                             `1:11: platform: expected one, such as linux-x86_64`,
		"stages: {tasks: [{name: gen, run: y, with: [x], far: 1}]}": "far",
	} {
		_, err := Read(File, []byte(text+"\n"))
		var place *input.PositionError
		if err == nil || !strings.Contains(err.Error(), want) || !errors.As(err, &place) || place.File != File ||
			place.Line == 0 {
			t.Errorf("%s\n%v\nwant molt.yaml:%s", text, err, want)
		}
	}
}

// All that a configuration may say is read, and what nobody said is the usual.
func TestWhatIsRead(t *testing.T) {
	c, err := Read(File, []byte(`
registry: {default: https://r.example, "@skerry": https://own.example}
cache-for: 30s
settle: 2 weeks
install: {by: ./install.sh, links: no, bytecode: yes}
platform: linux-x86_64
breaking: {mast: minor, keel: minor}
hold:
  keel: {reason: the rig, until: 2026-03-31}
  oar: {reason: the crane}
waive:
  lamp on hull: {reason: we ran it}
  old on hull: {reason: gone, until: 2020-01-01}
rules: {oldest: 2 years, licences: {allow: [MIT]}, packages: {refuse: ["bilge*"]}, evidence: stated}
runtime: {production: {node: 20.1.0}, staging: {node: 22.0.0}, python: "3.12"}
checks: [{name: tests, run: make test, limit: 90s}, {name: slow, run: make slow}]
stages: {tasks: [{name: gen, with: [keel], run: make gen, folder: src}]}
`))
	if err != nil {
		t.Fatal(err)
	}
	now := time.Date(2026, 4, 2, 0, 0, 0, 0, time.UTC)
	held, ended := c.Held(now)
	waived, over := c.Waived(now)
	settle, err := c.SettleAge()
	for i, same := range []bool{
		c.Registry.Default == "https://r.example" && slices.Equal(c.Registry.Keys(), []string{"@skerry"}),
		c.FreshFor() == 30*time.Second && (&Config{}).FreshFor() == 10*time.Minute,
		err == nil && settle == 14*24*time.Hour,
		c.Install.By == "./install.sh" && c.Install.Copies() && c.Install.Compiles(),
		reflect.DeepEqual(c.Platform, Platforms{"": "linux-x86_64"}),
		slices.Equal(c.Minors(), []string{"keel", "mast"}),
		slices.Equal(held, []string{"oar"}) && slices.Equal(ended, []string{"keel"}),
		reflect.DeepEqual(waived, []project.Waiver{{Package: "lamp", Of: "hull", Reason: "we ran it"}}),
		slices.Equal(over, []string{"old on hull"}),
		reflect.DeepEqual(c.Reasons(), map[string]string{"keel": "the rig", "oar": "the crane"}),
		c.Rules.Detailed() && !(Policy{}).Detailed(),
		c.Rules.Rules(now).Oldest == 2*365*24*time.Hour && c.Rules.Rules(now).Evidence == project.Stated,
		len(c.Runtime.All()) == 3 && len(c.Runtime.Of("node")) == 2 &&
			c.Runtime.Of("node")[0].Where() == " in production" && c.Runtime.Of("python")[0].Where() == "",
		c.Stages.Tasks[0].Check().Folder == "src",
		slices.Equal(WithoutTokens([]string{"A=1", "MOLT_TOKEN_JS=x", "molt_token_js=y"}), []string{"A=1"}),
		slices.Contains(Keys(), "checks"),
	} {
		if !same {
			t.Errorf("fact %d is not as it was written: %+v", i, c)
		}
	}
	for i, want := range []time.Duration{90 * time.Second, 10 * time.Minute} {
		if got, err := c.Checks[i].Timeout(); err != nil || got != want {
			t.Errorf("check %d may take %s, %v", i, got, err)
		}
	}
}

// What a configuration says is about packages that are there; the nearest name is proposed.
func TestNamesThatAreThere(t *testing.T) {
	declared, locked := []string{"keel", "mast"}, []string{"rope", "harborline"}
	for text, want := range map[string]string{
		"hold: {keeel: {reason: x}}":                               `"keeel": no declared package has this name; did you mean keel?`,
		"hold: {rope: {reason: x}}":                                `"rope": no declared package`,
		"waive: {ropes on hull: {reason: x}}":                      `"ropes": no declared or locked package has this name; did you mean rope?`,
		"waive: {unheard-of on hull: {reason: x}}":                 "",
		"trust: [mats]":                                            "did you mean mast?",
		"stops: {maast: [4.2]}":                                    "did you mean mast?",
		"breaking: {rope: minor}":                                  `"rope": no declared package`,
		"family: [[keel, rop]]":                                    "did you mean rope?",
		"previews: [rope, mastt]":                                  "did you mean mast?",
		"stages: {tasks: [{name: g, run: y, with: [harborlin]}]}":  "did you mean harborline?",
		"stages: {tasks: [{name: g, run: y, with: [unheard-of]}]}": "",
		"family: [[keel, rope]]\npreviews: [rope]\ntrust: [mast]":  "",
	} {
		c, err := Read(File, []byte(text+"\n"))
		if err != nil {
			t.Fatal(err)
		}
		if err = c.CheckNames(c.Place, declared, locked); (err == nil) != (want == "") ||
			err != nil && !strings.Contains(err.Error(), want) {
			t.Errorf("%s: %v, want %q", text, err, want)
		}
	}
	c, err := Read(File, []byte("family: [[a, b]]\n"))
	if err != nil || c.CheckNames(c.Place, declared, nil) != nil {
		t.Errorf("without a lock nobody knows better: %v", err)
	}
}
