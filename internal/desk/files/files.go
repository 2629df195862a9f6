// Package files is what people do with the files of a case: add them, look at them, take them out. Their bytes are in a
// folder beside the database, their names, hashes and what was found in them are records.
package files

import (
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"io"
	"strings"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	corefiles "roundhouse.example/internal/core/files"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/cases"
	"roundhouse.example/internal/desk/leaving"
	"roundhouse.example/internal/failpoint"
	"roundhouse.example/internal/files"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
)

// What is known of a file, and of one that goes with a message.
type (
	File     = filesdb.File
	Enclosed = filesdb.Enclosed
)

// Files is the subject. Use New.
type Files struct {
	*desk.Desk
	db      *db.Store
	cases   *cases.Cases
	leaving *leaving.Leaving
	folder  *files.Folder
	// soon has places for files that are examined while their sender waits.
	soon chan struct{}
}

// New makes the subject over a desk's database.
func New(d *desk.Desk, db *db.Store, c *cases.Cases, l *leaving.Leaving) *Files {
	return &Files{Desk: d, db: db, cases: c, leaving: l, soon: make(chan struct{}, 2)}
}

// Use gives the desk its folder. Without one, files cannot be added or read.
func (d *Files) Use(folder *files.Folder) { d.folder = folder }

// Errors of the folder.
var (
	ErrFull = files.ErrFull
	ErrBusy = files.ErrBusy
	ErrGone = files.ErrGone
)

// ErrNoFolder is returned where the service was given no folder for files.
var ErrNoFolder = errors.New("this service has no folder for files: start it with --files")

const (
	// mostComing is how many uploads a person may have under way, mostFiles how many files a case may have.
	mostComing = 100
	mostFiles  = 1000
	longest    = 1000 // characters of a caption
)

// Offered is a file that somebody wants to add.
type Offered struct {
	Name, Caption string
	Bytes         int64
	Sensitive     bool
	// From is the number of the picture that this one is an edited copy of; 0 for none.
	From int
	// For is which of the files that the vendor wants it is; empty for none.
	For string
}

// Begin makes room for a file of a case that is then sent piece by piece.
func (d *Files) Begin(ctx context.Context, a desk.Actor, caseName string, o Offered) (File, error) {
	if err := a.May(access.Work); err != nil {
		return File{}, err
	}
	if d.folder == nil {
		return File{}, ErrNoFolder
	}
	c, err := d.find(ctx, a, caseName)
	if err != nil {
		return File{}, err
	}
	f, err := check(o)
	if err == nil && o.For != "" {
		err = d.wants(ctx, c, "for", o.For)
	}
	if err != nil {
		return File{}, err
	}
	if o.From != 0 {
		from, err := d.one(ctx, a, c, o.From)
		if errors.Is(err, db.ErrNotFound) || err == nil && !strings.HasPrefix(from.Type, "image/") {
			return File{}, desk.Fault("from", "file %d is not a picture of this case", o.From)
		} else if err != nil {
			return File{}, err
		}
		f.MadeFrom = &from.ID
	}
	f.CaseID, f.AddedBy, f.BeganAt = c.ID, a.ID, d.Now()
	return f, d.begin(ctx, &f)
}

func (d *Files) begin(ctx context.Context, f *File) error {
	if err := d.folder.Room(f.Bytes); err != nil {
		return err
	}
	f.Key = rand.Text()
	err := d.db.Do(ctx, func(tx *db.Tx) error {
		coming, err := filesdb.Coming(ctx, tx, f.AddedBy)
		if err != nil {
			return err
		}
		if coming >= mostComing {
			return desk.Fault("file", "you are sending %d files already: wait until some are done, or cancel them", coming)
		}
		next, err := filesdb.Next(ctx, tx, f.CaseID)
		if f.CaseID == 0 {
			next, err = filesdb.NextPaper(ctx, tx, f.OwnerOf())
		}
		if err != nil {
			return err
		}
		if next > mostFiles {
			return desk.Fault("file", "at most %d files are allowed here: pack several into one archive", mostFiles)
		}
		return filesdb.Add(ctx, tx, f)
	})
	if err != nil {
		return err
	}
	if err := d.folder.Begin(f.Key); err != nil {
		_, forgot := filesdb.Forget(ctx, d.db.DB, f.ID)
		return errors.Join(err, forgot)
	}
	return nil
}

// check says what is wrong with what is offered.
func check(o Offered) (f File, err error) {
	var wrong []desk.Field
	name, err := corefiles.Name(o.Name)
	if err != nil {
		wrong = append(wrong, desk.Field{Name: "filename", Detail: err.Error()})
	}
	if err := corefiles.Size(o.Bytes); err != nil {
		wrong = append(wrong, desk.Field{Name: "size", Detail: err.Error()})
	}
	caption, err := captionOf(o.Caption)
	if err != nil {
		wrong = append(wrong, err.(*desk.Invalid).Fields...)
	}
	if len(wrong) > 0 {
		return f, &desk.Invalid{Fields: wrong}
	}
	return File{Name: name, Caption: caption, Bytes: o.Bytes, Sensitive: o.Sensitive, Serves: o.For}, nil
}

