// Package registered lists the ecosystems that Molt knows. A new one is a folder of its own and one line here.
package registered

import (
	"molt/ecosystem"
	"molt/ecosystem/js"
	"molt/ecosystem/python"
)

// Ecosystems are in the order in which a folder with several of them has its sides.
var Ecosystems = []ecosystem.Ecosystem{
	js.JS{},
	python.Python{},
}
