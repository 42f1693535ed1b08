// Package rights says who may do what: one table for pages, forms, streams, files and programs.
package rights

import (
	"context"
	_ "embed"
	"fmt"
	"net/http"
	"strconv"
	"strings"
	"sync"

	"github.com/go-chi/chi/v5"

	"zincroad/logbook"
)

// Table is the table as people read it.
//
//go:embed rights.txt
var Table string

// A Right is what something needs: a role, or one of the others that are named.
type Right struct {
	Role     logbook.Role // the least; empty: anybody
	Own      bool         // with runs alone that the actor may change
	Recorder bool         // a device may, with runs at its stalls
}

type way struct{ method, path string }

var table = sync.OnceValues(func() (map[way]Right, error) { return parsed(Table) })

func parsed(text string) (map[way]Right, error) {
	out := map[way]Right{}
	for n, line := range strings.Split(text, "\n") {
		f := strings.Fields(line)
		if len(f) == 0 || f[0] == "#" {
			continue
		}
		if len(f) < 3 {
			return nil, fmt.Errorf("rights, line %d: expected a role, a method and a path", n+1)
		}
		r := Right{Role: logbook.Role(f[0])}
		if f[0] == "anybody" {
			r.Role = ""
		} else if !logbook.Keeper.May(r.Role) {
			return nil, fmt.Errorf("rights, line %d: %q is no role", n+1, f[0])
		}
		for _, word := range f[3:] {
			switch word {
			case "own":
				r.Own = true
			case "recorder":
				r.Recorder = true
			default:
				return nil, fmt.Errorf("rights, line %d: %q means nothing", n+1, word)
			}
		}
		w := way{f[1], f[2]}
		if _, twice := out[w]; twice {
			return nil, fmt.Errorf("rights, line %d: %s %s stands there twice", n+1, f[1], f[2])
		}
		out[w] = r
	}
	return out, nil
}

// Of gives what a route needs, by its method and pattern; false where the table has none.
func Of(method, pattern string) (Right, bool) {
	t, err := table()
	if err != nil {
		return Right{}, false
	}
	if method == http.MethodHead {
		method = http.MethodGet
	}
	if len(pattern) > 1 {
		pattern = strings.TrimSuffix(pattern, "/")
	}
	r, ok := t[way{method, pattern}]
	return r, ok
}

// Runs tells whether an actor may change a run.
type Runs interface {
	MayChange(ctx context.Context, a logbook.Actor, id int64) (bool, error)
}

// A Judge tells what one actor may do, by the routes that there are; it asks for each run once.
type Judge struct {
	Actor  logbook.Actor
	Routes chi.Routes
	Runs   Runs

	mu  sync.Mutex
	may map[int64]bool
}

// Missing says why something is refused.
type Missing struct {
	Known bool  // the route is one of the table
	Needs Right // what it needs
}

// May tells whether the actor may do something; nil: yes. A path that leads nowhere is nobody's to refuse.
func (j *Judge) May(ctx context.Context, method, path string) (*Missing, error) {
	found := chi.NewRouteContext()
	if method == http.MethodHead {
		method = http.MethodGet
	}
	pattern := j.Routes.Find(found, method, path)
	if pattern == "" {
		return nil, nil
	}
	r, ok := Of(method, pattern)
	if !ok {
		return &Missing{}, nil
	}
	if r.Role == "" || j.Actor.Role == "" {
		return nil, nil
	}
	no := &Missing{Known: true, Needs: r}
	device := j.Actor.Role == logbook.Recorder
	if device && !r.Recorder || !device && !j.Actor.May(r.Role) {
		return no, nil
	}
	id, err := strconv.ParseInt(found.URLParam("id"), 10, 64)
	if err != nil || !device && !r.Own {
		return nil, nil
	}
	may, err := j.mayChange(ctx, id)
	if err != nil || may {
		return nil, err
	}
	return no, nil
}

func (j *Judge) mayChange(ctx context.Context, id int64) (bool, error) {
	j.mu.Lock()
	defer j.mu.Unlock()
	if may, asked := j.may[id]; asked {
		return may, nil
	}
	may, err := j.Runs.MayChange(ctx, j.Actor, id)
	if err != nil {
		return false, fmt.Errorf("asking whose run it is: %w", err)
	}
	if j.may == nil {
		j.may = map[int64]bool{}
	}
	j.may[id] = may
	return may, nil
}

// Says why something is refused, in a sentence.
func (m *Missing) Says(a logbook.Actor) string {
	switch {
	case !m.Known:
		return "Nobody is let in here."
	case a.Role == logbook.Recorder:
		return "This device records at its own stalls, and does nothing else."
	case a.May(m.Needs.Role):
		return "This run is somebody else's, and not shared: ask them, or a keeper."
	}
	return fmt.Sprintf("This is for a %s; you are a %s here.", m.Needs.Role, a.Role)
}
