package client

import (
	"bufio"
	"context"
	"net/http"
	"strings"
)

// Follow reads the stream of events until it ends, and calls heard with the name of each: ready, case, notified or
// everything. It gives why the stream ended; a stream ends by itself every few minutes.
func (c *Client) Follow(ctx context.Context, heard func(name string)) error {
	body, err := c.Stream(ctx, http.MethodGet, "/events", "", nil)
	if err != nil {
		return err
	}
	defer body.Close()
	lines := bufio.NewScanner(body)
	for lines.Scan() {
		if name, is := strings.CutPrefix(lines.Text(), "event: "); is {
			heard(name)
		}
	}
	return lines.Err()
}
