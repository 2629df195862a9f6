package app

import (
	"bytes"
	"encoding/json"
	"fmt"

	"roundhouse.example/internal/core/disclosure"
)

// Rules reads what a desk adds to the rules of what must not be sent, from a file of YAML or JSON. No file adds
// nothing.
func (a *App) Rules(file string) (c disclosure.Config, err error) {
	if file == "" {
		return c, nil
	}
	var members map[string]any
	if err := a.Members(file, &members); err != nil {
		return c, err
	}
	raw, err := json.Marshal(members)
	if err != nil {
		return c, err
	}
	d := json.NewDecoder(bytes.NewReader(raw))
	d.DisallowUnknownFields()
	if err := d.Decode(&c); err != nil {
		return c, fmt.Errorf("%s: it may have words, a list, and personal_numbers, patterns by name: %w", file, err)
	}
	if err := c.Check(); err != nil {
		return c, fmt.Errorf("%s: %w", file, err)
	}
	return c, nil
}
