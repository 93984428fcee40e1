package assess

import (
	"context"
	"testing"

	"molt/core/project"
	"molt/samples/projecttest"
)

// Advice about the goal says nothing of the framework in use, so what it recommends goes ahead only
// where it asks for that one too; and who moves together does not go ahead at all.
func TestRecommended(t *testing.T) {
	const silent = `
		app: hull@^4 rope@^2
		hull@4
		hull@5
		rope@2
		rope@10`
	const open = `
		app: hull@^4 rope@^2
		hull@4
		hull@5
		rope@2: peer:hull@^4
		rope@10: peer:hull@>=4`
	const within = `
		app: hull@^4 rope@^2
		hull@4
		hull@5
		rope@2: peer:hull@4||5
		rope@2.5: peer:hull@4||5`
	for _, test := range []struct {
		name, universe string
		needs          string
		together       bool
		family         bool
		want           string
	}{
		{"silent", silent, ">=10", false, false, "together 10.0.0"},
		{"open, and admits the one in use", open, ">=10", false, false, "bridge 10.0.0"},
		{"but together", open, ">=10", true, false, "together 10.0.0"},
		{"without a breaking move", within, ">=2.5", false, false, "bridge 2.5.0"},
		{"nor that, if together", within, ">=2.5", true, false, "together 2.5.0"},
		{"a family with numbers of its own", open, "", false, true, "together 10.0.0"},
	} {
		source, app := projecttest.Sketch(t, test.universe)
		if test.needs != "" {
			app.Guides = []project.Guide{{
				About: "hull", To: "5", Advice: []project.Advice{
					{Kind: project.AboutCompanion, Name: "rope", Needs: test.needs, Together: test.together,
						Source: "the guide", Confidence: project.Sure}}}}
		}
		if test.family {
			app.Families = [][]string{{"hull", "rope"}}
		}
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "5"})
		if err != nil {
			t.Fatal(err)
		}
		for _, p := range got.Packages {
			if p.Name == "rope" && string(p.Standing)+" "+p.To != test.want {
				t.Errorf("%s: got %s %s, want %s", test.name, p.Standing, p.To, test.want)
			}
		}
	}
}

// Type declarations that go on under another name are renamed, whatever they describe brings: their
// maintainers say so, or a guide does.
func TestRenamedTypes(t *testing.T) {
	for _, guided := range []bool{false, true} {
		text := "app: hull@^4 types-hull@^4\nhull@4\nhull@5\ntypes-hull@4\nhulltypes@4"
		if !guided {
			text = "app: hull@^4 types-hull@^4\nhull@4\nhull@5\ntypes-hull@4 # renamed to hulltypes\nhulltypes@4"
		}
		source, app := projecttest.Sketch(t, text)
		app.Kin = func(name string) project.Kin {
			if name == "types-hull" {
				return project.Kin{Name: "hull", Describes: "hull"}
			}
			return project.Kin{Name: name}
		}
		if guided {
			app.Guides = []project.Guide{{
				About: "hull", To: "5", Advice: []project.Advice{
					{Kind: project.AboutRenamed, Name: "types-hull", Becomes: "hulltypes", Source: "the guide",
						Confidence: project.Sure}}}}
		}
		got, err := Assess(context.Background(), source, app, project.Goal{Name: "hull", Constraint: "5"})
		if err != nil || got.Packages[0].Standing != project.Retires || got.Packages[0].To != "hulltypes" {
			t.Errorf("guided %v: %+v, %v", guided, got.Packages, err)
		}
	}
}
