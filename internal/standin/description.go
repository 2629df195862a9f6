package standin

import (
	_ "embed"
	"encoding/json"
	"time"
)

//go:embed description.json
var description []byte

// Description says to Roundhouse how the houses' API is asked, with the waiting
// times that fit the haste.
func Description(timeout, settle time.Duration) (json.RawMessage, error) {
	var d map[string]json.RawMessage
	if err := json.Unmarshal(description, &d); err != nil {
		return nil, err
	}
	var err error
	if d["timeout_ms"], err = json.Marshal(timeout.Milliseconds()); err != nil {
		return nil, err
	}
	if d["settle_ms"], err = json.Marshal(settle.Milliseconds()); err != nil {
		return nil, err
	}
	return json.Marshal(d)
}
