import { runContext, seal, SealBroken, unseal } from '../seal'
import type { Migration, Run } from './migration'

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

-- Where an account's secret may go: none of the areas named is all. What worked before goes on: the hosts of those who use it today are taken over.
ALTER TABLE accounts
  ADD COLUMN hosts text[] NOT NULL DEFAULT '{}',
  ADD COLUMN area_ids bigint[],
  ADD COLUMN plain boolean NOT NULL DEFAULT false,
  ADD COLUMN unknown_hosts boolean NOT NULL DEFAULT false;
WITH uses AS (
  SELECT v.definition->>'account' AS account, v.definition->'action' AS action FROM jobs j
    JOIN job_versions v ON v.job_id = j.id AND v.version = j.version WHERE j.deleted_at IS NULL
   UNION ALL SELECT account, action FROM notices),
hosts AS (
  SELECT account, lower(coalesce(action->>'host', substring(action->>'url' from '^[a-zA-Z]+://([^/:?#]+)'))) AS host FROM uses)
UPDATE accounts c SET plain = true, unknown_hosts = true, hosts = h.hosts
  FROM (SELECT account, array_agg(DISTINCT CASE WHEN position('\$' in host) > 0 THEN '*' ELSE host END) AS hosts FROM hosts WHERE host <> '' GROUP BY account) h
 WHERE h.account = c.name;
-- Private networks that the server itself calls: those who have notices may have them there.
INSERT INTO settings SELECT 'addresses', CASE WHEN EXISTS (SELECT 1 FROM notices)
  THEN '{"allow": ["10.0.0.0/8", "172.16.0.0/12", "192.168.0.0/16"]}'::jsonb ELSE '{"allow": []}'::jsonb END;

ALTER TABLE runs ADD COLUMN account_id bigint REFERENCES accounts ON DELETE SET NULL;
UPDATE runs r SET account_id = c.id FROM accounts c WHERE c.name = r.account;
CREATE INDEX runs_account ON runs (account_id) WHERE account_id IS NOT NULL AND state IN ('waiting','ready','running');

-- A whole number written as text, or else what is usual: one definition that cannot be read must not stop a statement over all.
CREATE FUNCTION whole_or(text, integer) RETURNS integer LANGUAGE sql IMMUTABLE PARALLEL SAFE
  AS $$ SELECT CASE WHEN $1 ~ '^[0-9]{1,9}$' THEN $1::integer ELSE $2 END $$;

-- Tries are counted and the count read in one statement; each kind has its own name space.
DROP TABLE sign_in_attempts;
CREATE TABLE attempt_counts (
  kind text NOT NULL,
  key text NOT NULL,
  since timestamptz NOT NULL DEFAULT now(),
  times integer NOT NULL DEFAULT 1,
  PRIMARY KEY (kind, key)
);
CREATE INDEX attempt_counts_since ON attempt_counts (since);

-- When the person last showed the password in this session.
ALTER TABLE sessions ADD COLUMN confirmed_at timestamptz NOT NULL DEFAULT now();
-- The most that a token may; never more than its person.
ALTER TABLE access_tokens ADD COLUMN may text NOT NULL DEFAULT 'administer' CHECK (may IN ('see','operate','design','administer'));
-- A credential is fetched once.
ALTER TABLE enrolments ADD COLUMN fetched_at timestamptz;
UPDATE enrolments SET fetched_at = now() WHERE state = 'granted';
-- A key of a repeated request belongs to whoever asks.
DROP INDEX runs_request;
CREATE UNIQUE INDEX runs_request ON runs (coalesce(started_by, 0), request_key) WHERE request_key IS NOT NULL;

-- Trouble that is neither a run's nor an agent's silence has words of its own.
ALTER TABLE matters DROP CONSTRAINT matters_kind_check;
ALTER TABLE matters ADD CONSTRAINT matters_kind_check CHECK (kind IN ('run-failed','run-lost','run-at-risk','run-late','agent-away','trouble'));
ALTER TABLE matters ADD COLUMN title text NOT NULL DEFAULT '';
`,
  then: resealRuns,
}

/** Secrets of runs were bound to all runs; from now on each to its own. One that cannot be opened is left: its run fails and says so. */
async function resealRuns(run: Run): Promise<void> {
  for (let after = 0; ;) {
    const rows = await run<{ id: string; secrets: Buffer }>(
      'SELECT id, secrets FROM runs WHERE secrets IS NOT NULL AND id > $1 ORDER BY id LIMIT 1000',
      [after],
    )
    for (const { id, secrets } of rows) {
      const plain = opened(secrets)
      if (plain !== null)
        await run('UPDATE runs SET secrets = $2 WHERE id = $1', [id, seal(plain, runContext(Number(id)))])
    }
    const last = rows.at(-1)
    if (!last) return
    after = Number(last.id)
  }
}

function opened(secrets: Buffer): string | null {
  try {
    return unseal(secrets, 'run inputs')
  } catch (error) {
    if (error instanceof SealBroken) return null
    throw error
  }
}
