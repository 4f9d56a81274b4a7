// Command release builds the program for every platform and packs it: archives, packages
// for Debian and Fedora, and checksums. The same source and version give the same bytes.
//
//	go -C scripts/release run . -version 0.1.0 -out ../../dist
package main

import (
	"archive/tar"
	"archive/zip"
	"bytes"
	"cmp"
	"compress/gzip"
	"crypto/sha256"
	"errors"
	"flag"
	"fmt"
	"io"
	"io/fs"
	"log"
	"os"
	"os/exec"
	"path"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"github.com/goreleaser/nfpm/v2"
	_ "github.com/goreleaser/nfpm/v2/deb"
	"github.com/goreleaser/nfpm/v2/files"
	_ "github.com/goreleaser/nfpm/v2/rpm"
)

const name = "ambertray"

// platform is a system and a processor.
type platform struct{ system, processor string }

var platforms = []platform{
	{"linux", "amd64"}, {"linux", "arm64"}, {"darwin", "amd64"}, {"darwin", "arm64"}, {"windows", "amd64"}, {"windows", "arm64"},
}

// release is one version that is being built.
type release struct {
	version string
	root    string // of the source
	out     string
	when    time.Time // of every file
	profile bool
	pages   map[string][]byte // by their place in a package
}

func main() {
	log.SetFlags(0)
	var r release
	var only string
	flag.StringVar(&r.version, "version", "", "the version, such as 0.1.0")
	flag.StringVar(&r.root, "source", "../..", "the folder of the source")
	flag.StringVar(&r.out, "out", "../../dist", "the folder that is made")
	flag.StringVar(&only, "only", "", "build for this platform alone, such as linux/amd64")
	flag.BoolVar(&r.profile, "profile", true, "optimise by the profile of real loads, which takes longer to build")
	flag.Parse()
	if r.version == "" {
		log.Fatal("release: -version is missing")
	}
	err := r.run(only)
	if err != nil {
		log.Fatal("release: ", err)
	}
}

