package lists

import (
	"context"
	"encoding/json"
	"io"
	"net/http"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/cli/app"
	"roundhouse.example/internal/cli/out"
	"roundhouse.example/internal/client"
	"roundhouse.example/internal/client/clientgen"
	"roundhouse.example/internal/core/words"
)

// params are a query as the list takes it.
func (a *Commands) params(ctx context.Context, q clientgen.CaseQuery) clientgen.ListCasesParams {
	p := clientgen.ListCasesParams{State: q.State, Vendor: q.Vendor, Kind: q.Kind, Severity: q.Severity, Move: q.Move,
		Whose: q.Whose, Person: q.Person, Words: q.Words, Asset: q.Asset, Account: q.Account, Contract: q.Contract,
		Late: q.Late, Unread: q.Unread, NotConfirmed: q.NotConfirmed, NextBefore: q.NextBefore, DueBefore: q.DueBefore,
		Origin: q.Origin, Unsorted: q.Unsorted, NoReference: q.NoReference, Sort: q.Sort}
	if q.NextWithin != nil {
		p.NextBefore = a.In(ctx, *q.NextWithin)
	}
	if q.DueWithin != nil {
		p.DueBefore = a.In(ctx, *q.DueWithin)
	}
	return p
}

func (a *Commands) views(ctx context.Context, c *client.Client) ([]clientgen.View, error) {
	res, err := c.ListViews(ctx)
	v, _, err := client.Read[clientgen.Views](c, res, err)
	return v.Items, err
}

// viewNamed finds a view, one's own before the desk's.
func (a *Commands) viewNamed(ctx context.Context, c *client.Client, name string) (found clientgen.View, err error) {
	list, err := a.views(ctx, c)
	if err != nil {
		return found, err
	}
	there := false
	for _, v := range list {
		if strings.EqualFold(v.Name, name) && (!there || !v.Desk) {
			found, there = v, true
		}
	}
	if !there {
		return found, app.Usagef("there is no view %q; roundhouse case views lists them", name)
	}
	return found, nil
}

// caseViews lists the named views, and deletes one.
func (a *Commands) caseViews() *cobra.Command {
	var gone string
	c := &cobra.Command{Use: "views", Short: "List the named views of the cases", Args: cobra.NoArgs,
		Example: "  roundhouse case list --mine --late --save-view \"Mine and late\"\n  roundhouse case views",
		RunE: func(cmd *cobra.Command, _ []string) error {
			c, err := a.Client()
			if err != nil {
				return err
			}
			if gone != "" {
				v, err := a.viewNamed(cmd.Context(), c, gone)
				if err != nil {
					return err
				}
				res, err := c.DeleteView(cmd.Context(), v.Id)
				if _, _, err := client.Read[struct{}](c, res, err); err != nil {
					return err
				}
				a.Printer().Line("The view %q is deleted.", v.Name)
				return nil
			}
			list, err := a.views(cmd.Context(), c)
			if err != nil {
				return err
			}
			return a.printViews(list)
		}}
	c.Flags().StringVar(&gone, "delete", "", "delete this view")
	return c
}

func (a *Commands) printViews(list []clientgen.View) error {
	p := a.Printer()
	if a.Format == "json" {
		return p.JSON(list)
	}
	if len(list) == 0 && a.Format == "table" {
		p.Line("No views yet. Save one with roundhouse case list … --save-view NAME.")
		return nil
	}
	var rows [][]string
	for _, v := range list {
		whose := "yours"
		if v.Desk {
			whose = "the desk's"
		}
		query, err := json.Marshal(v.Query)
		if err != nil {
			return err
		}
		rows = append(rows, []string{v.Name, whose, string(query)})
	}
	p.Table([]out.Column{{Name: "view"}, {Name: "whose"}, {Name: "query", Main: true}}, rows)
	return nil
}

// saveView keeps what the list is narrowed to under a name.
func (a *Commands) saveView(ctx context.Context, c *client.Client, q clientgen.CaseQuery, name string,
	desk bool) error {
	res, err := c.SaveView(ctx, &clientgen.SaveViewParams{IdempotencyKey: client.Key()},
		clientgen.NewView{Name: name, Query: q, Desk: app.Some(desk)})
	v, _, err := client.Read[clientgen.View](c, res, err)
	if err != nil {
		return err
	}
	a.Printer().Line("Saved as the view %q: roundhouse case list --view %q", v.Name, v.Name)
	return nil
}

// export writes all cases of a list, with the columns chosen and the notes where they are asked for.
func (a *Commands) export(ctx context.Context, c *client.Client, q clientgen.CaseQuery, columns []string,
	notes bool) error {
	body := clientgen.CaseExport{Query: &q, Notes: app.Some(notes)}
	switch a.Format {
	case "json":
		body.Format = new(clientgen.CaseExportFormatJson)
	case "csv":
		body.Format = new(clientgen.CaseExportFormatCsv)
	default:
		return app.Usagef("--columns and --notes go with -o csv or -o json")
	}
	for _, x := range columns {
		body.Columns = new(append(app.Deref(body.Columns), clientgen.CaseColumn(x)))
	}
	res, err := c.ExportCases(ctx, &clientgen.ExportCasesParams{IdempotencyKey: client.Key()}, body)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK {
		_, _, err := client.Read[struct{}](c, res, nil)
		return err
	}
	_, err = io.Copy(a.Stdout, res.Body)
	return err
}

// columnNames are all that can be exported of a case.
func columnNames() string {
	var names []string
	for _, c := range words.CaseColumns {
		names = append(names, c.Value)
	}
	return strings.Join(names, ", ")
}
