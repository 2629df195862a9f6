package secrets

import (
	"context"
	"encoding/json"
	"errors"

	"roundhouse.example/internal/core/casework"
	"roundhouse.example/internal/desk"
	"roundhouse.example/internal/desk/secrets"
	"roundhouse.example/internal/server/apigen"
	"roundhouse.example/internal/server/web"
)

func secretOut(v secrets.View) apigen.Secret {
	return apigen.Secret{Facts: v.Facts.V, InVault: v.EncryptedAt != nil, EncryptedAt: v.EncryptedAt,
		ChangedAt:  v.ChangedAt,
		RevealedAt: v.Revealed, WhyNot: web.Some(v.WhyNot)}
}

// ListSecrets gives what is known of secrets.
func (h *Secrets) ListSecrets(ctx context.Context,
	r apigen.ListSecretsRequestObject) (apigen.ListSecretsResponseObject, error) {
	rows, err := h.desk().Secrets.List(ctx, web.Actor(ctx), web.Val(r.Params.Vendor))
	if err != nil {
		return nil, err
	}
	return apigen.ListSecrets200JSONResponse{Items: web.Each(rows, secretOut)}, nil
}

func (h *Secrets) wholeSecret(ctx context.Context, name string) (apigen.Secret, *string, error) {
	v, uses, err := h.desk().Secrets.One(ctx, web.Actor(ctx), name)
	if err != nil {
		return apigen.Secret{}, nil, err
	}
	s := secretOut(v)
	list := web.Each(uses, func(u secrets.Use) apigen.SecretUse {
		x := apigen.SecretUse{Act: u.Act, At: u.At, Person: u.Person, Entry: u.Entry, Host: web.Some(u.Host),
			Why: web.Some(u.Why), Digest: web.Some(u.Digest)}
		if u.Case != nil {
			x.Case = web.Ptr(casework.Name(*u.Case))
		}
		return x
	})
	s.Uses = &list
	return s, web.VersionTag(v.Version), err
}

// AddSecret writes a new one.
func (h *Secrets) AddSecret(ctx context.Context,
	r apigen.AddSecretRequestObject) (apigen.AddSecretResponseObject, error) {
	if err := h.desk().Secrets.Add(ctx, web.Actor(ctx), r.Body.Facts, web.Val(r.Body.Value)); err != nil {
		return nil, err
	}
	s, tag, err := h.wholeSecret(ctx, r.Body.Facts.Name)
	return apigen.AddSecret201JSONResponse{Body: s, Headers: apigen.AddSecret201ResponseHeaders{ETag: tag}}, err
}

// GetSecret is one with what was done with it.
func (h *Secrets) GetSecret(ctx context.Context,
	r apigen.GetSecretRequestObject) (apigen.GetSecretResponseObject, error) {
	s, tag, err := h.wholeSecret(ctx, r.Secret)
	return apigen.GetSecret200JSONResponse{Body: s, Headers: apigen.GetSecret200ResponseHeaders{ETag: tag}}, err
}

// ChangeSecret changes what is known of one, or its value.
func (h *Secrets) ChangeSecret(ctx context.Context,
	r apigen.ChangeSecretRequestObject) (apigen.ChangeSecretResponseObject, error) {
	version, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	body, _ := ctx.Value(web.BodyKey).([]byte)
	var members map[string]json.RawMessage
	if err := json.Unmarshal(body, &members); err != nil {
		return nil, err
	}
	var ch secrets.Edit
	if raw, there := members["value"]; there {
		var value *string
		if err := json.Unmarshal(raw, &value); err != nil {
			// never the error itself: it may quote the value
			return nil, &desk.Invalid{Fields: []desk.Field{{Name: "value", Detail: "it has to be a text, or null to remove it"}}}
		}
		ch.Value = web.Ptr(web.Val(value))
		delete(members, "value")
	}
	if ch.Facts, err = json.Marshal(members); err != nil {
		return nil, err
	}
	if err := h.desk().Secrets.Change(ctx, web.Actor(ctx), r.Secret, version, ch); err != nil {
		return nil, err
	}
	s, tag, err := h.wholeSecret(ctx, r.Secret)
	return apigen.ChangeSecret200JSONResponse{Body: s, Headers: apigen.ChangeSecret200ResponseHeaders{ETag: tag}}, err
}

// RemoveSecret takes one out.
func (h *Secrets) RemoveSecret(ctx context.Context,
	r apigen.RemoveSecretRequestObject) (apigen.RemoveSecretResponseObject, error) {
	version, err := web.Matched(r.Params.IfMatch)
	if err != nil {
		return nil, err
	}
	return apigen.RemoveSecret204Response{}, h.desk().Secrets.Remove(ctx, web.Actor(ctx), r.Secret, version)
}

// RevealSecret shows one to one person.
func (h *Secrets) RevealSecret(ctx context.Context,
	r apigen.RevealSecretRequestObject) (apigen.RevealSecretResponseObject, error) {
	var about *int64
	if name := web.Val(r.Body.Case); name != "" {
		id, err := h.desk().Pages.Find(ctx, web.Actor(ctx), name)
		if errors.Is(err, desk.ErrNotFound) {
			return nil, &desk.Invalid{Fields: []desk.Field{{Name: "case", Detail: "there is no such case"}}}
		} else if err != nil {
			return nil, err
		}
		about = &id
	}
	value, err := h.desk().Secrets.Reveal(ctx, web.Actor(ctx), r.Secret, web.Val(r.Body.Why), about)
	return apigen.RevealSecret200JSONResponse{Value: value}, err
}

// GetVault says how the vault stands.
func (h *Secrets) GetVault(ctx context.Context, _ apigen.GetVaultRequestObject) (apigen.GetVaultResponseObject, error) {
	v, err := h.desk().Secrets.State(ctx, web.Actor(ctx))
	if err != nil {
		return nil, err
	}
	out := apigen.GetVault200JSONResponse{Unlocked: v.Open, Key: web.Some(v.Key), Secrets: v.Secrets}
	if v.Key != "" {
		out.Since = &v.Since
	}
	if v.Open {
		out.Keys = &v.Keys
	}
	return out, nil
}

// RotateVault changes the key.
func (h *Secrets) RotateVault(ctx context.Context,
	r apigen.RotateVaultRequestObject) (apigen.RotateVaultResponseObject, error) {
	done, err := h.desk().Secrets.Rotate(ctx, web.Actor(ctx), web.Val(r.Body.Forget))
	return apigen.RotateVault200JSONResponse{From: done.From, To: done.To, Secrets: done.Rewrapped,
		Forgotten: done.Forgotten}, err
}
