import type { Migration } from './migration'

/** Everything of the first slice: people, fleet, jobs, runs, matters. */
export const foundation: Migration = {
  name: '0001-foundation',
  up: `
CREATE TABLE people (
  id bigserial PRIMARY KEY,
  email text NOT NULL,
  name text NOT NULL,
  role text NOT NULL CHECK (role IN ('viewer','operator','designer','administrator')),
  password_hash text,
  active boolean NOT NULL DEFAULT true,
  is_demo boolean NOT NULL DEFAULT false,
  preferences jsonb NOT NULL DEFAULT '{}',
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX people_email ON people (lower(email));

CREATE TABLE sessions (
  id bigserial PRIMARY KEY,
  token_hash text NOT NULL UNIQUE,
  person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
  address text NOT NULL,
  user_agent text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  last_seen_at timestamptz NOT NULL DEFAULT now(),
  expires_at timestamptz NOT NULL
);
CREATE INDEX sessions_person ON sessions (person_id);

CREATE TABLE access_tokens (
  id bigserial PRIMARY KEY,
  person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
  name text NOT NULL,
  token_hash text NOT NULL UNIQUE,
  created_at timestamptz NOT NULL DEFAULT now(),
  expires_at timestamptz NOT NULL,
  last_used_at timestamptz,
  revoked_at timestamptz
);
CREATE INDEX access_tokens_person ON access_tokens (person_id);

CREATE TABLE sign_in_attempts (
  id bigserial PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT now(),
  account text NOT NULL,
  address text NOT NULL,
  succeeded boolean NOT NULL
);
CREATE INDEX sign_in_attempts_account ON sign_in_attempts (account, at);
CREATE INDEX sign_in_attempts_address ON sign_in_attempts (address, at);

CREATE TABLE setup_codes (
  code_hash text PRIMARY KEY,
  expires_at timestamptz NOT NULL
);

CREATE TABLE audit (
  id bigserial PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT now(),
  person_id bigint,
  person_name text NOT NULL,
  via text NOT NULL,
  address text NOT NULL,
  action text NOT NULL,
  object_type text NOT NULL,
  object_id text NOT NULL,
  object_title text NOT NULL,
  changes jsonb NOT NULL DEFAULT '{}'
);
CREATE INDEX audit_object ON audit (object_type, object_id, id DESC);

CREATE TABLE settings (key text PRIMARY KEY, value jsonb NOT NULL);

CREATE TABLE areas (
  id bigserial PRIMARY KEY,
  title text NOT NULL,
  notes text NOT NULL DEFAULT '',
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX areas_title ON areas (lower(title));

CREATE TABLE pools (
  id bigserial PRIMARY KEY,
  name text NOT NULL UNIQUE,
  title text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);

CREATE TABLE agents (
  id bigserial PRIMARY KEY,
  name text NOT NULL UNIQUE,
  machine_id text NOT NULL,
  host text NOT NULL,
  system text NOT NULL,
  arch text NOT NULL,
  version text NOT NULL,
  runtime text NOT NULL,
  labels jsonb NOT NULL DEFAULT '{}',
  abilities jsonb NOT NULL DEFAULT '[]',
  slots integer NOT NULL DEFAULT 2 CHECK (slots BETWEEN 1 AND 1024),
  active boolean NOT NULL DEFAULT true,
  draining boolean NOT NULL DEFAULT false,
  credential_hash text UNIQUE,
  enrolled_at timestamptz NOT NULL DEFAULT now(),
  enrolled_by text NOT NULL DEFAULT '',
  is_simulated boolean NOT NULL DEFAULT false,
  fleet_version bigint NOT NULL DEFAULT 1
);
CREATE INDEX agents_machine ON agents (machine_id);

-- Apart from agents: written every few seconds, and small, so that the updates stay on their page.
CREATE TABLE agent_contacts (
  agent_id bigint PRIMARY KEY REFERENCES agents ON DELETE CASCADE,
  engine_id uuid,
  connected_at timestamptz,
  last_contact_at timestamptz,
  load real,
  last_start_at timestamptz
) WITH (fillfactor = 40);

CREATE TABLE pool_members (
  pool_id bigint NOT NULL REFERENCES pools ON DELETE CASCADE,
  agent_id bigint NOT NULL REFERENCES agents ON DELETE CASCADE,
  active boolean NOT NULL DEFAULT true,
  PRIMARY KEY (pool_id, agent_id)
);

CREATE TABLE enrolment_keys (
  id bigserial PRIMARY KEY,
  key_hash text NOT NULL UNIQUE,
  labels jsonb NOT NULL DEFAULT '{}',
  pool_ids jsonb NOT NULL DEFAULT '[]',
  slots integer NOT NULL DEFAULT 2,
  uses_left integer NOT NULL,
  expires_at timestamptz NOT NULL,
  created_by text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  revoked_at timestamptz
);

-- One request of one agent; asks when the machine is known already.
CREATE TABLE enrolments (
  id bigserial PRIMARY KEY,
  key_id bigint NOT NULL REFERENCES enrolment_keys ON DELETE CASCADE,
  poll_hash text NOT NULL UNIQUE,
  state text NOT NULL CHECK (state IN ('asking','granted','refused')),
  facts jsonb NOT NULL,
  existing_agent_id bigint REFERENCES agents ON DELETE SET NULL,
  agent_id bigint REFERENCES agents ON DELETE SET NULL,
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX enrolments_key ON enrolments (key_id);

CREATE TABLE agent_events (
  id bigserial PRIMARY KEY,
  agent_id bigint NOT NULL REFERENCES agents ON DELETE CASCADE,
  at timestamptz NOT NULL DEFAULT now(),
  kind text NOT NULL,
  detail text NOT NULL DEFAULT ''
);
CREATE INDEX agent_events_agent ON agent_events (agent_id, id DESC);

CREATE TABLE jobs (
  id bigserial PRIMARY KEY,
  title text NOT NULL,
  notes text NOT NULL DEFAULT '',
  area_id bigint NOT NULL REFERENCES areas,
  active boolean NOT NULL DEFAULT true,
  version integer NOT NULL DEFAULT 1,
  usual_ms bigint,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now(),
  deleted_at timestamptz
);
CREATE UNIQUE INDEX jobs_title ON jobs (area_id, lower(title)) WHERE deleted_at IS NULL;

CREATE TABLE job_versions (
  job_id bigint NOT NULL REFERENCES jobs ON DELETE CASCADE,
  version integer NOT NULL,
  definition jsonb NOT NULL,
  PRIMARY KEY (job_id, version)
);

CREATE TABLE runs (
  id bigserial PRIMARY KEY,
  job_id bigint NOT NULL REFERENCES jobs,
  job_version integer NOT NULL,
  area_id bigint NOT NULL REFERENCES areas,
  target jsonb NOT NULL,
  kind text NOT NULL,
  min_version text,
  inputs jsonb NOT NULL DEFAULT '{}',
  secrets bytea,
  cause text NOT NULL CHECK (cause IN ('person','token','again','trigger')),
  started_by bigint REFERENCES people,
  starter_name text NOT NULL DEFAULT '',
  again_of bigint,
  trigger_id bigint,
  occurrence timestamptz,
  request_key text,
  state text NOT NULL,
  version integer NOT NULL DEFAULT 1,
  priority smallint NOT NULL,
  slots integer NOT NULL DEFAULT 1,
  attempts integer NOT NULL DEFAULT 0,
  max_attempts integer NOT NULL DEFAULT 1,
  retry_delay_ms bigint NOT NULL DEFAULT 0,
  start_after timestamptz,
  held_by text,
  stop_asked_by text,
  stop_asked_at timestamptz,
  created_at timestamptz NOT NULL DEFAULT now(),
  ready_at timestamptz,
  started_at timestamptz,
  ended_at timestamptz,
  duration_ms bigint,
  agent_id bigint REFERENCES agents,
  exit_code integer,
  reason text NOT NULL DEFAULT '',
  cleared_at timestamptz
) WITH (fillfactor = 80);
-- One occurrence of a trigger makes at most one run.
CREATE UNIQUE INDEX runs_occurrence ON runs (trigger_id, occurrence) WHERE trigger_id IS NOT NULL;
-- A start asked for twice with the same key (a repeated request) makes one run.
CREATE UNIQUE INDEX runs_request ON runs (request_key) WHERE request_key IS NOT NULL;
CREATE INDEX runs_open ON runs (state, id) WHERE state IN ('waiting','ready','running');
CREATE INDEX runs_state ON runs (state, id DESC);
CREATE INDEX runs_job ON runs (job_id, id DESC);
CREATE INDEX runs_area ON runs (area_id, id DESC);
CREATE INDEX runs_agent ON runs (agent_id, id DESC);
CREATE INDEX runs_person ON runs (started_by, id DESC);
CREATE INDEX runs_cause ON runs (cause, id DESC);
CREATE INDEX runs_created ON runs (created_at);
-- Sorting by these pages by key: what has no value yet counts as endless, so that a row comparison can use the index.
CREATE INDEX runs_started ON runs (coalesce(started_at, 'infinity'), id);
CREATE INDEX runs_ended ON runs (coalesce(ended_at, 'infinity'), id);
CREATE INDEX runs_duration ON runs (coalesce(duration_ms, -1), id);
CREATE INDEX runs_ended_at ON runs (ended_at);

CREATE SEQUENCE lease_tokens;
CREATE TABLE attempts (
  id bigserial PRIMARY KEY,
  run_id bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
  number integer NOT NULL,
  agent_id bigint NOT NULL REFERENCES agents,
  token bigint NOT NULL DEFAULT nextval('lease_tokens'),
  state text NOT NULL CHECK (state IN ('handed','accepted','running','succeeded','failed','cancelled','lost')),
  lease_until timestamptz NOT NULL,
  handed_at timestamptz NOT NULL,
  started_at timestamptz,
  ended_at timestamptz,
  exit_code integer,
  reason text NOT NULL DEFAULT '',
  what_ran jsonb,
  report_seq integer NOT NULL DEFAULT 0,
  output_lines integer NOT NULL DEFAULT 0,
  output_bytes bigint NOT NULL DEFAULT 0,
  output_cut boolean NOT NULL DEFAULT false,
  output_purged boolean NOT NULL DEFAULT false,
  telling_line text NOT NULL DEFAULT '',
  UNIQUE (run_id, number)
) WITH (fillfactor = 70);
CREATE INDEX attempts_open ON attempts (agent_id) WHERE state IN ('handed','accepted','running');
CREATE INDEX attempts_time ON attempts (handed_at);
CREATE INDEX attempts_ended ON attempts (ended_at);

-- lines: [[milliseconds since epoch, stream, text], …]
CREATE TABLE output_chunks (
  attempt_id bigint NOT NULL REFERENCES attempts ON DELETE CASCADE,
  first_line integer NOT NULL,
  line_count integer NOT NULL,
  lines jsonb NOT NULL,
  PRIMARY KEY (attempt_id, first_line)
);

CREATE TABLE stale_reports (
  id bigserial PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT now(),
  agent_id bigint NOT NULL REFERENCES agents ON DELETE CASCADE,
  attempt_id bigint NOT NULL,
  token bigint NOT NULL,
  kind text NOT NULL
);

CREATE TABLE matters (
  id bigserial PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('run-failed','run-lost','agent-away')),
  subject text NOT NULL,
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open','taken','closed')),
  run_id bigint REFERENCES runs ON DELETE CASCADE,
  agent_id bigint REFERENCES agents ON DELETE CASCADE,
  times integer NOT NULL DEFAULT 1,
  evidence text NOT NULL DEFAULT '',
  opened_at timestamptz NOT NULL DEFAULT now(),
  last_at timestamptz NOT NULL DEFAULT now(),
  taken_by text,
  taken_at timestamptz,
  note text NOT NULL DEFAULT '',
  closed_by text,
  closed_at timestamptz
);
CREATE UNIQUE INDEX matters_open ON matters (kind, subject) WHERE state <> 'closed';
CREATE INDEX matters_run ON matters (run_id);

-- Busy slot-milliseconds of each agent in each stretch of five minutes in which it did anything.
CREATE TABLE load_samples (
  at timestamptz NOT NULL,
  agent_id bigint NOT NULL REFERENCES agents ON DELETE CASCADE,
  busy_ms bigint NOT NULL,
  PRIMARY KEY (at, agent_id)
);
CREATE INDEX load_samples_agent ON load_samples (agent_id, at);

CREATE TABLE engines (
  id uuid PRIMARY KEY,
  host text NOT NULL,
  pid integer NOT NULL,
  version text NOT NULL,
  gateway_url text NOT NULL,
  started_at timestamptz NOT NULL,
  last_seen_at timestamptz NOT NULL,
  cpu_ms bigint NOT NULL DEFAULT 0
);

-- The engine that places runs. Each new leader raises the epoch; a hand-out by an older one changes nothing.
CREATE TABLE leadership (
  singleton boolean PRIMARY KEY DEFAULT true CHECK (singleton),
  epoch bigint NOT NULL,
  engine_id uuid
);
INSERT INTO leadership VALUES (true, 0, NULL);
`,
}
