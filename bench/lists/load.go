package lists

import (
	"bufio"
	"bytes"
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jackc/pgx/v5"

	"roundhouse.example/bench/apart"
	"roundhouse.example/internal/service"
)

// oneLive says that one case in this number is live.
const oneLive = 50

// model is a case of the demo that is copied: its row and those of what hangs on it, as COPY writes them.
type model struct {
	head               []string
	entries, deadlines [][]string
	references, dated  [][]string
	live               bool
}

// loader copies the models of a desk. What it writes is the same in each run.
type loader struct {
	conn         *pgx.Conn
	columns      map[string][]string // by table
	ended, alive []model
	people       []string // their ids
	chance       *rand.Rand
	first        int64 // id of the first case that is new
	now          time.Time
}

// load copies the demo's cases until a desk has n more, two entries each; every fiftieth is live.
func load(ctx context.Context, d *service.Desk, at string, n int) error {
	conn, err := pgx.Connect(ctx, at)
	if err != nil {
		return err
	}
	defer conn.Close(ctx)
	l := &loader{conn: conn, columns: map[string][]string{}, chance: rand.New(rand.NewPCG(1, 2)), now: time.Now().UTC()}
	if err := l.read(ctx, d); err != nil {
		return err
	}
	// The rows are those of the demo: that they fit together need not be looked up a million times.
	if _, err := conn.Exec(ctx, "set session_replication_role = replica"); err != nil {
		return err
	}
	for _, t := range []struct {
		table string
		write func(*bufio.Writer, int)
	}{
		{"support_case", l.head}, {"case_entry", l.entries}, {"entry_body", l.bodies},
		{"case_reference", l.references}, {"deadline", l.deadlines}, {"dated_item", l.dated},
	} {
		if err := l.copy(ctx, t.table, n, t.write); err != nil {
			return fmt.Errorf("%s: %w", t.table, err)
		}
	}
	// What a person watches, what nobody could name, what waits for its number: few of many.
	for _, sql := range []string{
		"set session_replication_role = origin",
		`select setval('case_number', (select max(number) from support_case))`,
		`select setval(pg_get_serial_sequence(t, 'id'), 100000000) from unnest(array['support_case', 'case_entry',
			'case_reference']) t`,
		`update support_case set unnumbered = true where state in ('filed', 'open') and number % 9 = 0`,
		`update support_case set unsorted = '{"account": "X-1"}' where number % 900 = 1`,
		`update support_case set origin = 'vendor' where number % 40 = 7`,
		`insert into watch (person_id, case_id, made_at) select p.id, c.id, now() from person p,
			(select id from support_case order by number limit 3) c on conflict do nothing`,
		`vacuum analyze`,
	} {
		if _, err := conn.Exec(ctx, sql); err != nil {
			return fmt.Errorf("%w in %s", err, sql)
		}
	}
	return nil
}

// read reads the models.
func (l *loader) read(ctx context.Context, d *service.Desk) error {
	for table, but := range map[string][]string{"support_case": {"model"}, "case_entry": nil, "entry_body": nil,
		"case_reference": {"id"}, "deadline": nil, "dated_item": nil} {
		var err error
		if l.columns[table], err = apart.Columns(ctx, d, table, but...); err != nil {
			return err
		}
	}
	var cases []struct {
		ID   int64 `db:"id"`
		Live bool  `db:"live"`
	}
	if err := d.Store.DB.SelectContext(ctx, &cases, `select id, state in ('filed', 'open', 'fix-offered') as live
		from support_case where state <> 'draft' order by number`); err != nil {
		return err
	}
	if err := d.Store.DB.SelectContext(ctx, &l.people, "select id from person order by id"); err != nil {
		return err
	}
	if err := d.Store.DB.GetContext(ctx, &l.first, "select 1000 + max(id) from support_case"); err != nil {
		return err
	}
	for _, c := range cases {
		m, err := l.model(ctx, c.ID)
		if err != nil {
			return err
		}
		if c.Live {
			m.live = true
			l.alive = append(l.alive, m)
		} else {
			l.ended = append(l.ended, m)
		}
	}
	return nil
}

func (l *loader) model(ctx context.Context, id int64) (m model, err error) {
	for _, x := range []struct {
		to           *[][]string
		table, where string
	}{
		{&m.entries, "case_entry", "case_id = %d and number <= 2 order by number"},
		{&m.deadlines, "deadline", "case_id = %d and outcome = 'live'"},
		{&m.references, "case_reference", "case_id = %d and role = 'current'"},
		{&m.dated, "dated_item", "case_id = %d and outcome = 'live'"},
	} {
		if *x.to, err = l.rows(ctx, x.table, fmt.Sprintf(x.where, id)); err != nil {
			return m, err
		}
	}
	head, err := l.rows(ctx, "support_case", fmt.Sprintf("id = %d", id))
	if err != nil {
		return m, err
	}
	m.head = head[0]
	return m, nil
}

