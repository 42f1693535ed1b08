package logbook

import (
	"context"
	"fmt"
	"strconv"

	"github.com/jackc/pgx/v5"
)

// Owner is who writes where nobody else is named: this logbook's owner.
const Owner = "owner"

// An Actor is for whom something is done: a person of the crew, a program by its token, or nobody in particular, who
// works for the program itself or alone on their own machine and may do everything.
type Actor struct {
	Name     string
	PersonID int64 // 0: no person of the crew
	Role     Role  // empty: may do everything
}

type actorKey struct{}

// By is a context whose writes are somebody's.
func By(ctx context.Context, a Actor) context.Context { return context.WithValue(ctx, actorKey{}, a) }

// ActorOf tells for whom a context works.
func ActorOf(ctx context.Context) Actor {
	a, _ := ctx.Value(actorKey{}).(Actor)
	if a.Name == "" {
		a.Name = Owner
	}
	return a
}

// May tells whether an actor may do what needs a role.
func (a Actor) May(needed Role) bool { return a.Role == "" || a.Role.May(needed) }

// workingFor tells a connection, about to be used, for whom: the database notes it with every change, and refuses what
// is not theirs to do.
func workingFor(ctx context.Context, c *pgx.Conn) error {
	const key = "actor"
	actor, held := ActorOf(ctx), c.PgConn().CustomData()
	if was, ok := held[key].(Actor); ok && was == actor || !ok && actor == (Actor{Name: Owner}) {
		return nil
	}
	person := ""
	if actor.PersonID != 0 {
		person = strconv.FormatInt(actor.PersonID, 10)
	}
	if _, err := c.Exec(ctx, `SELECT set_config('zincroad.actor', $1, false), set_config('zincroad.person', $2, false),
		set_config('zincroad.role', $3, false)`, actor.Name, person, string(actor.Role)); err != nil {
		return fmt.Errorf("saying who writes: %w", err)
	}
	held[key] = actor
	return nil
}
