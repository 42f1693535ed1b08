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
	Crew     int64 // on whose rows; 0: the first crew's, which is the only one where nobody made another
}

// every is the crew that stands for all of them.
const every = -1

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

// InCrew is a context that works on a crew's rows.
func InCrew(ctx context.Context, crew int64) context.Context {
	a, _ := ctx.Value(actorKey{}).(Actor)
	a.Crew = crew
	return By(ctx, a)
}

// Everywhere is a context that sees the rows of all crews: to find out whose something is, and for what the program
// does for all of them.
func Everywhere(ctx context.Context) context.Context { return InCrew(ctx, every) }

// ofRun is a context in the crew of a run, where ctx is everywhere.
func (b *base) ofRun(ctx context.Context, runID int64) (context.Context, error) {
	if a, _ := ctx.Value(actorKey{}).(Actor); a.Crew != every {
		return ctx, nil
	}
	var crew []int64
	err := b.db.WithContext(ctx).Raw("SELECT crew_id FROM runs WHERE id = ?", runID).Scan(&crew).Error
	if err == nil && len(crew) == 0 {
		return ctx, fmt.Errorf("run %d: %w", runID, ErrNotFound)
	}
	if err != nil {
		return ctx, mapped("asking whose run it is", err)
	}
	return InCrew(ctx, crew[0]), nil
}

// crewSetting is a crew as the database is told it.
func (a Actor) crewSetting() string {
	switch a.Crew {
	case every:
		return "0"
	case 0:
		return "1"
	}
	return strconv.FormatInt(a.Crew, 10)
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
		set_config('zincroad.role', $3, false), set_config('zincroad.crew', $4, false)`, actor.Name, person,
		string(actor.Role), actor.crewSetting()); err != nil {
		return fmt.Errorf("saying who writes: %w", err)
	}
	held[key] = actor
	return nil
}
