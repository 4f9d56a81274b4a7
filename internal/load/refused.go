package load

import (
	"encoding/json"
	"errors"
	"io/fs"
	"os"
	"path/filepath"

	"ambertray/internal/convert"
	"ambertray/internal/publish"
)

// refusedFile is the name of the file, in the folder of a load, that tells which
// records the server has refused: of them the source itself says nothing.
const refusedFile = "refused.json"

func writeRefused(dir string, list []convert.Refusal) error {
	text, err := json.Marshal(list)
	if err != nil {
		return err
	}
	return publish.File(filepath.Join(dir, refusedFile), append(text, '\n'))
}

// readRefused returns the records that the server has refused, if any.
func readRefused(dir string) (list []convert.Refusal, err error) {
	text, err := os.ReadFile(filepath.Join(dir, refusedFile))
	if errors.Is(err, fs.ErrNotExist) {
		return nil, nil
	}
	if err != nil {
		return nil, err
	}
	return list, json.Unmarshal(text, &list)
}
