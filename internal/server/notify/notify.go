// Package notify answers what is asked of notifications and webhooks.
package notify

import (
	"context"
	"maps"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/core/notify"
	"roundhouse.example/internal/desk"
	desknotify "roundhouse.example/internal/desk/notify"
	"roundhouse.example/internal/desk/webhooks"
	"roundhouse.example/internal/desk/whole"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

// Notify are the operations of the subject. Use New.
type Notify struct{ s *web.Server }

// New makes the operations for a server.
func New(s *web.Server) *Notify { return &Notify{s} }

func (h *Notify) desk() *whole.Desk { return h.s.Desk }

// pageEnd is where a page of notifications ended.
type pageEnd struct {
	ID int64 `json:"i"`
}

// ListNotifications is what the person who asks was told.
func (h *Notify) ListNotifications(ctx context.Context,
	r apigen.ListNotificationsRequestObject) (apigen.ListNotificationsResponseObject, error) {
	limit := 50
	desk.Put(&limit, r.Params.Limit)
	var at pageEnd
	if r.Params.Cursor != nil {
		if err := web.ReadCursor(*r.Params.Cursor, &at); err != nil || at.ID <= 0 {
			return nil, web.BadCursor("Use the cursor of the previous page.")
		}
	}
	list, err := h.desk().Notify.List(ctx, web.Actor(ctx), web.Val(r.Params.Unread), at.ID, limit)
	if err != nil {
		return nil, err
	}
	out := apigen.ListNotifications200JSONResponse{Items: web.Each(list.Items, notification), Unread: list.Unread}
	if list.More {
		out.Next = web.Ptr(web.WriteCursor(pageEnd{list.Last}))
	}
	return out, nil
}

func notification(r desknotify.Row) apigen.Notification {
	out := apigen.Notification{Id: r.ID, Kind: r.Kind, Because: r.Because, Case: casework.Name(r.Number), Title: r.Title,
		Vendor: r.Vendor, Severity: r.Severity, What: r.What, Owed: web.Some(r.Owed), At: r.HappenedAt, ToldAt: r.MadeAt,
		ReadAt: r.ReadAt}
	switch r.Kind {
	case notify.Message, notify.Unread, notify.Hands, notify.Mention:
		out.Entry = &r.Entry
	}
	if late := desknotify.ToldLate(r.Event); late > 0 {
		out.LateSeconds = web.Ptr(int64(late.Seconds()))
	}
	return out
}

// ReadNotifications marks some as read.
func (h *Notify) ReadNotifications(ctx context.Context,
	r apigen.ReadNotificationsRequestObject) (apigen.ReadNotificationsResponseObject, error) {
	return apigen.ReadNotifications204Response{}, h.desk().Notify.Read(ctx, web.Actor(ctx), web.Val(r.Body.Ids),
		web.Val(r.Body.Through))
}

func settings(v desknotify.View) (apigen.NotificationSettings, *string) {
	out := apigen.NotificationSettings{Version: v.Version, Zone: v.Zone, Ways: map[string]notify.Way{},
		QuietFrom: v.QuietFrom, QuietTo: v.QuietTo, QuietAlways: v.QuietAlways, DigestAt: v.DigestAt,
		NextDigest: v.NextDigest, NoEmail: v.NoEmail}
	for k := range maps.Keys(v.Ways) {
		out.Ways[string(k)] = v.Ways[k]
	}
	return out, web.VersionTag(v.Version)
}

// GetNotificationSettings is what the person who asks wants to be told.
func (h *Notify) GetNotificationSettings(ctx context.Context,
	_ apigen.GetNotificationSettingsRequestObject) (apigen.GetNotificationSettingsResponseObject, error) {
	v, err := h.desk().Notify.Settings(ctx, web.Actor(ctx))
	out, tag := settings(v)
	return apigen.GetNotificationSettings200JSONResponse{Body: out,
		Headers: apigen.GetNotificationSettings200ResponseHeaders{ETag: tag}}, err
}

// ChangeNotificationSettings changes that.
func (h *Notify) ChangeNotificationSettings(ctx context.Context,
	r apigen.ChangeNotificationSettingsRequestObject) (apigen.ChangeNotificationSettingsResponseObject, error) {
	match, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	patch, _ := ctx.Value(web.BodyKey).([]byte)
	v, err := h.desk().Notify.Choose(ctx, web.Actor(ctx), match, patch)
	out, tag := settings(v)
	return apigen.ChangeNotificationSettings200JSONResponse{Body: out,
		Headers: apigen.ChangeNotificationSettings200ResponseHeaders{ETag: tag}}, err
}

func webhook(v webhooks.View) apigen.Webhook {
	return apigen.Webhook{Version: v.Version, Name: v.Name, Address: v.Address, Kinds: v.Kinds.V, Secret: v.Secret,
		Active: v.Active, Waiting: v.Waiting, NotSent: v.NotSent, LastSentAt: v.SentAt, Problem: web.Some(v.Problem)}
}

// ListWebhooks lists them by name.
func (h *Notify) ListWebhooks(ctx context.Context,
	_ apigen.ListWebhooksRequestObject) (apigen.ListWebhooksResponseObject, error) {
	rows, err := h.desk().Webhooks.List(ctx, web.Actor(ctx))
	return apigen.ListWebhooks200JSONResponse{Items: web.Each(rows, webhook)}, err
}

// AddWebhook adds one.
func (h *Notify) AddWebhook(ctx context.Context,
	r apigen.AddWebhookRequestObject) (apigen.AddWebhookResponseObject, error) {
	v, err := h.desk().Webhooks.Add(ctx, web.Actor(ctx), webhooks.Facts{Name: r.Body.Name, Address: r.Body.Address,
		Secret: r.Body.Secret, Kinds: web.Val(r.Body.Kinds)})
	return apigen.AddWebhook201JSONResponse(webhook(v)), err
}

// ChangeWebhook changes one.
func (h *Notify) ChangeWebhook(ctx context.Context,
	r apigen.ChangeWebhookRequestObject) (apigen.ChangeWebhookResponseObject, error) {
	match, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	v, err := h.desk().Webhooks.Change(ctx, web.Actor(ctx), r.Webhook, match, webhooks.Edit{Address: r.Body.Address,
		Secret: r.Body.Secret, Kinds: r.Body.Kinds, Active: r.Body.Active})
	return apigen.ChangeWebhook200JSONResponse(webhook(v)), err
}

// RemoveWebhook takes one away.
func (h *Notify) RemoveWebhook(ctx context.Context,
	r apigen.RemoveWebhookRequestObject) (apigen.RemoveWebhookResponseObject, error) {
	return apigen.RemoveWebhook204Response{}, h.desk().Webhooks.Remove(ctx, web.Actor(ctx), r.Webhook)
}
