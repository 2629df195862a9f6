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

// leavingOf says how the files of a case go to its vendor.
func (d *Files) leavingOf(ctx context.Context, c casesdb.Case, v registerdb.Vendor) (l Leaving, err error) {
	l.limits = map[route.Kind]corefiles.Limit{}
	for _, kind := range route.Kinds {
		l.limits[kind] = v.Profile.V.FilesBy(kind)
	}
	l.Sent, err = d.sent(ctx, c)
	return l, err
}

// sent are the messages with which the files of a case go, by the file's number.
func (d *Files) sent(ctx context.Context, c casesdb.Case) (map[int][]Enclosed, error) {
	list, err := filesdb.EnclosedOf(ctx, d.db.DB, c.ID)
	out := map[int][]Enclosed{}
	for _, f := range list {
		out[f.Number] = append(out[f.Number], f)
	}
	return out, err
}

// Unfit says, before a file is sent here, why none of the vendor's ways takes it; empty where one does, or where the
// vendor takes no files at all. It can be kept on the case nevertheless.
func (d *Files) Unfit(ctx context.Context, a desk.Actor, caseName string, o Offered) (why string) {
	c, err := d.find(ctx, a, caseName)
	if err != nil {
		return ""
	}
	v, err := registerdb.VendorByID(ctx, d.db.DB, c.VendorID)
	if err != nil {
		return ""
	}
	links, err := inboxdb.LinksOf(ctx, d.db.DB, c.VendorID)
	if err != nil {
		return ""
	}
	name, _ := corefiles.Name(o.Name)
	for _, kind := range route.ByKind(v.Profile.V.Routes(inboxdb.Routes(links), nil, true)) {
		limit := v.Profile.V.FilesBy(kind)
		if limit.None {
			continue
		}
		if why = limit.Unlike(name, o.Bytes); why == "" {
			return ""
		}
	}
	return why
}
