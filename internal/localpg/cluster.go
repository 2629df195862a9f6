package localpg

import (
	"bytes"
	"context"
	"crypto/rand"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/user"
	"path/filepath"
	"sort"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// Find is the folder of the newest PostgreSQL server's programs on this machine.
func Find() (string, error) {
	dirs, _ := filepath.Glob("/usr/lib/postgresql/*/bin")
	sort.Slice(dirs, func(i, j int) bool { return versionOf(dirs[i]) > versionOf(dirs[j]) })
	for _, d := range dirs {
		if _, err := os.Stat(filepath.Join(d, "initdb")); err == nil {
			return d, nil
		}
	}
	if p, err := exec.LookPath("initdb"); err == nil {
		return filepath.Dir(p), nil
	}
	return "", errors.New("the PostgreSQL server is not installed: install Debian's package postgresql, or give " +
		"--database URL")
}

func versionOf(dir string) float64 {
	v, _ := strconv.ParseFloat(filepath.Base(filepath.Dir(dir)), 64)
	return v
}

type cluster struct {
	bin, dir, data, pass string
	fast                 bool
	port                 int
	uid, gid             int // of the user postgres, when we are root
}

func (c *cluster) attr() *syscall.SysProcAttr {
	a := &syscall.SysProcAttr{Setpgid: true}
	if c.uid != 0 {
		a.Credential = &syscall.Credential{Uid: uint32(c.uid), Gid: uint32(c.gid)}
	}
	return a
}

func (c *cluster) command(ctx context.Context, name string, args ...string) *exec.Cmd {
	cmd := exec.CommandContext(ctx, filepath.Join(c.bin, name), args...)
	cmd.Dir, cmd.SysProcAttr = c.dir, c.attr()
	cmd.Env = []string{"PATH=/usr/bin:/bin", "LC_ALL=C.UTF-8", "TZ=UTC"}
	return cmd
}

func (c *cluster) prepare(ctx context.Context) error {
	if os.Geteuid() == 0 { // initdb and postgres refuse root
		u, err := user.Lookup("postgres")
		if err != nil {
			return fmt.Errorf("running as root needs the user postgres, which Debian's package postgresql makes: %w", err)
		}
		c.uid, _ = strconv.Atoi(u.Uid)
		c.gid, _ = strconv.Atoi(u.Gid)
		if err := c.passable(); err != nil {
			return err
		}
	}
	have, err := os.ReadFile(filepath.Join(c.data, "PG_VERSION"))
	switch {
	case err == nil:
		major := strings.SplitN(fmt.Sprint(versionOf(c.bin)), ".", 2)[0]
		if v := strings.TrimSpace(string(have)); major != "0" && v != major {
			return fmt.Errorf("the data in %s is of PostgreSQL %s, but %s is installed: install that version, or start "+
				"over in another directory", c.data, v, major)
		}
	case os.IsNotExist(err):
		if err := c.create(ctx); err != nil {
			return err
		}
	default:
		return err
	}
	if c.fast {
		return nil
	}
	pass, err := os.ReadFile(filepath.Join(c.dir, "password"))
	c.pass = strings.TrimSpace(string(pass))
	return err
}

func (c *cluster) passable() error {
	for d := c.dir; d != "/"; d = filepath.Dir(d) {
		if st, err := os.Stat(d); err != nil {
			return err
		} else if st.Mode().Perm()&1 == 0 {
			return fmt.Errorf("the user postgres cannot reach %s because %s does not let others pass: chmod o+x it, or "+
				"choose another directory with --data", c.dir, d)
		}
	}
	return nil
}

// create makes the cluster beside its place and moves it there when it is whole.
func (c *cluster) create(ctx context.Context) error {
	tmp := c.data + ".tmp"
	if err := os.RemoveAll(tmp); err != nil {
		return err
	}
	if err := os.MkdirAll(tmp, 0o700); err != nil {
		return err
	}
	args := []string{"-D", tmp, "-U", "roundhouse", "-E", "UTF8", "--locale=C.UTF-8"}
	if c.fast {
		args = append(args, "-A", "trust", "-N")
	} else {
		c.pass = rand.Text()
		file := filepath.Join(c.dir, "password")
		if err := os.WriteFile(file, []byte(c.pass+"\n"), 0o600); err != nil {
			return err
		}
		if err := c.own(file); err != nil {
			return err
		}
		args = append(args, "-A", "scram-sha-256", "--pwfile", file)
	}
	if err := c.own(tmp); err != nil {
		return err
	}
	if out, err := c.command(ctx, "initdb", args...).CombinedOutput(); err != nil {
		return fmt.Errorf("initdb: %w: %s", err, bytes.TrimSpace(out))
	}
	return os.Rename(tmp, c.data)
}

func (c *cluster) own(path string) error {
	if c.uid == 0 {
		return nil
	}
	return os.Chown(path, c.uid, c.gid)
}

func (c *cluster) createDatabase(ctx context.Context, s *Server) error {
	psql := c.command(ctx, "psql", "-h", "127.0.0.1", "-p", strconv.Itoa(s.port), "-U", "roundhouse", "-d", "postgres",
		"-qAt", "-v", "ON_ERROR_STOP=1")
	psql.Env = append(psql.Env, "PGPASSWORD="+c.pass)
	psql.Stdin = strings.NewReader("select 'create database roundhouse' where not exists (select from pg_database " +
		"where datname = 'roundhouse') \\gexec\n")
	if out, err := psql.CombinedOutput(); err != nil {
		return fmt.Errorf("making the database: %w: %s", err, bytes.TrimSpace(out))
	}
	return nil
}

// stopLeftover ends the server of a killed run; a zombie counts as dead,
// although PostgreSQL itself takes it for alive.
func (c *cluster) stopLeftover() {
	file := filepath.Join(c.data, "postmaster.pid")
	b, err := os.ReadFile(file)
	if err != nil {
		return
	}
	pid, _ := strconv.Atoi(strings.SplitN(string(b), "\n", 2)[0])
	alive := func() bool {
		line, _ := os.ReadFile(fmt.Sprintf("/proc/%d/cmdline", pid))
		return pid > 0 && bytes.Contains(line, []byte(c.data))
	}
	if alive() {
		_ = syscall.Kill(pid, syscall.SIGINT)
	}
	for i := 0; alive() && i < 3000; i++ {
		time.Sleep(10 * time.Millisecond)
	}
	_ = os.Remove(file)
}
