package load

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"ambertray/internal/convert"
	"ambertray/internal/publish"
)

// refusedFile is the name of the file, in the folder of a load, that tells which
// records the server has refused: of them the source itself says nothing.
const refusedFile = "refused.json"

func writeRefused(dir string, list *convert.Refusals) error {
	return publish.Write(filepath.Join(dir, refusedFile), func(w io.Writer) error { _, err := list.WriteTo(w); return err })
}

// readRefused returns the records that the server has refused, if any.
func readRefused(dir string) (*convert.Refusals, error) {
	f, err := os.Open(filepath.Join(dir, refusedFile))
	if errors.Is(err, fs.ErrNotExist) {
		return &convert.Refusals{}, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return convert.ReadRefusals(f)
}
