package main

import "os"

func main() { if err := writeData(os.Args[1], 2_000_000); err != nil { panic(err) } }
