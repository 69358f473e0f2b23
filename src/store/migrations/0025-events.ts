import type { Migration } from './migration'

/** What starts work besides the clock: events of triggers, each decided once, and the runs that they led to. */
export const events: Migration = {
  name: '0025-events',
  up: `
ALTER TABLE triggers
  ADD COLUMN kind text NOT NULL DEFAULT 'time' CHECK (kind IN ('time','backlog','measure','file','call','after')),
  -- Whose items it looks at, and whose ends: the same as its definition says by their names.
  ADD COLUMN queue_id bigint REFERENCES queues,
  ADD COLUMN after_job_id bigint REFERENCES jobs,
  ADD COLUMN after_when text CHECK (after_when IN ('succeeded','failed','ended')),
  -- Failed runs in a row are counted from here.
  ADD COLUMN counted_from timestamptz NOT NULL DEFAULT now(),
  -- Its starts by events so far: what makes the keys of those that have no other.
  ADD COLUMN events bigint NOT NULL DEFAULT 0;
CREATE INDEX triggers_after ON triggers (after_job_id) WHERE after_job_id IS NOT NULL;
CREATE INDEX triggers_backlog ON triggers (queue_id) WHERE queue_id IS NOT NULL;
CREATE TABLE trigger_events (
  id bigserial PRIMARY KEY,
  trigger_id bigint NOT NULL REFERENCES triggers,
  -- The same happening has the same key, however often it is told.
  key text NOT NULL,
  at timestamptz NOT NULL,
  facts jsonb NOT NULL,
  -- Runs that led to each other, one after the other, up to this.
  depth integer NOT NULL DEFAULT 1,
  -- It waits for this instant; null: to be decided at once.
  not_before timestamptz,
  decided_at timestamptz,
  outcome text CHECK (outcome IN ('started','not started')),
  -- In a sentence, where nothing was started.
  why text,
  UNIQUE (trigger_id, key)
);
CREATE INDEX trigger_events_open ON trigger_events (id) WHERE decided_at IS NULL;
CREATE INDEX trigger_events_decided ON trigger_events (decided_at) WHERE decided_at IS NOT NULL;
-- Measured values, one a minute: of agents and queues. Those of jobs are what their runs handed on.
CREATE TABLE measure_values (
  kind text NOT NULL CHECK (kind IN ('agent','queue')),
  of_id bigint NOT NULL,
  name text NOT NULL,
  at timestamptz NOT NULL,
  value double precision NOT NULL,
  PRIMARY KEY (kind, of_id, name, at)
);
CREATE INDEX measure_values_at ON measure_values (at);
-- What is left of them after two weeks.
CREATE TABLE measure_hours (
  kind text NOT NULL CHECK (kind IN ('agent','queue')),
  of_id bigint NOT NULL,
  name text NOT NULL,
  at timestamptz NOT NULL,
  least double precision NOT NULL,
  median double precision NOT NULL,
  most double precision NOT NULL,
  PRIMARY KEY (kind, of_id, name, at)
);
CREATE INDEX measure_hours_at ON measure_hours (at);
ALTER TABLE agent_contacts ADD COLUMN measures jsonb;
-- Pools whose work is steered onto one member: who was on before, until when.
CREATE TABLE pool_steers (
  pool_id bigint PRIMARY KEY REFERENCES pools ON DELETE CASCADE,
  onto text NOT NULL,
  before jsonb NOT NULL,
  until timestamptz,
  steered_by text NOT NULL,
  steered_at timestamptz NOT NULL DEFAULT now()
);
-- What agents say of the folders that they look into for triggers.
CREATE TABLE trigger_watches (
  trigger_id bigint PRIMARY KEY REFERENCES triggers ON DELETE CASCADE,
  agent text NOT NULL,
  -- Why it cannot look, in a sentence; null: it can.
  fault text,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX triggers_file ON triggers ((definition->'file'->'on'->>'agent')) WHERE kind = 'file';
-- The address of a trigger that programs call: only a hash of its secret is kept.
CREATE TABLE trigger_calls (
  trigger_id bigint PRIMARY KEY REFERENCES triggers ON DELETE CASCADE,
  hash text NOT NULL UNIQUE,
  -- Sealed.
  signing_key text NOT NULL,
  made_by text NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE runs ADD COLUMN event_id bigint REFERENCES trigger_events;
DROP INDEX runs_occurrence;
-- One occurrence of a trigger, or one event, makes at most one run, or one for each machine.
CREATE UNIQUE INDEX runs_occurrence ON runs (trigger_id, occurrence, coalesce(for_agent_id, 0)) WHERE occurrence IS NOT NULL AND event_id IS NULL;
CREATE UNIQUE INDEX runs_event ON runs (event_id, coalesce(for_agent_id, 0)) WHERE event_id IS NOT NULL;
ALTER TABLE trigger_events ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON trigger_events FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM triggers t WHERE t.id = trigger_id));
${['measure_values', 'measure_hours']
  .map(
    (table) => `ALTER TABLE ${table} ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON ${table} FOR SELECT TO bugle_walled USING (kind <> 'queue' OR EXISTS (SELECT FROM queues q WHERE q.id = of_id));`,
  )
  .join('\n')}
ALTER TABLE trigger_watches ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON trigger_watches FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM triggers t WHERE t.id = trigger_id));
ALTER TABLE trigger_calls ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON trigger_calls FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM triggers t WHERE t.id = trigger_id));
`,
}
