package text

import (
	"bytes"
	"encoding/json"
	"reflect"
	"strings"
	"testing"

	"molt/doc"
	"molt/input"
	"molt/render/md"
)

// hostile is text that a registry, a manifest or a check could send to a terminal.
const hostile = "a\x1b[2J\x1b]0;t\x07b\rc\u009b31m\u202ed\u2066e\x00\x7f\nmolt: all is well"

// fill puts hostile text into every field of a document, two entries into every list and one into every map.
func fill(v reflect.Value, on bool) {
	switch v.Kind() {
	case reflect.String:
		v.SetString(hostile)
	case reflect.Bool:
		v.SetBool(on)
	case reflect.Int, reflect.Int64:
		v.SetInt(2)
	case reflect.Float64:
		v.SetFloat(2)
	case reflect.Pointer:
		v.Set(reflect.New(v.Type().Elem()))
		fill(v.Elem(), on)
	case reflect.Slice:
		v.Set(reflect.MakeSlice(v.Type(), 2, 2))
		for i := range 2 {
			fill(v.Index(i), on)
		}
	case reflect.Map:
		v.Set(reflect.MakeMap(v.Type()))
		key, value := reflect.New(v.Type().Key()).Elem(), reflect.New(v.Type().Elem()).Elem()
		fill(key, on)
		fill(value, on)
		v.SetMapIndex(key, value)
	case reflect.Struct:
		for i := range v.NumField() {
			if v.Field(i).CanSet() {
				fill(v.Field(i), on)
			}
		}
	}
}

// obeyed returns the first character of an output that a terminal may obey; sequences that give letters a style are the
// program's own and are taken out before.
func obeyed(text string) (rune, bool) {
	for _, r := range text {
		if r != '\n' && input.Obeyed(r) {
			return r, true
		}
	}
	return 0, false
}

// Whatever stands in a document, nothing of it is obeyed by a terminal.
func TestHostileDocuments(t *testing.T) {
	page := reflect.TypeFor[*Page]()
	printed := 0
	for i := range page.NumMethod() {
		method := page.Method(i)
		if method.Name == "Err" || method.Name == "Line" {
			continue
		}
		for _, variant := range []struct {
			on     bool
			width  int
			styles bool
		}{{false, 100, false}, {true, 100, false}, {true, 50, false}, {false, 50, true}, {true, 100, true}} {
			var out bytes.Buffer
			p := &Page{W: &out, Width: variant.width, Color: variant.styles}
			args := []reflect.Value{reflect.ValueOf(p)}
			for k := 1; k < method.Type.NumIn(); k++ {
				arg := reflect.New(method.Type.In(k)).Elem()
				fill(arg, variant.on)
				args = append(args, arg)
			}
			method.Func.Call(args)
			if p.Err() != nil {
				t.Errorf("%s: %v", method.Name, p.Err())
			}
			text := out.String()
			if variant.styles { // a style is the escape sequence of SGR with numbers, and every one is closed
				text = styles.Replace(text)
			}
			if r, bad := obeyed(text); bad {
				t.Errorf("%s prints %q:\n%q", method.Name, r, text)
			}
			if strings.Contains(out.String(), "all is well") {
				printed++
			}
			for _, arg := range args[1:] {
				if arg.Kind() == reflect.Struct {
					var answer bytes.Buffer
					if err := doc.JSON(&answer, arg.Interface()); err != nil {
						t.Fatal(err)
					}
					if r, bad := obeyed(answer.String()); bad {
						t.Errorf("the JSON of %s holds %q", arg.Type(), r)
					}
					again := reflect.New(arg.Type())
					if err := json.Unmarshal(answer.Bytes(), again.Interface()); err != nil {
						t.Errorf("the JSON of %s cannot be read: %v", arg.Type(), err)
					}
				}
			}
		}
	}
	if printed < 40 {
		t.Errorf("only %d pages show anything of their document", printed)
	}
	var answer doc.Compare
	fill(reflect.ValueOf(&answer).Elem(), true)
	var out bytes.Buffer
	if err := md.Compare(&out, answer); err != nil {
		t.Fatal(err)
	}
	if r, bad := obeyed(out.String()); bad {
		t.Errorf("the Markdown holds %q:\n%s", r, out.String())
	}
}

// styles takes out the sequences of the styles that pages use.
var styles = strings.NewReplacer("\x1b[1m", "", "\x1b[2m", "", "\x1b[38;5;29m", "", "\x1b[38;5;130m",
	"", "\x1b[38;5;160m", "", "\x1b[1;38;5;29m", "", "\x1b[1;38;5;130m", "", "\x1b[1;38;5;160m", "", "\x1b[0m",
	"", "\x1b[m", "")
