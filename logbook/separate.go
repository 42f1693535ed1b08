package logbook

import (
	"context"
	"database/sql"
	"fmt"

	"github.com/jackc/pgx/v5"
)

// workRole is in which the program works: one that owns no table, so that the policies of rows hold it. It is of the
// whole cluster, and the same for all logbooks in it; who may do what in each is granted there.
const workRole = "zincroad_crew"

// separating makes the role and grants it what the program needs. Where the database's user may not, the tables' owner
// works, and the logbook holds one crew. It is done each time: a restored logbook has no grants.
const separating = `
SELECT pg_advisory_xact_lock(8468, 44);
DO $$
BEGIN
	IF NOT EXISTS (SELECT FROM pg_roles WHERE rolname = '` + workRole + `') THEN
		CREATE ROLE ` + workRole + ` NOLOGIN;
	END IF;
EXCEPTION WHEN duplicate_object OR unique_violation THEN -- another logbook of the cluster has just made it
	NULL;
END $$;
DO $$
DECLARE
	t text;
BEGIN
	IF NOT pg_has_role(current_user, '` + workRole + `', 'MEMBER') THEN
		EXECUTE format('GRANT ` + workRole + ` TO %I', current_user);
	END IF;
	IF NOT has_schema_privilege('` + workRole + `', 'public', 'USAGE') THEN -- made anew by a restore
		GRANT USAGE ON SCHEMA public TO ` + workRole + `;
	END IF;
	FOR t IN SELECT c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE n.nspname = 'public' AND c.relkind IN ('r', 'p') AND NOT c.relispartition
			AND NOT has_table_privilege('` + workRole + `', c.oid, 'SELECT, INSERT, UPDATE, DELETE') LOOP
		EXECUTE format('GRANT SELECT, INSERT, UPDATE, DELETE ON %I TO ` + workRole + `', t);
	END LOOP;
	-- Readings come in by the part that they belong to, and go out through the whole.
	FOR t IN SELECT c.relname FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE n.nspname = 'public' AND c.relkind = 'r' AND c.relispartition
			AND NOT has_table_privilege('` + workRole + `', c.oid, 'INSERT') LOOP
		EXECUTE format('GRANT INSERT ON %I TO ` + workRole + `', t);
	END LOOP;
END $$`

// separate has the logbook's crews kept apart, and tells whether they are.
func separate(ctx context.Context, pool *sql.DB) (bool, error) {
	var may bool
	err := pool.QueryRowContext(ctx, `SELECT rolsuper OR rolcreaterole OR EXISTS (SELECT FROM pg_roles
		WHERE rolname = $1) FROM pg_roles WHERE rolname = current_user`, workRole).Scan(&may)
	if err != nil || !may {
		return false, mapped("asking what the database's user may", err)
	}
	tx, err := pool.BeginTx(ctx, nil)
	if err != nil {
		return false, fmt.Errorf("keeping crews apart: %w", err)
	}
	defer func() { _ = tx.Rollback() }()
	if _, err := tx.ExecContext(ctx, separating); err != nil {
		return false, fmt.Errorf("keeping crews apart: %w", err)
	}
	return true, tx.Commit()
}

// asWorker has a new connection work in the role that is held by the policies of rows.
func asWorker(ctx context.Context, c *pgx.Conn) error {
	if _, err := c.Exec(ctx, "SET ROLE "+workRole); err != nil {
		return fmt.Errorf("working in a role of its own: %w", err)
	}
	return nil
}