func captionOf(s string) (string, error) {
	s = strings.TrimSpace(strings.ToValidUTF8(strings.ReplaceAll(s, "\x00", ""), "?"))
	if len([]rune(s)) > longest {
		return "", desk.Fault("caption", "at most %d characters are allowed", longest)
	}
	return s, nil
}

// Coming is an upload of the person's with how much of it has come. One that is whole is finished first, where that
// could not be done when it came.
func (d *Files) Coming(ctx context.Context, a desk.Actor, key string) (f File, have int64, err error) {
	if err := a.May(access.Work); err != nil {
		return f, 0, err
	}
	if d.folder == nil {
		return f, 0, ErrNoFolder
	}
	f, err = filesdb.ByKey(ctx, d.db.DB, key)
	if err == nil && f.AddedBy != a.ID {
		err = db.ErrNotFound
	}
	if err != nil || f.ArrivedAt != nil {
		return f, f.Bytes, err
	}
	have, _, err = d.folder.Part(key)
	if errors.Is(err, files.ErrGone) || err == nil && have == f.Bytes {
		f, err = d.finish(ctx, key)
		return f, f.Bytes, err
	}
	return f, have, err
}

// Append writes what comes of an upload, and says how much that was, whatever the error.
func (d *Files) Append(f File, offset int64, from io.Reader) (int64, error) {
	return d.folder.Append(f.Key, offset, io.LimitReader(from, f.Bytes-offset))
}

// Cancel ends an upload of the person's that has not arrived.
func (d *Files) Cancel(ctx context.Context, a desk.Actor, key string) error {
	f, _, err := d.Coming(ctx, a, key)
	if err != nil {
		return err
	}
	if f.ArrivedAt != nil {
		return desk.Fault("file", "it has arrived as file %d", *f.Number)
	}
	return d.forget(ctx, f)
}

func (d *Files) forget(ctx context.Context, f File) error {
	gone, err := filesdb.Forget(ctx, d.db.DB, f.ID)
	if err != nil || !gone {
		return err
	}
	return d.folder.Drop(f.Key)
}

// Finish adds a file to its case once all of it has come. To do it again does nothing.
func (d *Files) Finish(ctx context.Context, a desk.Actor, key string) (File, error) {
	f, err := filesdb.ByKey(ctx, d.db.DB, key)
	if err == nil && f.AddedBy != a.ID {
		err = db.ErrNotFound
	}
	if err != nil {
		return f, err
	}
	if f, err = d.finish(ctx, key); err != nil {
		return f, err
	}
	return d.examineSoon(ctx, f), nil
}

func (d *Files) finish(ctx context.Context, key string) (f File, err error) {
	if err := d.folder.Keep(key); err != nil {
		return f, err
	}
	failpoint.Hit("file.kept")
	err = d.db.Do(ctx, func(tx *db.Tx) error {
		if f, err = filesdb.ByKey(ctx, tx, key); err != nil {
			return err
		}
		if f.CaseID == 0 {
			return d.finishPaper(ctx, tx, &f)
		}
		return d.cases.Change(ctx, tx, f.CaseID, nil, func(w *cases.Work) error {
			if f, err = filesdb.ByKey(ctx, tx, key); err != nil || f.ArrivedAt != nil {
				return err
			}
			return d.arrive(ctx, w, &f)
		})
	})
	if err == nil {
		failpoint.Hit("file.arrived")
	}
	return f, err
}

// arrive writes the line of the record.
func (d *Files) arrive(ctx context.Context, w *cases.Work, f *File) error {
	next, err := filesdb.Next(ctx, w.Tx, f.CaseID)
	if err != nil {
		return err
	}
	e, err := w.Add(ctx, casesdb.Entry{Kind: casework.Attached, Body: called(*f, next), AuthorID: &f.AddedBy,
		AuthorName: f.Adder})
	if err != nil {
		return err
	}
	f.Number, f.EntryID, f.EntryNumber, f.ArrivedAt = &next, &e.ID, &e.Number, &w.Now
	return filesdb.Arrived(ctx, w.Tx, *f)
}

// called is a file as its line of the record has it; of one that not everybody may see it says no more than that it is
// there.
func called(f File, number int) string {
	if f.Sensitive {
		return fmt.Sprintf("File %d: a sensitive file (%s)", number, corefiles.Bytes(f.Bytes))
	}
	text := fmt.Sprintf("File %d: %s (%s)", number, f.Name, corefiles.Bytes(f.Bytes))
	if f.Caption != "" {
		text += "\n" + f.Caption
	}
	return text
}
