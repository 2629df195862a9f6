package enclosing

import (
	"context"

	"roundhouse.example/internal/core/register"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	filesdb "roundhouse.example/internal/store/files"
)

// WantedFile is a file that the vendor wants with a case, and how that stands.
type WantedFile struct {
	register.WantedFile
	Files  []int // those of the case that are it
	Sent   bool  // one of them, or a masked copy of one, has reached the vendor
	Waiver *filesdb.Waiver
}

// Due says whether the vendor still waits for it.
func (w WantedFile) Due() bool { return !w.Sent && w.Waiver == nil }

// WantedFiles are the files that the vendor wants with a case of this kind.
func WantedFiles(ctx context.Context, q db.Querier, v register.Vendor, c *casesdb.Case) (out []WantedFile, err error) {
	wants := v.Wants(c.Kind)
	if len(wants) == 0 {
		return nil, nil
	}
	serving, err := filesdb.ServingOf(ctx, q, c.ID)
	if err != nil {
		return nil, err
	}
	waivers, err := filesdb.Waivers(ctx, q, c.ID)
	if err != nil {
		return nil, err
	}
	for _, x := range wants {
		w := WantedFile{WantedFile: x}
		for _, f := range serving {
			if f.Serves == x.Name {
				w.Files, w.Sent = append(w.Files, f.Number), w.Sent || f.Sent
			}
		}
		for _, o := range waivers {
			if o.Name == x.Name {
				w.Waiver = &o
			}
		}
		out = append(out, w)
	}
	return out, nil
}
