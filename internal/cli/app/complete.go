package app

import (
	"context"
	"net/url"
	"strings"

	"github.com/spf13/cobra"

	"roundhouse.example/internal/client/clientgen"
)

// Complete offers names of a kind, as far as they are typed.
func (a *App) Complete(kind string) cobra.CompletionFunc {
	return func(cmd *cobra.Command, args []string, typed string) ([]string, cobra.ShellCompDirective) {
		if len(args) > 0 {
			return nil, cobra.ShellCompDirectiveNoFileComp
		}
		return a.offers(cmd.Context(), kind, typed), cobra.ShellCompDirectiveNoFileComp
	}
}

// offers are names with what they are, for the shell; it never says an error.
func (a *App) offers(ctx context.Context, kind, typed string) (out []string) {
	c, err := a.Client()
	if err != nil {
		return nil
	}
	if kind == "case" && typed == "" || kind == "case" && strings.HasPrefix("C-", strings.ToUpper(typed)) {
		var page clientgen.CasePage
		if _, err := c.Do(ctx, "GET", "/cases?state=live&sort=newest&limit=50", nil, nil, &page); err == nil {
			for _, l := range page.Items {
				out = append(out, l.Number+"\t"+l.Title)
			}
		}
		return out
	}
	if kind == "vendor" {
		var vendors clientgen.Vendors
		if _, err := c.Do(ctx, "GET", "/vendors?brief=true", nil, nil, &vendors); err == nil {
			for _, v := range vendors.Items {
				out = append(out, v.Key+"\t"+v.Name)
			}
		}
		return out
	}
	if len(typed) < 1 {
		return nil
	}
	var hits clientgen.Hits
	if _, err := c.Do(ctx, "GET", "/find?"+url.Values{"words": {typed}, "kind": {kind}, "limit": {"30"}}.Encode(), nil,
		nil, &hits); err == nil {
		for _, h := range hits.Items {
			out = append(out, h.Name+"\t"+h.Title)
		}
	}
	return out
}

// CompleteFlag is complete for a flag's value.
func (a *App) CompleteFlag(kind string) cobra.CompletionFunc {
	return func(cmd *cobra.Command, _ []string, typed string) ([]string, cobra.ShellCompDirective) {
		return a.offers(cmd.Context(), kind, typed), cobra.ShellCompDirectiveNoFileComp
	}
}
