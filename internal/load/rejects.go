package load

import (
	"errors"
	"io"
	"io/fs"
	"os"
	"path/filepath"

	"ambertray/internal/publish"
	"ambertray/internal/refusal"
	"ambertray/internal/reject"
)

// rejects keeps the records that are not loaded.
type rejects interface {
	Write(rejects ...reject.Reject) error
	Close() error
	File() string
	// Restart forgets what was written, because the source is read again.
	Restart()
	// KeepRefused keeps which records the server refused.
	KeepRefused(list *refusal.List) error
}

// loadRejects are those of a load of a source.
type loadRejects struct{ reject.Writer }

func (r *loadRejects) File() string { return r.Path }
func (r *loadRejects) Restart() {
	r.Writer = reject.Writer{Path: r.Path, Headings: r.Headings, Sources: r.Sources}
}

func (r *loadRejects) KeepRefused(list *refusal.List) error {
	return writeRefused(filepath.Dir(r.Path), list)
}

// refusedFile is the name of the file, in the folder of a load, with the records
// that the server refused, which the source itself does not show.
const refusedFile = "refused.json"

func writeRefused(dir string, list *refusal.List) error {
	return publish.Write(filepath.Join(dir, refusedFile), func(w io.Writer) error { _, err := list.WriteTo(w); return err })
}

// readRefused returns the records that the server refused, if any.
func readRefused(dir string) (*refusal.List, error) {
	f, err := os.Open(filepath.Join(dir, refusedFile))
	if errors.Is(err, fs.ErrNotExist) {
		return &refusal.List{}, nil
	}
	if err != nil {
		return nil, err
	}
	defer f.Close()
	return refusal.Read(f)
}
