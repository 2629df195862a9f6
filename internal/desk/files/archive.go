package files

import (
	"archive/zip"
	"context"
	"encoding/hex"
	"encoding/json"
	"fmt"
	"io"
	"strings"
	"time"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
)

// Archive is the files of a case in one.
type Archive struct {
	// Name is that of the archive.
	Name     string
	files    []File
	manifest manifest
	folder   *Files
}

// manifest says what is in an archive.
type manifest struct {
	Case   string      `json:"case"`
	Title  string      `json:"title"`
	MadeAt time.Time   `json:"made_at"`
	MadeBy string      `json:"made_by"`
	Files  []inArchive `json:"files"`
	// Hidden is how many sensitive files are not in it, as who made it does not see them.
	Hidden int `json:"hidden"`
}

type inArchive struct {
	Path      string      `json:"path"`
	Number    int         `json:"number"`
	Name      string      `json:"name"`
	Caption   string      `json:"caption"`
	Bytes     int64       `json:"bytes"`
	Type      string      `json:"type"`
	SHA256    string      `json:"sha256"`
	Sensitive bool        `json:"sensitive"`
	AddedBy   string      `json:"added_by"`
	AddedAt   time.Time   `json:"added_at"`
	Sent      []inMessage `json:"sent"`
	// Removed is why its content is not there.
	Removed string `json:"removed,omitempty"`
}

type inMessage struct {
	Entry   int        `json:"entry"`
	Channel string     `json:"channel"`
	State   string     `json:"state"`
	At      *time.Time `json:"at"`
}

// Archive puts the files of a case that the person sees into one, with a manifest. It is written by Write.
func (d *Files) Archive(ctx context.Context, a desk.Actor, caseName string) (*Archive, error) {
	if d.folder == nil {
		return nil, ErrNoFolder
	}
	c, err := d.read(ctx, a, caseName)
	if err != nil {
		return nil, err
	}
	list, hidden, err := d.seen(ctx, a, c)
	if err != nil {
		return nil, err
	}
	if len(list) == 0 {
		return nil, desk.Fault("case", "it has no files that you see")
	}
	sent, err := d.sent(ctx, c)
	name := casework.Name(c.Number)
	x := &Archive{Name: name + "-files", files: list, folder: d, manifest: manifest{Case: name, Title: c.Title,
		MadeAt: d.Now().Truncate(time.Second), MadeBy: a.Name, Hidden: hidden}}
	for _, f := range list {
		m := inArchive{Path: x.place(f), Number: *f.Number, Name: f.Name, Caption: f.Caption, Bytes: f.Bytes, Type: f.Type,
			SHA256: hex.EncodeToString(f.SHA256), Sensitive: f.Sensitive, AddedBy: f.Adder, AddedAt: f.ArrivedAt.UTC(),
			Sent: []inMessage{}, Removed: f.RemovedBecause}
		for _, s := range sent[*f.Number] {
			m.Sent = append(m.Sent, inMessage{s.Entry, string(s.Channel), string(s.State), s.LeftAt})
		}
		x.manifest.Files = append(x.manifest.Files, m)
	}
	return x, err
}

// place is where a file is in the archive: its number keeps names apart.
func (x *Archive) place(f File) string { return fmt.Sprintf("%s/%03d-%s", x.Name, *f.Number, f.Name) }

// Write writes it as zip, file by file. A file that cannot be read ends it with an error: half an archive must not look
// whole.
func (x *Archive) Write(ctx context.Context, to io.Writer) error {
	z := zip.NewWriter(to)
	w, err := z.CreateHeader(&zip.FileHeader{Name: x.Name + "/manifest.json", Method: zip.Deflate,
		Modified: x.manifest.MadeAt})
	if err != nil {
		return err
	}
	enc := json.NewEncoder(w)
	enc.SetIndent("", "  ")
	if err := enc.Encode(x.manifest); err != nil {
		return err
	}
	for _, f := range x.files {
		if f.RemovedAt != nil {
			continue
		}
		if err := x.add(ctx, z, f); err != nil {
			return err
		}
	}
	return z.Close()
}

func (x *Archive) add(ctx context.Context, z *zip.Writer, f File) error {
	content, err := x.folder.Bytes(f.Key)
	if err != nil {
		return err
	}
	defer content.Close()
	method := zip.Store // what is packed already gets no smaller
	if strings.HasPrefix(f.Type, "text/") {
		method = zip.Deflate
	}
	w, err := z.CreateHeader(&zip.FileHeader{Name: x.place(f), Method: method, Modified: *f.ArrivedAt})
	if err != nil {
		return err
	}
	_, err = io.Copy(w, reader{ctx, content})
	return err
}
