package pace

import (
	"net/http"
	"time"
)

// Unhurried is an answer of any length to a reader who goes on reading: each piece has its time.
func Unhurried(w http.ResponseWriter) http.ResponseWriter {
	return unhurried{w, http.NewResponseController(w)}
}

type unhurried struct {
	http.ResponseWriter
	rc *http.ResponseController
}

// Write gives the reader time for every piece.
func (u unhurried) Write(b []byte) (int, error) {
	_ = u.rc.SetWriteDeadline(time.Now().Add(Stall))
	return u.ResponseWriter.Write(b)
}
