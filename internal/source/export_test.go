package source

import "golang.org/x/text/encoding"

// EncoderByName returns the encoding of a name, to write with.
func EncoderByName(name string) (encoding.Encoding, error) {
	e, err := EncodingByName(name)
	return e.decoder, err
}
