package files_test

import (
	"strings"
	"sync"
	"testing"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk/desktest"
	deskfiles "roundhouse.example/internal/desk/files"
	"roundhouse.example/internal/files"
	"roundhouse.example/internal/testdb"
)

func TestMain(m *testing.M) { testdb.Main(m) }

// A file whose end several see at once, as two services do after a kill, is added to its case once; to finish it again
// changes nothing.
func TestAFileIsAddedOnce(t *testing.T) {
	t.Parallel()
	d := desktest.New(t)
	folder, err := files.Open(t.TempDir())
	if err != nil {
		t.Fatal(err)
	}
	d.Files.Use(folder)
	id := d.Filed("Gates say no")
	ragna, name := d.As("Ragna"), casework.Name(d.Row(id).Number)
	f, err := d.Files.Begin(t.Context(), ragna, name, deskfiles.Offered{Name: "gate.log", Bytes: 5})
	if err == nil {
		_, err = d.Files.Append(f, 0, strings.NewReader("hello"))
	}
	if err != nil {
		t.Fatal(err)
	}
	before := d.Row(id).LastEntry
	var all sync.WaitGroup
	for range 6 {
		all.Go(func() {
			if got, err := d.Files.Finish(t.Context(), ragna, f.Key); err != nil || got.Number == nil || *got.Number != 1 {
				t.Errorf("finished: %+v, %v", got.Number, err)
			}
		})
	}
	all.Wait()
	if _, err := d.Files.Finish(t.Context(), ragna, f.Key); err != nil {
		t.Error(err)
	}
	list, err := d.Files.List(t.Context(), ragna, name)
	if n := d.Row(id).LastEntry - before; err != nil || len(list.Files) != 1 || n != 1 {
		t.Errorf("%d files, %d entries, %v", len(list.Files), n, err)
	}
	d.Agrees()
}
