package exchange

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"time"

	"roundhouse.example/internal/access"
	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/deadline"
	"roundhouse.example/internal/core/register"
	"roundhouse.example/internal/core/table"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/drafts"
	casesdb "roundhouse.example/internal/store/cases"
	"roundhouse.example/internal/store/db"
	listsdb "roundhouse.example/internal/store/lists"
	peopledb "roundhouse.example/internal/store/people"
	registerdb "roundhouse.example/internal/store/register"
)

// TakeOverCases takes a table of cases in that vendors have already. A row whose vendor and reference the desk knows
// changes nothing.
func (d *Exchange) TakeOverCases(ctx context.Context, a desk.Actor, file io.Reader, o Options) (Sum, error) {
	if err := a.May(access.Work); err != nil {
		return Sum{}, err
	}
	run := &tableRun{o: o}
	from, err := table.NewReader(file, table.Cases)
	if err != nil {
		return run.ended(err)
	}
	return run.ended(d.db.Do(ctx, func(tx *db.Tx) error {
		zone, err := d.hours.Zone(ctx, tx)
		if err != nil {
			return err
		}
		if err := run.read(from, func(rows []table.Row) error {
			return d.takeCases(ctx, tx, a, run, rows, zone)
		}); err != nil {
			return err
		}
		return run.settle()
	}))
}

// takeCases looks at all rows before it writes one: a case that is taken back leaves a hole in the numbers.
func (d *Exchange) takeCases(ctx context.Context, tx *db.Tx, a desk.Actor, run *tableRun, rows []table.Row,
	zone *time.Location) error {
	var fresh []*drafts.TakenOver
	for _, r := range rows {
		x, said := existing(r, zone)
		said = append(said, run.again(r.Line, "reference", strings.ToLower(x.Vendor), x.Reference)...)
		what := "added"
		if len(said) == 0 {
			var known *drafts.ErrKnown
			var wrong *desk.Invalid
			switch t, err := d.drafts.CheckExisting(ctx, tx, a, x); {
			case errors.As(err, &known):
				what, said = "same", []string{known.Error()}
			case errors.As(err, &wrong):
				said = wrong.Lines()
			case err != nil:
				return err
			default:
				fresh = append(fresh, t)
			}
		}
		if len(said) > 0 && what != "same" {
			what = "refused"
		}
		if err := run.tell(Row{r.Line, what, cmp.Or(x.Reference, x.Title), said, false}); err != nil {
			return err
		}
	}
	if run.o.Look || run.sum.Refused > 0 {
		return nil
	}
	for _, t := range fresh {
		if _, err := d.drafts.Enter(ctx, tx, a, t); err != nil {
			return err
		}
	}
	return nil
}

// existing is what a row says of a case, and what is wrong with its cells.
func existing(r table.Row, zone *time.Location) (x drafts.Existing, said []string) {
	said = saidOf(r)
	text := func(name string) string { return strings.TrimSpace(member(r.Members, name)) }
	x = drafts.Existing{Vendor: text("vendor"), Title: text("title"), Kind: text("kind"), Reference: text("reference"),
		Ticket: text("ticket"), Level: text("level"), Owner: text("owner"), Origin: casework.Origin(text("origin")),
		By: text("opened_by"), Maker: text("maker"),
		Asset: text("asset"), Account: text("account"), Contract: text("contract"),
		VendorStatus: text("vendor_status"), Move: deadline.Side(text("move")), Story: text("story")}
	x.Severity, _ = r.Members["severity"].(int)
	if x.Move != "" && x.Move != deadline.Ours && x.Move != deadline.Theirs {
		said = append(said, fmt.Sprintf("move: use ours or theirs, not %.40q", string(x.Move)))
	}
	at := func(name string) (t time.Time) {
		for _, layout := range []string{time.RFC3339, "2006-01-02 15:04", "2006-01-02T15:04", "2006-01-02 15:04:05",
			time.DateOnly} {
			if t, err := time.ParseInLocation(layout, text(name), zone); err == nil {
				return t.UTC()
			}
		}
		said = append(said, fmt.Sprintf("%s: %.40q is not a time: write it like 2026-12-01 08:00 (in %s) or "+
			"2026-12-01T08:00:00Z", name, text(name), zone))
		return t
	}
	switch {
	case text("filed_at") == "":
		said = append(said, "filed_at: say when the vendor got it")
	default:
		x.FiledAt = at("filed_at")
	}
	switch last := text("last_reply"); {
	case last == "":
		said = append(said, "last_reply: say when the vendor replied last, or never")
	case !strings.EqualFold(last, "never"):
		t := at("last_reply")
		x.LastReply = &t
	}
	return x, said
}

