import type { Migration } from './migration'

/** One connection for each agent; what was refused is counted instead of kept row by row; leadership is a lease; a run keeps its account by its number. */
export const bounds: Migration = {
  name: '0007-bounds',
  up: `
-- The connection that speaks for an agent: each new one takes the claim, under a number of its own. The start of the program that holds it, and the one before.
CREATE SEQUENCE agent_connections;
ALTER TABLE agent_contacts ADD COLUMN connection bigint;
ALTER TABLE agent_contacts ADD COLUMN instance text;
ALTER TABLE agent_contacts ADD COLUMN replaced_instance text;

-- attempt_id 0: attempts that are not the agent's own.
DROP TABLE stale_reports;
CREATE TABLE refused_reports (
  agent_id bigint NOT NULL REFERENCES agents ON DELETE CASCADE,
  attempt_id bigint NOT NULL,
  kind text NOT NULL CHECK (kind IN ('stale','unstorable','superseded')),
  reason text NOT NULL DEFAULT '',
  times bigint NOT NULL DEFAULT 1,
  first_at timestamptz NOT NULL DEFAULT now(),
  last_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (agent_id, attempt_id, kind)
);
CREATE INDEX refused_reports_last ON refused_reports (last_at);

-- What happens again and again is one row with a count.
ALTER TABLE agent_events ADD COLUMN times integer NOT NULL DEFAULT 1;
ALTER TABLE agent_events ADD COLUMN first_at timestamptz;

ALTER TABLE leadership ADD COLUMN lease_until timestamptz NOT NULL DEFAULT now();

ALTER TABLE runs ADD COLUMN account_id bigint REFERENCES accounts ON DELETE SET NULL;
UPDATE runs r SET account_id = c.id FROM accounts c WHERE c.name = r.account;
CREATE INDEX runs_account ON runs (account_id) WHERE account_id IS NOT NULL AND state IN ('waiting','ready','running');

-- A whole number written as text, or else what is usual: one definition that cannot be read must not stop a statement over all.
CREATE FUNCTION whole_or(text, integer) RETURNS integer LANGUAGE sql IMMUTABLE PARALLEL SAFE
  AS $$ SELECT CASE WHEN $1 ~ '^[0-9]{1,9}$' THEN $1::integer ELSE $2 END $$;

-- Trouble that is neither a run's nor an agent's silence has words of its own.
ALTER TABLE matters DROP CONSTRAINT matters_kind_check;
ALTER TABLE matters ADD CONSTRAINT matters_kind_check CHECK (kind IN ('run-failed','run-lost','run-at-risk','run-late','agent-away','trouble'));
ALTER TABLE matters ADD COLUMN title text NOT NULL DEFAULT '';
`,
}
