package webhooks

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"net/http"
	"strconv"
	"time"

	standardwebhooks "github.com/standard-webhooks/standard-webhooks/libraries/go"
	"golang.org/x/sync/errgroup"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/failpoint"
	"roundhouse.example/internal/store/db"
	webhookdb "roundhouse.example/internal/store/webhook"
)

const (
	// most is how many events are sent in a round, atOnce how many at once.
	most, atOnce = 40, 4
	// timeout is how long a program may take to answer, taken how long an attempt keeps others off.
	timeout, taken = 10 * time.Second, 3 * time.Minute
)

// waits are how long after each failed attempt the next one is made: three days in all.
var waits = []time.Duration{5 * time.Second, 30 * time.Second, 2 * time.Minute, 10 * time.Minute, 30 * time.Minute,
	2 * time.Hour, 6 * time.Hour, 12 * time.Hour, 24 * time.Hour, 27 * time.Hour}

// Event is what another program is told: a CloudEvent 1.0 in JSON.
type Event struct {
	SpecVersion string    `json:"specversion"`
	ID          string    `json:"id"`
	Source      string    `json:"source"`
	Type        string    `json:"type"`
	Subject     string    `json:"subject"`
	Time        time.Time `json:"time"`
	ContentType string    `json:"datacontenttype"`
	Data        Data      `json:"data"`
}

// Data is what happened on which case.
type Data struct {
	Case     string    `json:"case"`
	Title    string    `json:"title"`
	State    string    `json:"state"`
	Vendor   string    `json:"vendor"` // its key
	Severity int       `json:"severity,omitempty"`
	What     string    `json:"what,omitempty"`
	At       time.Time `json:"at"` // when it is due or happened
	Entry    int       `json:"entry"`
	Page     string    `json:"page,omitempty"`
}

// Run sends what is due. Several services may do it at once: each event is taken by one. What another program has had
// may come again where its answer was lost, under the same id.
func (d *Webhooks) Run(ctx context.Context) error {
	now := d.Now()
	var list []webhookdb.Delivery
	err := d.db.Do(ctx, func(tx *db.Tx) (err error) {
		list, err = webhookdb.Claim(ctx, tx, now, now.Add(taken), most)
		return err
	})
	if err != nil || len(list) == 0 {
		return err
	}
	failpoint.Hit("webhook.claimed")
	client := &http.Client{Timeout: timeout, Transport: http.DefaultTransport,
		CheckRedirect: func(*http.Request, []*http.Request) error { return http.ErrUseLastResponse }}
	var all errgroup.Group
	all.SetLimit(atOnce)
	for _, x := range list {
		all.Go(func() error {
			failed := d.send(ctx, client, x)
			failpoint.Hit("webhook.sent")
			after, cancel := context.WithTimeout(context.WithoutCancel(ctx), 10*time.Second)
			defer cancel()
			now := d.Now()
			if failed == nil {
				return webhookdb.Settle(after, d.db.DB, x, &now, nil, "")
			}
			var next *time.Time
			if x.Tries <= len(waits) {
				next = new(now.Add(waits[x.Tries-1]))
			}
			return webhookdb.Settle(after, d.db.DB, x, nil, next, failed.Error())
		})
	}
	return all.Wait()
}

// send makes one attempt.
func (d *Webhooks) send(ctx context.Context, client *http.Client, x webhookdb.Delivery) error {
	w := webhookdb.Webhook{Address: x.Address}
	key, err := d.key(ctx, d.db.DB, x.Secret, w.Host())
	if err != nil {
		return err
	}
	signer, err := standardwebhooks.NewWebhookRaw(key)
	if err != nil {
		return err
	}
	body, err := json.Marshal(d.event(x))
	if err != nil {
		return err
	}
	id, now := "rh_"+strconv.FormatInt(x.EventID, 10), d.Now()
	signature, err := signer.Sign(id, now, body)
	if err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodPost, x.Address, bytes.NewReader(body))
	if err != nil {
		return err
	}
	r.Header.Set("Content-Type", "application/cloudevents+json")
	r.Header.Set("User-Agent", "Roundhouse")
	r.Header.Set(standardwebhooks.HeaderWebhookID, id)
	r.Header.Set(standardwebhooks.HeaderWebhookTimestamp, strconv.FormatInt(now.Unix(), 10))
	r.Header.Set(standardwebhooks.HeaderWebhookSignature, signature)
	res, err := client.Do(r)
	if err != nil {
		var timed interface{ Timeout() bool }
		if errors.As(err, &timed) && timed.Timeout() {
			return fmt.Errorf("no answer within %s", timeout)
		}
		return err
	}
	defer res.Body.Close()
	_, _ = io.CopyN(io.Discard, res.Body, 64<<10) // so that the connection can be used again
	if res.StatusCode < 200 || res.StatusCode > 299 {
		return fmt.Errorf("it answered %s", res.Status)
	}
	return nil
}

// event is what is told. A note stays inside: of a mention only the case is told.
func (d *Webhooks) event(x webhookdb.Delivery) Event {
	source := d.Console
	if source == "" {
		source = "/roundhouse"
	}
	name := casework.Name(x.Number)
	e := Event{SpecVersion: "1.0", ID: "rh_" + strconv.FormatInt(x.EventID, 10), Source: source,
		Type: "example.roundhouse.case." + string(x.Kind), Subject: name, Time: x.MadeAt, ContentType: "application/json",
		Data: Data{Case: name, Title: x.Title, State: x.State, Vendor: x.VendorKey, Severity: x.Severity, What: x.What,
			At: x.HappenedAt, Entry: x.Entry}}
	if x.Kind == notify.Mention {
		e.Data.What = ""
	}
	if d.Console != "" {
		e.Data.Page = d.Console + "/cases/" + name
	}
	return e
}
