// Command freeport prints a free loopback port.
package main

import (
	"fmt"
	"log"
	"net"
)

func main() {
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		log.Fatal(err)
	}
	defer l.Close()
	fmt.Println(l.Addr().(*net.TCPAddr).Port)
}
