package files

import (
	"context"

	corefiles "roundhouse.example/internal/core/files"
	"roundhouse.example/internal/core/route"
	"roundhouse.example/internal/desk"
	casesdb "roundhouse.example/internal/store/cases"
	filesdb "roundhouse.example/internal/store/files"
	inboxdb "roundhouse.example/internal/store/inbox"
	registerdb "roundhouse.example/internal/store/register"
)

// Leaving is how the files of a case go to its vendor.
type Leaving struct {
	// Sent are the messages with which each goes, by the file's number.
	Sent   map[int][]Enclosed
	limits map[route.Kind]corefiles.Limit
}

// Unfit says why a file does not go by each of the channels that do not take it.
func (l Leaving) Unfit(f File) map[string]string {
	out := map[string]string{}
	for kind, limit := range l.limits {
		if why := limit.Unlike(f.Name, f.Bytes); why != "" {
			out[string(kind)] = why
		}
	}
	return out
}

// Leaving says how the files of a case go to its vendor.
func (d *Files) Leaving(ctx context.Context, a desk.Actor, caseName string) (Leaving, error) {
	l := Leaving{Sent: map[int][]Enclosed{}}
	c, err := d.read(ctx, a, caseName)
	if err != nil {
		return l, err
	}
	if l.limits, _, err = d.limits(ctx, c.VendorID); err != nil {
		return l, err
	}
	list, err := filesdb.EnclosedOf(ctx, d.db.DB, c.ID)
	for _, f := range list {
		l.Sent[f.Number] = append(l.Sent[f.Number], f)
	}
	return l, err
}

// limits are what each channel takes of files, and which of them the vendor has.
func (d *Files) limits(ctx context.Context, vendor int64) (limits map[route.Kind]corefiles.Limit, has []route.Kind,
	err error) {
	v, err := registerdb.VendorByID(ctx, d.db.DB, vendor)
	if err != nil {
		return nil, nil, err
	}
	links, err := inboxdb.LinksOf(ctx, d.db.DB, vendor)
	if err != nil {
		return nil, nil, err
	}
	limits = map[route.Kind]corefiles.Limit{}
	for _, kind := range route.Kinds {
		limits[kind] = v.Profile.V.FilesBy(kind)
	}
	return limits, route.ByKind(v.Profile.V.Routes(inboxdb.Routes(links), nil, true)), nil
}

// Unfit says, before a file is sent here, why none of the vendor's ways takes it; empty where one does, or where the
// vendor takes no files at all. It can be kept on the case nevertheless.
func (d *Files) Unfit(ctx context.Context, a desk.Actor, caseName string, o Offered) (why string) {
	id, err := d.find(ctx, a, caseName)
	if err != nil {
		return ""
	}
	vendor, err := casesdb.VendorOf(ctx, d.db.DB, id)
	if err != nil {
		return ""
	}
	limits, has, err := d.limits(ctx, vendor)
	if err != nil {
		return ""
	}
	name, _ := corefiles.Name(o.Name)
	for _, kind := range has {
		if limits[kind].None {
			continue
		}
		if why = limits[kind].Unlike(name, o.Bytes); why == "" {
			return ""
		}
	}
	return why
}
