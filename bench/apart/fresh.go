package apart

import (
	"context"
	"net/url"

	"roundhouse.example/internal/service"
	"roundhouse.example/internal/store/db"
)

// Fresh makes a database on the server and opens a desk on it, which the caller closes; at
// is the database's address.
func Fresh(ctx context.Context, server, name string) (d *service.Desk, at string, err error) {
	u, err := url.Parse(server)
	if err != nil {
		return nil, "", err
	}
	admin, err := db.Open(ctx, server, 2)
	if err != nil {
		return nil, "", err
	}
	defer admin.Close()
	if _, err := admin.DB.ExecContext(ctx, "create database "+name); err != nil {
		return nil, "", err
	}
	u.Path = "/" + name
	d, err = service.Open(ctx, u.String(), nil)
	return d, u.String(), err
}