// rows are those of a table, their fields as COPY writes them.
func (l *loader) rows(ctx context.Context, table, where string) (out [][]string, err error) {
	var b bytes.Buffer
	_, err = l.conn.PgConn().CopyTo(ctx, &b, fmt.Sprintf("copy (select %s from %s where %s) to stdout",
		strings.Join(l.columns[table], ", "), table, where))
	for line := range strings.Lines(b.String()) {
		out = append(out, strings.Split(strings.TrimSuffix(line, "\n"), "\t"))
	}
	return out, err
}

func (l *loader) copy(ctx context.Context, table string, n int, write func(*bufio.Writer, int)) error {
	r, w := io.Pipe()
	go func() {
		b := bufio.NewWriterSize(w, 1<<20)
		for i := range n {
			write(b, i)
		}
		w.CloseWithError(b.Flush())
	}()
	_, err := l.conn.PgConn().CopyFrom(ctx, r, fmt.Sprintf("copy %s (%s) from stdin", table,
		strings.Join(l.columns[table], ", ")))
	r.CloseWithError(io.ErrClosedPipe)
	return err
}

// of is the model of the case i.
func (l *loader) of(i int) model {
	if i%oneLive == 0 {
		return l.alive[i/oneLive%len(l.alive)]
	}
	return l.ended[i%len(l.ended)]
}

func (l *loader) id(i int) string { return strconv.FormatInt(l.first+int64(i), 10) }

// put writes a row, some of whose fields are others than the model's.
func (l *loader) put(w *bufio.Writer, table string, row []string, other map[string]string) {
	for i, c := range l.columns[table] {
		if i > 0 {
			w.WriteByte('\t')
		}
		if v, ok := other[c]; ok {
			w.WriteString(v)
		} else {
			w.WriteString(row[i])
		}
	}
	w.WriteByte('\n')
}

// ago is an instant of the years before now; soon is one within days of now.
func (l *loader) ago() string {
	return l.now.Add(-time.Duration(l.chance.Int64N(int64(5 * 365 * 24 * time.Hour)))).Format(time.RFC3339)
}

func (l *loader) soon() string {
	return l.now.Add(time.Duration(l.chance.Int64N(int64(20*24*time.Hour))) - 24*time.Hour).Format(time.RFC3339)
}

func (l *loader) head(w *bufio.Writer, i int) {
	m := l.of(i)
	other := map[string]string{"id": l.id(i), "number": strconv.Itoa(1_000_000 + i), "last_entry": "2", "wake_at": `\N`,
		"severity": strconv.Itoa(1 + l.chance.IntN(4)), "owner_id": l.people[l.chance.IntN(len(l.people))],
		"changed_at": l.ago(), "unread": "0", "unread_since": `\N`, "next_at": `\N`, "touched": "3", "instead_of": `\N`,
		"refiled_as": `\N`}
	other["title"] = m.head[slices.Index(l.columns["support_case"], "title")] + " at berth " + strconv.Itoa(i)
	if m.live {
		other["next_at"] = l.soon()
		if i/oneLive%7 == 0 {
			other["unread"], other["unread_since"] = "1", other["changed_at"]
		}
	}
	l.put(w, "support_case", m.head, other)
}

func (l *loader) entries(w *bufio.Writer, i int) {
	m := l.of(i)
	for k := range 2 {
		row := m.entries[min(k, len(m.entries)-1)]
		l.put(w, "case_entry", row, map[string]string{"id": l.entry(i, k), "case_id": l.id(i), "number": strconv.Itoa(k + 1),
			"recorded_at": l.ago()})
	}
}

// entry is the id of one of a case's two entries.
func (l *loader) entry(i, k int) string {
	return strconv.FormatInt(2*(l.first+int64(i))+int64(k)+1_000_000, 10)
}

func (l *loader) bodies(w *bufio.Writer, i int) {
	for k := range 2 {
		l.put(w, "entry_body", nil, map[string]string{"entry_id": l.entry(i, k), "body": "Words of some length, as people " +
			"write them.", "blanked_at": `\N`})
	}
}

func (l *loader) references(w *bufio.Writer, i int) {
	at := slices.Index(l.columns["case_reference"], "value")
	for _, row := range l.of(i).references {
		value := row[at] + "-" + strconv.Itoa(i)
		l.put(w, "case_reference", row, map[string]string{"case_id": l.id(i), "value": value,
			"folded": strings.ToLower(strings.ReplaceAll(value, "-", ""))})
	}
}

func (l *loader) deadlines(w *bufio.Writer, i int) {
	if m := l.of(i); m.live {
		l.due(w, "deadline", m.deadlines, i)
	}
}

func (l *loader) dated(w *bufio.Writer, i int) {
	if m := l.of(i); m.live {
		l.due(w, "dated_item", m.dated, i)
	}
}

func (l *loader) due(w *bufio.Writer, table string, rows [][]string, i int) {
	at := slices.Index(l.columns[table], "due_at")
	for _, row := range rows {
		other := map[string]string{"case_id": l.id(i)}
		if row[at] != `\N` {
			other["due_at"] = l.soon()
			other["soon_at"] = other["due_at"]
		}
		l.put(w, table, row, other)
	}
}
