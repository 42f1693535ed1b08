package runfolder

import (
	"archive/zip"
	"bytes"
	"errors"
	"io"
	"io/fs"
	"math"
	"path"
	"path/filepath"
	"slices"
	"strings"

	"zincroad/formats/csvlog"
)

// IsZip tells a zip file from its first bytes.
func IsZip(head []byte) bool { return bytes.HasPrefix(head, []byte("PK\x03\x04")) }

// Holds tells whether a zip file holds a run folder.
func Holds(r io.ReaderAt, size int64) bool {
	z, err := zip.NewReader(r, size)
	return err == nil && len(documentsOf(z)) > 0
}

// documentsOf gives the paths of the run.json in a zip file, in one folder at most.
func documentsOf(z *zip.Reader) []string {
	var out []string
	for _, f := range z.File {
		if path.Base(f.Name) == DocumentName && strings.Count(f.Name, "/") <= 1 {
			out = append(out, f.Name)
		}
	}
	return out
}

// Unpacked is how many bytes a zip file says that it unpacks to; 0 where it cannot be read.
func Unpacked(r io.ReaderAt, size int64) (n uint64) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return 0
	}
	return unpacked(z)
}

// unpacked adds up what a zip says of its files; a sum that no number holds is the largest that one does.
func unpacked(z *zip.Reader) (n uint64) {
	for _, f := range z.File {
		if n+f.UncompressedSize64 < n {
			return math.MaxUint64
		}
		n += f.UncompressedSize64
	}
	return n
}

// openZip opens a zip file that is fit to be read: before anything in it is, its names are looked at and
// what it says it unpacks to is added up. The library ends a file that unpacks to more than it says.
func openZip(r io.ReaderAt, size int64, name string) (*zip.Reader, error) {
	z, err := zip.NewReader(r, size)
	if err != nil {
		return nil, faulty(name, 0, "no readable zip file")
	}
	if len(z.File) > mostFiles {
		return nil, faulty(name, 0, "it holds %d files, expected at most %d", len(z.File), mostFiles)
	}
	if unpacked(z) > MaxUnpacked {
		return nil, faulty(name, 0, "it unpacks to more than %d MB", MaxUnpacked>>20)
	}
	seen := make(map[string]bool, len(z.File))
	for _, f := range z.File {
		plainName := strings.TrimSuffix(f.Name, "/")
		switch {
		case !filepath.IsLocal(plainName) || strings.Contains(f.Name, `\`):
			return nil, faulty(name, 0, "%.80q in it lies outside of its folder", f.Name)
		case seen[path.Clean(plainName)]:
			return nil, faulty(name, 0, "%.80q is in it twice", f.Name)
		}
		seen[path.Clean(plainName)] = true
		if f.UncompressedSize64 > looseSize && f.UncompressedSize64/mostPacked > f.CompressedSize64 {
			return nil, faulty(name, 0, "%.80q in it unpacks to %d times its size, as no log does", f.Name,
				f.UncompressedSize64/max(1, f.CompressedSize64))
		}
	}
	return z, nil
}

// Inside lists the files of a zip file, and gives them to Take.
func Inside(r io.ReaderAt, size int64, name string) (names []string, files fs.FS, err error) {
	z, err := openZip(r, size, name)
	if err != nil {
		return nil, nil, err
	}
	for _, f := range z.File {
		if !strings.HasSuffix(f.Name, "/") {
			names = append(names, f.Name)
		}
	}
	return names, z, nil
}

// OpenZip reads a zipped run folder; run.json may stand in one folder inside. A zip of several runs
// is refused: OpenZips reads it.
func OpenZip(r io.ReaderAt, size int64, name string) (*Folder, error) {
	all, err := OpenZips(r, size, name)
	if err != nil {
		return nil, err
	}
	if len(all) > 1 {
		return nil, faulty(name, 0, "it holds %d runs: bring them in, or unpack it and take one", len(all))
	}
	return all[0], nil
}

// mostRuns is how many runs one zip may hold.
const mostRuns = 500

// OpenZips reads every run folder in a zip, in the order of their names; one that is faulty refuses
// all, by its own name.
func OpenZips(r io.ReaderAt, size int64, name string) ([]*Folder, error) {
	z, err := openZip(r, size, name)
	if err != nil {
		return nil, err
	}
	docs := documentsOf(z)
	switch {
	case len(docs) == 0:
		return nil, faulty(name, 0, "no %s inside", DocumentName)
	case len(docs) > mostRuns:
		return nil, faulty(name, 0, "it holds %d runs, expected at most %d", len(docs), mostRuns)
	}
	slices.Sort(docs)
	var out []*Folder
	var bad []csvlog.Fault
	for _, doc := range docs {
		var root fs.FS = z
		dir := path.Dir(doc)
		if dir != "." {
			if root, err = fs.Sub(z, dir); err != nil {
				return nil, faulty(name, 0, "%q is no folder", dir)
			}
		}
		f, err := Open(root, name)
		var fe *FaultError
		switch {
		case err == nil:
			out = append(out, f)
		case errors.As(err, &fe):
			for _, fault := range fe.Faults {
				if len(docs) > 1 {
					fault.File = path.Join(dir, fault.File)
				}
				bad = append(bad, fault)
			}
		default:
			return nil, err
		}
	}
	if len(bad) > 0 {
		return nil, &FaultError{bad}
	}
	return out, nil
}
