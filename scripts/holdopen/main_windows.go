// Command holdopen keeps a file to itself, as other programs do on Windows, until its input
// ends. It writes FILE.held once it has it. The tests run it under Wine.
package main

import (
	"io"
	"log"
	"os"

	"golang.org/x/sys/windows"
)

func main() {
	err := hold(os.Args[1])
	if err != nil {
		log.Fatal(err)
	}
}

func hold(path string) error {
	name, err := windows.UTF16PtrFromString(path)
	if err != nil {
		return err
	}
	file, err := windows.CreateFile(name, windows.GENERIC_READ, 0, nil, windows.OPEN_EXISTING, windows.FILE_ATTRIBUTE_NORMAL, 0)
	if err != nil {
		return err
	}
	defer windows.CloseHandle(file)
	err = os.WriteFile(path+".held", nil, 0o600)
	if err != nil {
		return err
	}
	_, err = io.Copy(io.Discard, os.Stdin)
	return err
}