// caseRecord is a live case as a table says it.
type caseRecord struct {
	Vendor    string `json:"vendor"`
	Title     string `json:"title"`
	Reference string `json:"reference,omitempty"`
	Kind      string `json:"kind"`
	FiledAt   string `json:"filed_at"`
	LastReply string `json:"last_reply"`
	Level     string `json:"level,omitempty"`
	Severity  int    `json:"severity,omitempty"`
	Owner     string `json:"owner,omitempty"`
	Origin    string `json:"origin"`
	OpenedBy  string `json:"opened_by,omitempty"`
	Maker     string `json:"maker,omitempty"`
	Asset     string `json:"asset,omitempty"`
	Account   string `json:"account,omitempty"`
	Contract  string `json:"contract,omitempty"`
	Ticket    string `json:"ticket,omitempty"`
	Status    string `json:"vendor_status,omitempty"`
	Move      string `json:"move,omitempty"`
	Story     string `json:"story,omitempty"`
}

// WriteCases writes live cases as a table.
func (d *Exchange) WriteCases(ctx context.Context, a desk.Actor, vendor string, w io.Writer, style table.Style) error {
	if err := a.May(access.Read); err != nil {
		return err
	}
	out, err := table.NewWriter(w, table.Cases, nil, style)
	if err != nil {
		return err
	}
	people, err := peopledb.All(ctx, d.db.DB)
	if err != nil {
		return err
	}
	emails := map[int64]string{}
	for _, p := range people {
		emails[p.ID] = p.Email
	}
	f := listsdb.Filter{States: casework.LiveStates,
		Only: a.Grant().Vendors, Sort: "oldest", Limit: abreast}
	if vendor != "" {
		f.Vendors = []string{vendor}
	}
	for {
		var rows []casesdb.Row
		if err := d.db.Snapshot(ctx, func(q db.Querier) (err error) {
			rows, err = listsdb.List(ctx, q, f)
			return err
		}); err != nil {
			return err
		}
		if err := d.writeCases(ctx, rows, emails, out); err != nil {
			return err
		}
		if len(rows) < f.Limit {
			return out.Flush()
		}
		f.After, f.AfterCase = true, rows[len(rows)-1].Number
	}
}

func (d *Exchange) writeCases(ctx context.Context, rows []casesdb.Row, emails map[int64]string,
	out *table.Writer) error {
	ids := make([]int64, len(rows))
	var under []int64
	for i, r := range rows {
		if ids[i] = r.ID; r.ContractID != nil && !slices.Contains(under, *r.ContractID) {
			under = append(under, *r.ContractID)
		}
	}
	refs, err := casesdb.References(ctx, d.db.DB, ids)
	if err != nil {
		return err
	}
	numbers := map[int64]string{}
	for _, id := range under {
		k, err := registerdb.ThingByID[register.Contract](ctx, d.db.DB, registerdb.Contracts, id)
		if err != nil {
			return err
		}
		numbers[id] = k.Facts.V.Number
	}
	for _, r := range rows {
		x := caseRecord{Vendor: r.VendorKey, Title: r.Title, Kind: r.Kind, Origin: string(r.Origin), OpenedBy: r.OriginBy,
			LastReply: "never", Status: r.VendorStatus, Story: r.Texts.V.Happened}
		if r.FiledAt != nil {
			x.FiledAt = r.FiledAt.UTC().Format(time.RFC3339)
		}
		if r.LastVendorAt != nil {
			x.LastReply = r.LastVendorAt.UTC().Format(time.RFC3339)
		}
		if r.Severity != nil {
			x.Severity = *r.Severity
		}
		if r.OwnerID != nil {
			x.Owner = emails[*r.OwnerID]
		}
		if r.ContractID != nil {
			x.Contract = numbers[*r.ContractID]
		}
		if r.Move != nil {
			x.Move = string(*r.Move)
		}
		for _, y := range []struct {
			to   *string
			from *string
		}{{&x.Level, r.LevelLabel}, {&x.Maker, r.MakerKey}, {&x.Asset, r.Asset}, {&x.Account, r.Account}} {
			if y.from != nil {
				*y.to = *y.from
			}
		}
		for _, y := range refs {
			if y.CaseID == r.ID && y.Whose == string(casework.Vendors) {
				x.Reference = y.Value
			} else if y.CaseID == r.ID {
				x.Ticket = y.Value
			}
		}
		if err := out.Write(x); err != nil {
			return err
		}
	}
	return nil
}
