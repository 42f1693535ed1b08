package ui

import (
	"net/http"
	"slices"
	"strconv"
	"strings"
)

// SetPicked keeps the runs picked for the bench with the reader.
func SetPicked(w http.ResponseWriter, ids []int64) {
	c := &http.Cookie{
		Name:     "bench",
		Value:    JoinIDs(ids, "."),
		Path:     "/",
		MaxAge:   30 * 86400,
		SameSite: http.SameSiteLaxMode,
		HttpOnly: true,
	}
	if len(ids) == 0 {
		c.MaxAge = -1
	}
	http.SetCookie(w, c)
}

// Picked gives the runs picked for the bench; they travel in a cookie, so that
// any copy of the program can answer.
func Picked(r *http.Request) []int64 {
	c, err := r.Cookie("bench")
	if err != nil {
		return nil
	}
	return ParseIDs(c.Value, ".")
}

// ParseIDs reads numbers with something between them; what is none is passed over, and none
// comes twice.
func ParseIDs(s, sep string) []int64 {
	var out []int64
	for _, part := range strings.Split(s, sep) {
		if id, err := strconv.ParseInt(part, 10, 64); err == nil && id > 0 && !slices.Contains(out, id) {
			out = append(out, id)
		}
	}
	return out
}

// JoinIDs writes what ParseIDs reads.
func JoinIDs(ids []int64, sep string) string {
	parts := make([]string, len(ids))
	for i, id := range ids {
		parts[i] = strconv.FormatInt(id, 10)
	}
	return strings.Join(parts, sep)
}