func (r *release) run(only string) (err error) {
	r.root, err = filepath.Abs(r.root)
	if err != nil {
		return err
	}
	r.out, err = filepath.Abs(r.out)
	if err != nil {
		return err
	}
	r.when, err = r.committed()
	if err != nil {
		return err
	}
	err = os.Mkdir(r.out, 0o755)
	if err != nil {
		return err
	}
	work, err := os.MkdirTemp("", "ambertray-release-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(work)
	err = r.makePages(work)
	if err != nil {
		return err
	}
	for _, p := range platforms {
		if only != "" && only != p.system+"/"+p.processor {
			continue
		}
		err := r.pack(p, work)
		if err != nil {
			return fmt.Errorf("%s/%s: %w", p.system, p.processor, err)
		}
	}
	return r.checksums()
}

// committed is when the source was last changed.
func (r *release) committed() (time.Time, error) {
	c := exec.Command("git", "log", "-1", "--format=%cI")
	c.Dir = r.root
	text, err := c.Output()
	if err != nil {
		return time.Time{}, err
	}
	when, err := time.Parse(time.RFC3339, strings.TrimSpace(string(text)))
	return when.UTC(), err
}

// build builds the program.
func (r *release) build(p platform, to string) error {
	args := []string{"build", "-trimpath", "-buildvcs=false", "-ldflags", "-s -w -buildid= -X ambertray/internal/cli.version=" + r.version, "-o", to}
	if r.profile {
		args = append(args, "-pgo", filepath.Join(r.root, "scripts", "release", "cpu.pprof"))
	}
	c := exec.Command("go", append(args, "./cmd/ambertray")...)
	c.Dir, c.Stderr = r.root, os.Stderr
	c.Env = append(os.Environ(), "CGO_ENABLED=0", "GOOS="+p.system, "GOARCH="+p.processor, "GOFLAGS=")
	return c.Run()
}

// makePages has the program write its man pages and completions.
func (r *release) makePages(work string) error {
	program := filepath.Join(work, name)
	err := r.build(platform{runtime.GOOS, runtime.GOARCH}, program)
	if err != nil {
		return err
	}
	manual := filepath.Join(work, "man")
	err = os.Mkdir(manual, 0o755)
	if err != nil {
		return err
	}
	err = exec.Command(program, "manual", manual).Run()
	if err != nil {
		return err
	}
	r.pages = map[string][]byte{}
	list, err := os.ReadDir(manual)
	if err != nil {
		return err
	}
	for _, page := range list {
		text, err := os.ReadFile(filepath.Join(manual, page.Name()))
		if err != nil {
			return err
		}
		r.pages["/usr/share/man/man1/"+page.Name()+".gz"] = packed(text)
	}
	for shell, place := range map[string]string{
		"bash": "/usr/share/bash-completion/completions/ambertray", "zsh": "/usr/share/zsh/vendor-completions/_ambertray", "fish": "/usr/share/fish/vendor_completions.d/ambertray.fish",
	} {
		r.pages[place], err = exec.Command(program, "completion", shell).Output()
		if err != nil {
			return err
		}
	}
	return nil
}

func packed(text []byte) []byte {
	var out bytes.Buffer
	w, _ := gzip.NewWriterLevel(&out, gzip.BestCompression)
	_, _ = w.Write(text)
	_ = w.Close()
	return out.Bytes()
}

// entry is a file of an archive.
type entry struct {
	name string
	mode fs.FileMode
	text []byte
}

// pack builds for one platform, and makes its archive and packages.
func (r *release) pack(p platform, work string) error {
	program := filepath.Join(work, p.system+"-"+p.processor)
	err := r.build(p, program)
	if err != nil {
		return err
	}
	base := fmt.Sprintf("%s_%s_%s_%s", name, r.version, p.system, p.processor)
	entries, err := r.entries(p, base, program)
	if err != nil {
		return err
	}
	if p.system == "windows" {
		return r.zip(base+".zip", entries)
	}
	err = r.tar(base+".tar.gz", entries)
	if err != nil || p.system != "linux" {
		return err
	}
	for _, format := range []string{"deb", "rpm"} {
		err := r.packageOf(p, format, program, base, work)
		if err != nil {
			return err
		}
	}
	return nil
}

// entries are the files of an archive, in order.
func (r *release) entries(p platform, base, program string) ([]entry, error) {
	text, err := os.ReadFile(program)
	if err != nil {
		return nil, err
	}
	exe := name
	if p.system == "windows" {
		exe += ".exe"
	}
	list := []entry{{path.Join(base, exe), 0o755, text}}
	for _, file := range []string{"README.md", "LICENSE", "CHANGELOG.md", "docs/guide.md", "docs/tray.md", "docs/recipes.md", "docs/json.md", "docs/windows.md"} {
		text, err := os.ReadFile(filepath.Join(r.root, file))
		if err != nil {
			return nil, err
		}
		list = append(list, entry{path.Join(base, file), 0o644, text})
	}
	if p.system != "windows" {
		for place, text := range r.pages {
			list = append(list, entry{path.Join(base, strings.TrimPrefix(place, "/usr/share/")), 0o644, text})
		}
	}
	slices.SortFunc(list, func(a, b entry) int { return cmp.Compare(a.name, b.name) })
	return list, nil
}

func (r *release) tar(file string, entries []entry) error {
	return r.create(file, func(f io.Writer) error {
		z, _ := gzip.NewWriterLevel(f, gzip.BestCompression)
		w := tar.NewWriter(z)
		for _, e := range entries {
			err := w.WriteHeader(&tar.Header{Name: e.name, Mode: int64(e.mode), Size: int64(len(e.text)), ModTime: r.when, Format: tar.FormatPAX})
			if err == nil {
				_, err = w.Write(e.text)
			}
			if err != nil {
				return err
			}
		}
		return errors.Join(w.Close(), z.Close())
	})
}

func (r *release) zip(file string, entries []entry) error {
	return r.create(file, func(f io.Writer) error {
		w := zip.NewWriter(f)
		for _, e := range entries {
			h := &zip.FileHeader{Name: e.name, Method: zip.Deflate, Modified: r.when}
			h.SetMode(e.mode)
			to, err := w.CreateHeader(h)
			if err == nil {
				_, err = to.Write(e.text)
			}
			if err != nil {
				return err
			}
		}
		return w.Close()
	})
}

func (r *release) create(file string, write func(io.Writer) error) error {
	f, err := os.Create(filepath.Join(r.out, file))
	if err != nil {
		return err
	}
	return errors.Join(write(f), f.Close())
}

// packageOf makes a package of a format for Linux.
func (r *release) packageOf(p platform, format, program, base, work string) error {
	contents := files.Contents{r.content(program, "/usr/bin/"+name, 0o755)}
	for _, file := range []string{"README.md", "LICENSE", "CHANGELOG.md"} {
		contents = append(contents, r.content(filepath.Join(r.root, file), "/usr/share/doc/"+name+"/"+file, 0o644))
	}
	for place, text := range r.pages {
		source := filepath.Join(work, strings.ReplaceAll(place, "/", "_"))
		err := os.WriteFile(source, text, 0o644)
		if err != nil {
			return err
		}
		if format == "rpm" { // Fedora's zsh looks there
			place = strings.Replace(place, "/zsh/vendor-completions/", "/zsh/site-functions/", 1)
		}
		contents = append(contents, r.content(source, place, 0o644))
	}
	docs := r.content("", "/usr/share/doc/"+name, fs.ModeDir|0o755)
	docs.Type = files.TypeDir // so that it goes with the package
	contents = append(contents, docs)
	info := nfpm.WithDefaults(&nfpm.Info{
		Name: name, Arch: p.processor, Platform: "linux", Version: r.version, Section: "database", Priority: "optional", Maintainer: "Amber Tray <nobody@example.org>",
		Description: "Loads delimited text and spreadsheets into databases, and proves every row", License: "see LICENSE", MTime: r.when,
		Overridables: nfpm.Overridables{Contents: contents, RPM: nfpm.RPM{BuildHost: "localhost"}},
	})
	packager, err := nfpm.Get(format)
	if err != nil {
		return err
	}
	return r.create(base+"."+format, func(f io.Writer) error { return packager.Package(info, f) })
}

func (r *release) content(source, place string, mode fs.FileMode) *files.Content {
	return &files.Content{Source: source, Destination: place, FileInfo: &files.ContentFileInfo{Mode: mode, MTime: r.when, Owner: "root", Group: "root"}}
}

// checksums writes SHA256SUMS of all that was made.
func (r *release) checksums() error {
	list, err := os.ReadDir(r.out)
	if err != nil {
		return err
	}
	var sums strings.Builder
	for _, file := range list {
		text, err := os.ReadFile(filepath.Join(r.out, file.Name()))
		if err != nil {
			return err
		}
		fmt.Fprintf(&sums, "%x  %s\n", sha256.Sum256(text), file.Name())
	}
	return os.WriteFile(filepath.Join(r.out, "SHA256SUMS"), []byte(sums.String()), 0o644)
}
