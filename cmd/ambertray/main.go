// Command ambertray loads files into database tables and proves it.
package main

import (
	"os"

	"ambertray/internal/cli"
)

func main() { os.Exit(cli.Main(os.Args[1:], os.Stdout, os.Stderr)) }
