import type { Migration } from './migration'

/** Who is told what when, and what was told. */
export const notices: Migration = {
  name: '0005-notices',
  up: `
CREATE TABLE notices (
  id bigserial PRIMARY KEY,
  title text NOT NULL,
  active boolean NOT NULL DEFAULT true,
  -- Of one job or flow, of all in an area, or (both null) of all.
  job_id bigint REFERENCES jobs ON DELETE CASCADE,
  area_id bigint REFERENCES areas ON DELETE CASCADE,
  events text[] NOT NULL,
  -- A mail, a ticket or an HTTP request, with \${…} of the run's facts in it.
  action jsonb NOT NULL,
  account text,
  -- What ended before is not told.
  since timestamptz NOT NULL DEFAULT now(),
  changed_by text NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now()
);
CREATE TABLE notice_sends (
  id bigserial PRIMARY KEY,
  notice_id bigint NOT NULL REFERENCES notices ON DELETE CASCADE,
  run_id bigint REFERENCES runs ON DELETE CASCADE,
  event text NOT NULL,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting','sent','given up')),
  attempts integer NOT NULL DEFAULT 0,
  next_at timestamptz NOT NULL DEFAULT now(),
  what text NOT NULL DEFAULT '',
  made_at timestamptz NOT NULL DEFAULT now(),
  sent_at timestamptz
);
-- Nobody is told the same of a run twice.
CREATE UNIQUE INDEX notice_sends_once ON notice_sends (notice_id, run_id, event) WHERE run_id IS NOT NULL;
CREATE INDEX notice_sends_waiting ON notice_sends (next_at) WHERE state = 'waiting';
CREATE INDEX notice_sends_made ON notice_sends (made_at);
`,
}
