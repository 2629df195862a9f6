// Package attached has the files of the demo's cases.
package attached

import (
	"archive/tar"
	"bytes"
	"compress/gzip"
	"context"
	"embed"
	"errors"
	"fmt"
	"strings"

	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/files"
	"roundhouse.example/internal/desk/whole"
	keeper "roundhouse.example/internal/files"
	"roundhouse.example/internal/store/db"
	peopledb "roundhouse.example/internal/store/people"
)

//go:embed files
var embedded embed.FS

// attachments are the files of the demo's cases, by the titles of these. A name that ends in .tar.gz is a bundle of the
// files that it lists.
var attachments = []struct {
	title, person, name, caption string
	bundle                       []string
	sensitive                    bool
	serves                       string // which of the files that the vendor wants it is
}{
	{title: "Snapshots of the timetable database take two hours", person: "ragna@saltmarsh.example", name: "snapshots.log",
		caption: "The night of 12 October"},
	{title: "Snapshots of the timetable database take two hours", person: "ragna@saltmarsh.example",
		name: "snapshots.png", caption: "Two hours per night since 9 October"},
	{title: "No traffic on the line to Gannetholm pier", person: "solveig@saltmarsh.example", name: "passengers.csv",
		caption: "Bookings that the counter could not look up", sensitive: true},
	{title: "Controller B restarts under snapshot load", person: "ragna@saltmarsh.example",
		name: "bundle-gannetholm-1.tar.gz", caption: "Support bundle, taken right after restart 6",
		bundle: []string{"controller-b.log", "array.conf"}, serves: "Support bundle"},
}

// Add adds the files to their cases, and keeps them in a folder.
func Add(ctx context.Context, d *whole.Desk, st *db.Store, folder string) error {
	f, err := keeper.Open(folder)
	if err != nil {
		return err
	}
	defer f.Close()
	d.Files.Use(f)
	defer d.Files.Use(nil)
	people, err := peopledb.All(ctx, st.DB)
	if err != nil {
		return err
	}
	who := func(is func(peopledb.Person) bool) (a desk.Actor) {
		for _, p := range people {
			if is(p) {
				a.Person = p
			}
		}
		return a
	}
	for _, x := range attachments {
		var number int64
		if err := st.DB.GetContext(ctx, &number, "select number from support_case where title = $1 and state <> 'closed' "+
			"order by number limit 1", x.title); err != nil {
			return fmt.Errorf("the demo's case %q: %w", x.title, err)
		}
		raw, err := content(x.name, x.bundle)
		if err != nil {
			return err
		}
		a := who(func(p peopledb.Person) bool { return p.Email == x.person })
		if err := put(ctx, d, a, raw, func(bytes int64) (files.File, error) {
			return d.Files.Begin(ctx, a, fmt.Sprintf("C-%d", number), files.Offered{Name: x.name, Caption: x.caption,
				Bytes: bytes, Sensitive: x.sensitive, For: x.serves})
		}); err != nil {
			return err
		}
	}
	raw, err := content(paper, nil)
	if err != nil {
		return err
	}
	admin := who(func(p peopledb.Person) bool { return p.Role == "administrator" })
	return put(ctx, d, admin, raw, func(bytes int64) (files.File, error) {
		return d.Files.BeginPaper(ctx, admin, "vendor/tallow", files.Offered{Name: paper, Bytes: bytes,
			Caption: "What the courier and the vendor want"})
	})
}

// paper is one of a vendor of the demo.
const paper = "returning-parts.txt"

// put sends a file in one piece.
func put(ctx context.Context, d *whole.Desk, a desk.Actor, raw []byte, begin func(int64) (files.File, error)) error {
	up, err := begin(int64(len(raw)))
	if err != nil {
		return err
	}
	if _, err := d.Files.Append(up, 0, bytes.NewReader(raw)); err != nil {
		return err
	}
	_, err = d.Files.Finish(ctx, a, up.Key)
	return err
}

func content(name string, bundle []string) ([]byte, error) {
	if len(bundle) == 0 {
		return embedded.ReadFile("files/" + name)
	}
	var out bytes.Buffer
	z := gzip.NewWriter(&out)
	t := tar.NewWriter(z)
	for _, inside := range bundle {
		raw, err := embedded.ReadFile("files/" + inside)
		if err != nil {
			return nil, err
		}
		h := &tar.Header{Name: strings.TrimSuffix(name, ".tar.gz") + "/" + inside, Mode: 0o600, Size: int64(len(raw))}
		if err := t.WriteHeader(h); err != nil {
			return nil, err
		}
		if _, err := t.Write(raw); err != nil {
			return nil, err
		}
	}
	err := errors.Join(t.Close(), z.Close())
	return out.Bytes(), err
}
