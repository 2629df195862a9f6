package web

import (
	"context"
	"fmt"
	"strconv"
	"strings"

	"github.com/oapi-codegen/nullable"

	"roundhouse.example/internal/desk"
)

// Matched reads If-Match: missing and malformed are told apart from stale.
func Matched(header *string) (int64, error) {
	if header == nil || *header == "" {
		return 0, desk.ErrNoMatch
	}
	v, ok := strings.CutPrefix(strings.Trim(strings.TrimPrefix(*header, "W/"), `"`), "v")
	n, err := strconv.ParseInt(v, 10, 64)
	if !ok || err != nil {
		return 0, desk.ErrStale
	}
	return n, nil
}

// Given is nil where a member was left out, and points to nil where it was null.
func Given(n nullable.Nullable[int64]) **int64 {
	if !n.IsSpecified() {
		return nil
	}
	var to *int64
	if v, err := n.Get(); err == nil {
		to = &v
	}
	return &to
}

// VersionTag is a version as an ETag.
func VersionTag(v int64) *string { return Ptr(fmt.Sprintf(`"v%d"`, v)) }

// ClientIP is the address that the request comes from, past the proxies that are believed.
func ClientIP(ctx context.Context) string {
	ip, _ := ctx.Value(addressKey).(string)
	return ip
}
