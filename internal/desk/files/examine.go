package files

import (
	"context"
	"crypto/sha256"
	"errors"
	"io"
	"mime"
	"os"
	"path"
	"time"

	"github.com/gabriel-vasile/mimetype"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/disclosure"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/files"
	"roundhouse.example/internal/scan"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
)

// small is the size of a file, in bytes, up to which its sender waits until it is examined.
const small = 4 << 20

// mostKept is how many findings of a file are kept with their places.
const mostKept = 200

// examineSoon examines a small file at once, where there is a place; what it cannot do, the sweep does.
func (d *Files) examineSoon(ctx context.Context, f File) File {
	if f.Bytes > small {
		return f
	}
	select {
	case d.soon <- struct{}{}:
		defer func() { <-d.soon }()
	default:
		return f
	}
	if now, err := d.Examine(ctx, f.ID); err == nil {
		return now
	}
	return f
}

// Examine reads a file through: its hash, what it is, and what must be known before it leaves. A file that another
// service is at is left to it.
func (d *Files) Examine(ctx context.Context, id int64) (File, error) {
	f, err := filesdb.ByID(ctx, d.db.DB, id)
	if err != nil || f.ExaminedAt != nil || f.ArrivedAt == nil || f.RemovedAt != nil || d.folder == nil {
		return f, err
	}
	content, err := d.folder.Open(f.Key)
	if err != nil {
		return f, errors.Join(err, filesdb.Failed(ctx, d.db.DB, f.ID, plainly(err)))
	}
	defer content.Close()
	if !files.Mine(content) {
		return f, nil
	}
	if err := filesdb.Looked(ctx, d.db.DB, f.ID, d.Now()); err != nil {
		return f, err
	}
	if err := d.examine(ctx, &f, content); err != nil {
		if ctx.Err() != nil {
			return f, err
		}
		return f, errors.Join(err, filesdb.Failed(ctx, d.db.DB, f.ID, plainly(err)))
	}
	f.ExaminedAt, f.Problem = new(d.Now()), ""
	err = d.db.Do(ctx, func(tx *db.Tx) error {
		done, err := filesdb.Examined(ctx, tx, f)
		if err != nil || !done {
			return err
		}
		if f.CaseID == 0 {
			return nil
		}
		return d.cases.Tell(ctx, tx, f.CaseID)
	})
	return f, err
}

func (d *Files) examine(ctx context.Context, f *File, content *os.File) error {
	hash := sha256.New()
	n, err := io.Copy(hash, reader{ctx, content})
	if err != nil {
		return err
	}
	if n != f.Bytes {
		return errCut
	}
	f.SHA256 = hash.Sum(nil)
	if _, err := content.Seek(0, io.SeekStart); err != nil {
		return err
	}
	is, err := mimetype.DetectReader(content)
	if err != nil {
		return err
	}
	f.Type, f.NamedType = is.String(), lies(f.Name, is)
	if _, err := content.Seek(0, io.SeekStart); err != nil {
		return err
	}
	found, err := scan.New(d.leaving.Scanner(), scan.Options{}).File(ctx, f.Name, content)
	f.Findings.V = kept(found)
	return err
}

var errCut = errors.New("the file is shorter than what was sent")

// plainly is an error as people may read it, without the folder's place.
func plainly(err error) string {
	if errors.Is(err, files.ErrGone) || errors.Is(err, errCut) {
		return err.Error()
	}
	return "the file cannot be read from the service's disk"
}

func kept(found []scan.Finding) (out filesdb.Findings) {
	out.Count = map[disclosure.Kind]int{}
	for _, f := range found {
		out.Count[f.Kind]++
		if len(out.First) < mostKept {
			out.First = append(out.First, filesdb.Finding{Inside: f.Inside, Line: f.Line, Kind: f.Kind, Excerpt: f.Excerpt})
		}
	}
	return out
}

// lies is the type that a name promises, where the content is something else; empty where they agree, or where the
// content alone cannot tell.
func lies(name string, is *mimetype.MIME) string {
	promised, _, err := mime.ParseMediaType(mime.TypeByExtension(path.Ext(name)))
	if err != nil {
		return ""
	}
	said := mimetype.Lookup(promised)
	if said == nil {
		return ""
	}
	for x := is; x != nil; x = x.Parent() {
		if x.Is(promised) {
			return ""
		}
	}
	for x := said; x != nil; x = x.Parent() {
		if x.Is(is.String()) && (x.Parent() != nil || !magic[promised]) {
			return ""
		}
	}
	return promised
}

// magic are types that can be told by how they begin: what does not begin so is not one of them.
var magic = map[string]bool{"image/png": true, "image/jpeg": true, "image/gif": true, "image/webp": true,
	"application/pdf": true, "application/zip": true, "application/gzip": true}

// reader ends with its context.
type reader struct {
	ctx context.Context
	r   io.Reader
}

// Read reads on while the context lasts.
func (r reader) Read(p []byte) (int, error) {
	if err := r.ctx.Err(); err != nil {
		return 0, err
	}
	return r.r.Read(p)
}

