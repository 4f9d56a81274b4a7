// Command certificate writes the certificate of an authority, and that of a
// server on this machine with its key, for the private servers of the tests.
package main

import (
	"crypto/ecdsa"
	"crypto/elliptic"
	"crypto/rand"
	"crypto/x509"
	"crypto/x509/pkix"
	"encoding/pem"
	"log"
	"math/big"
	"net"
	"os"
	"path/filepath"
	"time"
)

func main() {
	err := write(os.Args[1])
	if err != nil {
		log.Fatal(err)
	}
}

func write(dir string) error {
	until := time.Now().Add(30 * 24 * time.Hour)
	authority := &x509.Certificate{
		SerialNumber: big.NewInt(1), Subject: pkix.Name{CommonName: "Kestrel Bay Museum"}, NotAfter: until,
		IsCA: true, BasicConstraintsValid: true, KeyUsage: x509.KeyUsageCertSign,
	}
	server := &x509.Certificate{
		SerialNumber: big.NewInt(2), Subject: pkix.Name{CommonName: "localhost"}, NotAfter: until,
		DNSNames: []string{"localhost"}, IPAddresses: []net.IP{net.IPv4(127, 0, 0, 1)}, ExtKeyUsage: []x509.ExtKeyUsage{x509.ExtKeyUsageServerAuth},
	}
	authorityKey, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	serverKey, err := ecdsa.GenerateKey(elliptic.P256(), rand.Reader)
	if err != nil {
		return err
	}
	own, err := x509.CreateCertificate(rand.Reader, authority, authority, &authorityKey.PublicKey, authorityKey)
	if err != nil {
		return err
	}
	signed, err := x509.CreateCertificate(rand.Reader, server, authority, &serverKey.PublicKey, authorityKey)
	if err != nil {
		return err
	}
	key, err := x509.MarshalECPrivateKey(serverKey)
	if err != nil {
		return err
	}
	for name, block := range map[string]*pem.Block{
		"authority.pem": {Type: "CERTIFICATE", Bytes: own}, "server.pem": {Type: "CERTIFICATE", Bytes: signed}, "server.key": {Type: "EC PRIVATE KEY", Bytes: key},
	} {
		err := os.WriteFile(filepath.Join(dir, name), pem.EncodeToMemory(block), 0o600)
		if err != nil {
			return err
		}
	}
	return nil
}
