package main

import (
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"time"

	"roundhouse.example/bench/apart"
	"roundhouse.example/bench/text"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/demo/firm"
	"roundhouse.example/internal/standin"
	inboxdb "roundhouse.example/internal/store/inbox"
)

// uploaded is how many bytes are uploaded.
const uploaded = 2 << 30

// uploads measures an upload over loopback beside dd with fsync of the same bytes to the same disk, and the memory of
// the service meanwhile, until it has looked through the file.
func uploads(ctx context.Context, server string) error {
	d, at, err := apart.Fresh(ctx, server, "bench_uploads")
	if err != nil {
		return err
	}
	defer d.Close()
	people, err := firm.Register(ctx, d.Desk, d.Store, time.Now().AddDate(0, -1, 0), func(v string) (inboxdb.Link, error) {
		raw, err := standin.Description(2*time.Second, 5*time.Second)
		l := inboxdb.Link{Address: "http://127.0.0.1:9/" + v}
		l.Description.V = raw
		return l, err
	})
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp("bin", "bench-files-*")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	service, err := apart.Serve(at, "--files", dir)
	if err != nil {
		return err
	}
	defer service.Stop()
	id, err := openOne(service.At, people[0].Token)
	if err != nil {
		return err
	}
	var name string
	if err := d.Store.DB.GetContext(ctx, &name, "select 'C-' || number from support_case where id = $1", id); err != nil {
		return err
	}
	from, err := source(dir)
	if err != nil {
		return err
	}
	defer from.Close()
	c, err := client.New("http://"+service.At, people[0].Token)
	if err != nil {
		return err
	}
	number, taken, beside, err := inTurn(ctx, c, name, dir, from)
	if err != nil {
		return err
	}
	fmt.Printf("%-28s %.0f MB/s, %.2f times dd with fsync (at most 2)\n", "upload of 2 GB", uploaded/1e6/taken.Seconds(),
		taken.Seconds()/beside.Seconds())
	for checked := false; !checked; <-time.After(time.Second) {
		res, err := c.ShowFile(ctx, name, number)
		f, _, err := client.Read[clientgen.File](c, res, err)
		if err != nil {
			return err
		}
		checked = f.Checked
	}
	memory, err := service.Memory("VmHWM")
	if err != nil {
		return err
	}
	figure("memory of it, most", memory, "MB", 150)
	return nil
}

// source is a log of the size on the same disk.
func source(dir string) (*os.File, error) {
	f, err := os.Create(filepath.Join(dir, "source"))
	if err != nil {
		return nil, err
	}
	_, err = io.Copy(f, text.Log(uploaded))
	return f, errors.Join(err, f.Sync())
}

// written is how long dd takes to write the same bytes to the same disk.
func written(dir, from string) (time.Duration, error) {
	to := filepath.Join(dir, "dd")
	defer os.Remove(to)
	began := time.Now()
	err := exec.Command("dd", "if="+from, "of="+to, "bs=1M", "conv=fsync", "status=none").Run()
	return time.Since(began), err
}

// inTurn uploads a file and lets dd write it, three times in turn, and gives the time of both where the upload was
// closest.
func inTurn(ctx context.Context, c *client.Client, name, dir string, from *os.File) (number int, taken,
	best time.Duration, err error) {
	for range 3 {
		by, err := written(dir, from.Name())
		if err != nil {
			return 0, 0, 0, err
		}
		began := time.Now()
		number, err = c.Send(ctx, client.Upload{Case: name, Name: "bench.log", Bytes: uploaded}, from)
		if err != nil {
			return 0, 0, 0, err
		}
		if took := time.Since(began); best == 0 || took.Seconds()/by.Seconds() < taken.Seconds()/best.Seconds() {
			taken, best = took, by
		}
	}
	return number, taken, best, nil
}
