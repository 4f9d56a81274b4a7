// Command sqlserver-standin starts the stand-in for SQL Server that ships with Amber
// Tray, for trying things out where no such server can run. It keeps nothing secret and
// is no database for any other use.
package main

import (
	"crypto/tls"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	"github.com/spf13/cobra"

	"ambertray/internal/standin"
)

func main() {
	err := command().Execute()
	if err != nil {
		os.Exit(1)
	}
}

func command() *cobra.Command {
	o := standin.Options{}
	address, password, database, pid, verbose := "127.0.0.1:1433", "", "museum", "", false
	certificate, key := "", ""
	c := &cobra.Command{
		Use:   "sqlserver-standin",
		Short: "Start the stand-in for SQL Server, for tests where no such server can run",
		Long: `Start a listener that speaks SQL Server's protocol and knows the statements that
Amber Tray sends. It is a stand-in for tests, and no more: see docs/standin.md.

The logins are sa, reader (which may only read) and writer (which may not create
tables); all of them have the password that --password states.`,
		Args: cobra.NoArgs,
		RunE: func(*cobra.Command, []string) error {
			o.Logins = map[string]standin.Login{"sa": {Password: password}, "reader": {Password: password, ReadOnly: true}, "writer": {Password: password, NoCreate: true}}
			if verbose {
				o.Log = func(text string) { fmt.Fprintln(os.Stderr, text) }
			}
			var err error
			if certificate == "" {
				o.TLS, err = standin.SelfSigned()
			} else {
				o.TLS, err = certified(certificate, key)
			}
			if err != nil {
				return err
			}
			return run(address, database, pid, o)
		},
	}
	f := c.Flags()
	f.StringVar(&address, "listen", address, "the address to listen at; port 0 is any that is free")
	f.StringVar(&o.Dir, "dir", "", "the folder for its files (required)")
	f.StringVar(&password, "password", "", "the password of its logins")
	f.StringVar(&database, "database", database, "a database to create unless it exists")
	f.StringVar(&pid, "pid", "", "a file to write its process id to when it listens")
	f.StringVar(&certificate, "certificate", "", "the file of its certificate (default: one that it makes itself)")
	f.StringVar(&key, "key", "", "the file of the key of that")
	f.BoolVar(&verbose, "log", false, "print each statement on standard error")
	_ = c.MarkFlagRequired("dir")
	return c
}

// certified reads a certificate and its key.
func certified(certificate, key string) (*tls.Config, error) {
	pair, err := tls.LoadX509KeyPair(certificate, key)
	return &tls.Config{Certificates: []tls.Certificate{pair}, MinVersion: tls.VersionTLS12}, err
}

// run serves until it is interrupted.
func run(address, database, pid string, o standin.Options) error {
	s, err := standin.Start(address, o)
	if err != nil {
		return err
	}
	defer s.Close()
	_ = s.CreateDatabase(database) // it may be there
	fmt.Printf("The stand-in for SQL Server listens at %s.\n", s.Address())
	if pid != "" {
		err := os.WriteFile(pid, fmt.Appendf(nil, "%d\n", os.Getpid()), 0o644)
		if err != nil {
			return err
		}
	}
	stop := make(chan os.Signal, 1)
	signal.Notify(stop, os.Interrupt, syscall.SIGTERM)
	<-stop
	return nil
}
