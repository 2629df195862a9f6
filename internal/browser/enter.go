package browser

import (
	"bytes"
	"context"
	"encoding/json"
	"fmt"
	"net/http"

	"github.com/chromedp/cdproto/cdp"
	"github.com/chromedp/cdproto/network"
	dp "github.com/chromedp/chromedp"
)

// SignIn signs a person in on the console at an address, by its form.
func (t *Tab) SignIn(url, email, password string) error {
	return t.Do(dp.Navigate(url), See(ID("email")), Type(ID("email"), email),
		Type(ID("password"), password),
		Click(ID("sign-in")), See(ID("find")), Settle())
}

// Enter gives a tab the session of a person at an address, and opens nothing yet: the form, and the page it leads to,
// cost as much as two pages that are looked at.
func (t *Tab) Enter(url, email, password string) error {
	body, err := json.Marshal(map[string]string{"email": email, "password": password})
	if err != nil {
		return err
	}
	req, err := http.NewRequestWithContext(t.Ctx, "POST", url+"/api/v1/sign-in", bytes.NewReader(body))
	if err != nil {
		return err
	}
	req.Header.Set("Content-Type", "application/json")
	res, err := http.DefaultClient.Do(req)
	if err != nil {
		return err
	}
	defer res.Body.Close()
	if res.StatusCode != http.StatusOK || len(res.Cookies()) == 0 {
		return fmt.Errorf("signing in as %s: %s", email, res.Status)
	}
	return t.Do(dp.Func(func(ctx context.Context, g *dp.Target) error {
		for _, c := range res.Cookies() {
			if _, err := cdp.Call(ctx, g, network.SetCookie, network.SetCookieParams{Name: c.Name, Value: c.Value, URL: url,
				HTTPOnly: &c.HttpOnly, SameSite: network.CookieSameSiteLax}); err != nil {
				return err
			}
		}
		return nil
	}))
}

// theApp is the console in its page.
const theApp = `document.querySelector('#app').__vue_app__`

// Go opens a page of the console as a link on the page before it does, without loading the console again.
func Go(path string) dp.Action[dp.Void] {
	return dp.Evaluate[dp.Void](fmt.Sprintf(`(async () => {
		await %s.config.globalProperties.$router.push(%q)
		await new Promise(r => requestAnimationFrame(() => requestAnimationFrame(r))) })()`, theApp, path),
		dp.EvalAwaitPromise)
}

// Read waits until the page has all that it asked the service for.
func Read() dp.Action[dp.Void] {
	return True(theApp + `._context.provides.VUE_QUERY_CLIENT.isFetching() === 0`)
}
