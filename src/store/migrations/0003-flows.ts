import type { Migration } from './migration'

/** Flows, their runs and the steps of these. */
export const flows: Migration = {
  name: '0003-flows',
  up: `
-- A flow is started, scheduled, listed and kept like a job: it is work of another kind, its definition steps instead of an action.
ALTER TABLE jobs ADD COLUMN is_flow boolean NOT NULL DEFAULT false;
DROP INDEX jobs_slug;
CREATE UNIQUE INDEX jobs_slug ON jobs (is_flow, slug) WHERE deleted_at IS NULL;
DROP INDEX jobs_title;
CREATE UNIQUE INDEX jobs_title ON jobs (is_flow, area_id, lower(title)) WHERE deleted_at IS NULL;

-- Flows with all flows in them, as runs of them were begun: {flow, flows, jobs}. Runs of one version share a row.
CREATE TABLE flow_plans (
  id bigserial PRIMARY KEY,
  hash text NOT NULL UNIQUE,
  bundle jsonb NOT NULL
);

ALTER TABLE runs ALTER COLUMN target DROP NOT NULL;
ALTER TABLE runs DROP CONSTRAINT runs_cause_check;
ALTER TABLE runs ADD CONSTRAINT runs_cause_check CHECK (cause IN ('person','token','again','trigger','flow'));
ALTER TABLE runs
  -- Of a flow run: what it carries out, and the day that its gates look at.
  ADD COLUMN plan_id bigint REFERENCES flow_plans,
  ADD COLUMN flow_day date,
  -- Of a step's run: the flow run, and the step in its plan.
  ADD COLUMN flow_run_id bigint REFERENCES runs ON DELETE CASCADE,
  ADD COLUMN step integer,
  ADD COLUMN step_path text,
  -- Usual length of the longest chain from its start to the end of its flow.
  ADD COLUMN chain_ms bigint,
  ADD CONSTRAINT runs_step CHECK ((flow_run_id IS NULL) = (step IS NULL));
CREATE INDEX runs_flow ON runs (flow_run_id, id) WHERE flow_run_id IS NOT NULL;
CREATE INDEX runs_flow_open ON runs (state, id) WHERE kind = 'flow' AND state IN ('waiting','ready','running');

CREATE TABLE flow_steps (
  run_id bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
  step integer NOT NULL,
  state text NOT NULL CHECK (state IN ('waiting','ready','running','succeeded','failed','skipped','cancelled')),
  reason text CHECK (reason IN ('gate','off','passed-over')),
  tolerated boolean NOT NULL DEFAULT false,
  -- The newest run of the step.
  step_run_id bigint REFERENCES runs ON DELETE SET NULL,
  started_at timestamptz,
  ended_at timestamptz,
  held_by text,
  -- A person decided how it ended, and why.
  marked_by text,
  marked_why text,
  PRIMARY KEY (run_id, step)
) WITH (fillfactor = 70);

-- Flow runs in which something happened that has not been looked at yet.
CREATE TABLE flow_wakes (
  id bigserial PRIMARY KEY,
  run_id bigint NOT NULL REFERENCES runs ON DELETE CASCADE
);

-- How an open run stands with its deadline, and when it will end by usual lengths.
ALTER TABLE runs
  ADD COLUMN deadline_state text CHECK (deadline_state IN ('at-risk','late')),
  ADD COLUMN foreseen_at timestamptz;
CREATE INDEX runs_due_open ON runs (id) WHERE due_at IS NOT NULL AND state IN ('waiting','ready','running');
ALTER TABLE matters DROP CONSTRAINT matters_kind_check;
ALTER TABLE matters ADD CONSTRAINT matters_kind_check CHECK (kind IN ('run-failed','run-lost','run-at-risk','run-late','agent-away'));

-- Of a flow's matter: the run of the step that failed.
ALTER TABLE matters ADD COLUMN step_run_id bigint REFERENCES runs ON DELETE SET NULL;

-- The story of a flow run: what people did, and what followed from it beyond its steps.
CREATE TABLE flow_events (
  id bigserial PRIMARY KEY,
  run_id bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
  at timestamptz NOT NULL DEFAULT now(),
  by_name text NOT NULL,
  what text NOT NULL,
  step text
);
CREATE INDEX flow_events_run ON flow_events (run_id, id);
`,
}
