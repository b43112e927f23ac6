package modelfile

import (
	"archive/zip"
	"bytes"
	"errors"
	"fmt"
	"io"
	"path"
	"strings"

	"jobshelf/core/shape/problem"
)

// archive is a ZIP whose parts are read one at a time within a common budget.
type archive struct {
	parts map[string]*zip.File // by cleaned name, without the leading slash
	names []string
	twice map[string]bool // parts of which there are two: nobody can tell which is meant
	evil  int             // parts left out since their names point outside
	left  int64           // bytes that may still be unpacked
}

const (
	maxParts = 4096
	// ratioMin and ratioMax: beyond the first 16 MB a part that unpacks to more
	// than 100 times its size is made to do harm; XML shrinks by 5 to 20.
	ratioMin = 16 << 20
	ratioMax = 100
)

// openArchive reads the directory of a ZIP. r is used directly if it can be
// read at any place, else it is kept in memory, within the byte limit.
func openArchive(in *source, limits Limits) (*archive, error) {
	at, size := io.ReaderAt(nil), in.size
	if ra, ok := in.r.(io.ReaderAt); ok && size >= 0 {
		at = ra
	} else {
		whole, err := io.ReadAll(io.MultiReader(bytes.NewReader(in.buf), io.LimitReader(in.r, limits.Bytes-int64(len(in.buf))+1)))
		if err != nil {
			return nil, fmt.Errorf("read model: %w", err)
		}
		if int64(len(whole)) > limits.Bytes {
			return nil, tooManyBytes(limits.Bytes)
		}
		at, size = bytes.NewReader(whole), int64(len(whole))
	}
	z, err := zip.NewReader(at, size)
	if err != nil && !errors.Is(err, zip.ErrInsecurePath) {
		return nil, broken(0, exportAgain, "The archive cannot be opened: %v", err)
	}
	if len(z.File) > maxParts {
		return nil, &Error{Kind: ErrTooLarge, Byte: -1, What: problem.Text("The archive has %d parts, the limit is %d", len(z.File), maxParts), Do: problem.Text(exportAgain)}
	}
	a := &archive{parts: map[string]*zip.File{}, twice: map[string]bool{}, left: limits.Unpacked}
	for _, f := range z.File {
		if strings.HasSuffix(f.Name, "/") {
			continue
		}
		name, err := partName(f.Name)
		if err != nil { // nothing is ever written, so it can do no harm beside a good model
			a.evil++
			continue
		}
		key := strings.ToLower(name)
		a.twice[key] = a.parts[key] != nil
		a.parts[key] = f
		a.names = append(a.names, name)
	}
	return a, nil
}

// partName cleans the name of a part and refuses one that points outside.
func partName(name string) (string, error) {
	clean := strings.TrimPrefix(name, "/")
	if strings.Contains(clean, "\\") || path.Clean("/"+clean) != "/"+clean || clean == "" {
		return "", broken(-1, exportAgain, "The archive names a part %q, which points outside of it", clip([]byte(name)))
	}
	return clean, nil
}

// open gives a part for reading; nothing is unpacked ahead.
func (a *archive) open(name string) (io.ReadCloser, error) {
	key := strings.ToLower(strings.TrimPrefix(name, "/"))
	f := a.parts[key]
	switch {
	case f == nil:
		return nil, broken(-1, exportAgain, "The archive has no part %q", clip([]byte(name)))
	case a.twice[key]:
		return nil, broken(-1, exportAgain, "The archive has the part %q twice", clip([]byte(name)))
	case f.Flags&1 != 0:
		return nil, broken(-1, "Hand it in without a password.", "The part %q is encrypted", clip([]byte(name)))
	}
	r, err := f.Open()
	if err != nil {
		return nil, broken(-1, exportAgain, "The part %q cannot be unpacked: %v", f.Name, err)
	}
	return &partReader{a: a, r: r, f: f}, nil
}

// odd says what was passed over.
func (a *archive) odd() []string {
	switch a.evil {
	case 0:
		return nil
	case 1:
		return []string{"The file holds a part whose name points outside of it. It was left out; nothing of it was written anywhere."}
	}
	return []string{fmt.Sprintf("The file holds %d parts whose names point outside of it. They were left out; nothing of them was written anywhere.", a.evil)}
}

type partReader struct {
	a   *archive
	r   io.ReadCloser
	f   *zip.File
	out int64
}

func (p *partReader) Close() error { return p.r.Close() }

func (p *partReader) Read(b []byte) (int, error) {
	n, err := p.r.Read(b)
	p.out += int64(n)
	p.a.left -= int64(n)
	switch {
	case p.a.left < 0:
		return 0, &Error{
			Kind: ErrTooLarge,
			Byte: -1,
			What: problem.Text("The archive unpacks to more than the limit"),
			Do:   problem.Text("Reduce the number of triangles in the program that made it."),
		}
	case p.out > ratioMin && p.out/ratioMax > int64(p.f.CompressedSize64):
		return 0, &Error{
			Kind: ErrTooLarge,
			Byte: -1,
			What: problem.Text("The part %q unpacks to more than %d times its size; no model does", p.f.Name, ratioMax),
			Do:   problem.Text(exportAgain),
		}
	case err != nil && !errors.Is(err, io.EOF):
		return n, broken(-1, exportAgain, "The part %q is damaged: %v", p.f.Name, err)
	}
	return n, err
}
