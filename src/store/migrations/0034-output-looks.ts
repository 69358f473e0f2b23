import type { Migration } from './migration'

/** Jobs that watch their own output: what came of comparing a success with the one before. */
export const outputLooks: Migration = {
  name: '0034-output-looks',
  up: `
CREATE TABLE output_looks (
  run_id bigint PRIMARY KEY REFERENCES runs ON DELETE CASCADE,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting','first','same','changed','failed')),
  tries integer NOT NULL DEFAULT 0,
  next_at timestamptz NOT NULL DEFAULT now(),
  -- The success that it was compared with; it may be cleared away before this one.
  before_id bigint,
  change jsonb,
  why text NOT NULL DEFAULT '',
  looked_at timestamptz
);
CREATE INDEX output_looks_waiting ON output_looks (next_at) WHERE state = 'waiting';
-- Each success asks whether its version watches: what it does need not be read for that.
CREATE INDEX job_versions_watching ON job_versions (job_id, version) WHERE jsonb_typeof(definition->'watches') = 'object';
ALTER TABLE output_looks ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON output_looks FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM runs r WHERE r.id = run_id));
ALTER TABLE triggers DROP CONSTRAINT triggers_after_when_check;
ALTER TABLE triggers ADD CONSTRAINT triggers_after_when_check CHECK (after_when IN ('succeeded','failed','ended','changed'));
ALTER TABLE matters DROP CONSTRAINT matters_kind_check;
ALTER TABLE matters ADD CONSTRAINT matters_kind_check
  CHECK (kind IN ('run-failed','run-lost','run-at-risk','deadline-at-risk','run-late','output-changed','agent-away','trouble'));
`,
}
