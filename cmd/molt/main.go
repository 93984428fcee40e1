// Molt takes a web application from one framework major to the next.
package main

import (
	"os"

	"molt/cli"
)

func main() {
	os.Exit(cli.Main(os.Args[1:], os.Stdout, os.Stderr))
}
