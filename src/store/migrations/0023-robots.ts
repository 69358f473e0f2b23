import type { Migration } from './migration'

/** Robots: an account of one agent's machine each, doing one thing at a time; the pools they belong to, and what they did. */
export const robots: Migration = {
  name: '0023-robots',
  up: `
ALTER TABLE accounts ADD COLUMN good_until timestamptz;
CREATE TABLE robots (
  id bigserial PRIMARY KEY,
  name text NOT NULL,
  agent_id bigint NOT NULL REFERENCES agents,
  -- Of one that was removed the account may be gone.
  account_id bigint REFERENCES accounts ON DELETE SET NULL,
  kind text NOT NULL CHECK (kind IN ('attended','unattended')),
  -- When it may work: local times of the day, HH:MM, and a calendar's name; null: always, every day.
  earliest text CHECK (earliest ~ '^[0-2][0-9]:[0-5][0-9]$'),
  latest text CHECK (latest ~ '^[0-2][0-9]:[0-5][0-9]$'),
  calendar text,
  labels jsonb NOT NULL DEFAULT '{}',
  active boolean NOT NULL DEFAULT true,
  active_at timestamptz NOT NULL DEFAULT now(),
  notes text NOT NULL DEFAULT '',
  registered_by text NOT NULL,
  registered_at timestamptz NOT NULL DEFAULT now(),
  removed_at timestamptz,
  last_start_at timestamptz,
  -- A sign-in that is to be tried, and what came of the last one: no fault means that it worked.
  try_token bigint,
  tried_at timestamptz,
  try_fault text,
  CHECK (account_id IS NOT NULL OR removed_at IS NOT NULL)
);
CREATE UNIQUE INDEX robots_name ON robots (lower(name)) WHERE removed_at IS NULL;
CREATE INDEX robots_agent ON robots (agent_id);
CREATE INDEX robots_account ON robots (account_id);
CREATE INDEX robots_calendar ON robots (calendar) WHERE removed_at IS NULL AND calendar IS NOT NULL;
CREATE INDEX robots_tries ON robots (agent_id) WHERE try_token IS NOT NULL;
CREATE TABLE robot_pools (
  pool_id bigint NOT NULL REFERENCES pools ON DELETE CASCADE,
  robot_id bigint NOT NULL REFERENCES robots ON DELETE CASCADE,
  active boolean NOT NULL DEFAULT true,
  PRIMARY KEY (pool_id, robot_id)
);
CREATE INDEX robot_pools_robot ON robot_pools (robot_id);
-- Robots that come along with an agent that is enrolled with a key.
ALTER TABLE enrolment_keys ADD COLUMN robots jsonb NOT NULL DEFAULT '[]';
ALTER TABLE runs ADD COLUMN robot_id bigint REFERENCES robots;
ALTER TABLE attempts ADD COLUMN robot_id bigint REFERENCES robots;
-- Whatever two placings may think: a robot does one thing at a time.
CREATE UNIQUE INDEX runs_of_robot ON runs (robot_id) WHERE state = 'running' AND robot_id IS NOT NULL;
CREATE INDEX attempts_robot ON attempts (robot_id, handed_at DESC) WHERE robot_id IS NOT NULL;
CREATE INDEX runs_robot ON runs (robot_id, id DESC) WHERE robot_id IS NOT NULL;
`,
}