const (
	settled = 10 * time.Second // after which the sweep takes up what its sender should have finished
	rests   = 24 * time.Hour   // for which an upload may rest
	atOnce  = 100
	// tryAgain is after how long a file is tried again that could not be examined, or whose examiner was killed.
	tryAgain = 2 * time.Minute
)

// ExamineDue examines what has arrived, one after the other.
func (d *Files) ExamineDue(ctx context.Context) error {
	if d.folder == nil {
		return nil
	}
	ids, err := filesdb.Unexamined(ctx, d.db.DB, d.Now().Add(-tryAgain), atOnce)
	for _, id := range ids {
		if ctx.Err() != nil {
			return ctx.Err()
		}
		_, one := d.Examine(ctx, id)
		err = errors.Join(err, one)
	}
	return err
}

// Sweep finishes uploads whose end nobody saw, and forgets those to which nothing has come for a day.
func (d *Files) Sweep(ctx context.Context) error {
	if d.folder == nil {
		return nil
	}
	now, after := d.Now(), int64(0)
	if err := errors.Join(d.dropOrphans(ctx, now), d.dropRemoved(ctx)); err != nil {
		return err
	}
	for {
		list, err := filesdb.Unfinished(ctx, d.db.DB, now.Add(-settled), after, atOnce)
		if err != nil {
			return err
		}
		for _, f := range list {
			after = f.ID
			if err := d.sweep(ctx, f, now); err != nil {
				return err
			}
		}
		if len(list) < atOnce {
			return nil
		}
	}
}

// dropOrphans removes what came of uploads that nobody knows any more.
func (d *Files) dropOrphans(ctx context.Context, now time.Time) error {
	keys, err := d.folder.Orphans(now.Add(-2 * rests))
	for _, key := range keys {
		if _, unknown := filesdb.ByKey(ctx, d.db.DB, key); errors.Is(unknown, db.ErrNotFound) {
			err = errors.Join(err, d.folder.Drop(key))
		}
	}
	return err
}

func (d *Files) sweep(ctx context.Context, f File, now time.Time) error {
	have, last, err := d.folder.Part(f.Key)
	switch {
	case errors.Is(err, files.ErrGone):
		if _, err = d.finish(ctx, f.Key); errors.Is(err, files.ErrGone) && now.Sub(f.BeganAt) > rests {
			return d.forget(ctx, f)
		} else if errors.Is(err, files.ErrGone) {
			return nil // it is in the folder of another service
		}
		return err
	case err != nil:
		return err
	case have == f.Bytes:
		_, err := d.finish(ctx, f.Key)
		return err
	case now.Sub(last) > rests:
		return d.forget(ctx, f)
	}
	return nil
}

// Masked makes a copy of a text file with a mask in place of what was found, as a new file of the case. Where there is
// one already, it is that.
func (d *Files) Masked(ctx context.Context, a desk.Actor, caseName string, number int) (File, error) {
	if err := a.May(access.Work); err != nil {
		return File{}, err
	}
	f, content, err := d.Content(ctx, a, caseName, number)
	if err != nil {
		return f, err
	}
	defer content.Close()
	if c, err := filesdb.CopyOf(ctx, d.db.DB, f.ID); !errors.Is(err, db.ErrNotFound) {
		return c, err
	}
	return d.mask(ctx, a, f, content)
}

func (d *Files) mask(ctx context.Context, a desk.Actor, f File, content *os.File) (File, error) {
	masked, err := d.nameless(ctx, f, content)
	if err != nil {
		return f, err
	}
	defer masked.Close()
	st, err := masked.Stat()
	if err != nil {
		return f, err
	}
	if st.Size() == 0 {
		return f, desk.Fault("file", "%s is not a text file, so there is no masked copy of it", f.Name)
	}
	ext := path.Ext(f.Name)
	c, err := check(Offered{Name: f.Name[:len(f.Name)-len(ext)] + "-masked" + ext, Caption: f.Caption, Bytes: st.Size(),
		Sensitive: f.Sensitive})
	if err != nil {
		return f, err
	}
	c.CaseID, c.AddedBy, c.BeganAt, c.MadeFrom, c.Serves = f.CaseID, a.ID, d.Now(), &f.ID, f.Serves
	if err := d.begin(ctx, &c); err != nil {
		return f, err
	}
	if _, err := d.folder.Append(c.Key, 0, reader{ctx, masked}); err != nil {
		return f, errors.Join(err, d.forget(context.WithoutCancel(ctx), c))
	}
	return d.Finish(ctx, a, c.Key)
}

// nameless is the masked text in a file that is gone when it is closed.
func (d *Files) nameless(ctx context.Context, f File, content *os.File) (*os.File, error) {
	masked, err := d.folder.Nameless()
	if err != nil {
		return nil, err
	}
	if _, err = scan.New(d.leaving.Scanner(), scan.Options{Masked: masked}).File(ctx, f.Name, content); err == nil {
		_, err = masked.Seek(0, io.SeekStart)
	}
	if err != nil {
		return nil, errors.Join(err, masked.Close())
	}
	return masked, nil
}
