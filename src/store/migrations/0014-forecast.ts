import type { Migration } from './migration'

/** The future: measured lengths, the forecast that every process reads, what it said of deadlines beforehand, proposals and variants. */
export const forecast: Migration = {
  name: '0014-forecast',
  up: `
CREATE TABLE job_lengths (
  job_id bigint PRIMARY KEY REFERENCES jobs ON DELETE CASCADE,
  -- Seconds, ascending, each as likely as the others.
  samples real[] NOT NULL,
  -- Chance that one try fails.
  fails real NOT NULL,
  runs integer NOT NULL,
  drift real NOT NULL,
  measured_at timestamptz NOT NULL
);
CREATE TABLE forecasts (
  singleton boolean PRIMARY KEY DEFAULT true CHECK (singleton),
  made_at timestamptz NOT NULL,
  took_ms integer NOT NULL,
  body jsonb NOT NULL,
  -- Apart: there may be thousands, and few ask for them.
  runs jsonb NOT NULL
);
-- What was said of each deadline so long before it.
CREATE TABLE told_deadlines (
  trigger_id bigint NOT NULL REFERENCES triggers ON DELETE CASCADE,
  occurrence timestamptz NOT NULL,
  machine text NOT NULL DEFAULT '',
  lead text NOT NULL CHECK (lead IN ('8h','2h','10m','begun')),
  told_at timestamptz NOT NULL,
  due_at timestamptz NOT NULL,
  chance real NOT NULL,
  finish_p50 timestamptz,
  finish_p90 timestamptz,
  PRIMARY KEY (trigger_id, occurrence, machine, lead)
);
CREATE INDEX told_deadlines_due ON told_deadlines (due_at);
-- How often a list of changes was proposed, what of it was taken over, and what every trigger was before.
CREATE TABLE proposals (
  id bigserial PRIMARY KEY,
  made_at timestamptz NOT NULL DEFAULT now(),
  made_by text NOT NULL,
  from_at timestamptz NOT NULL,
  hours integer NOT NULL,
  answer jsonb NOT NULL,
  taken jsonb,
  taken_by text,
  taken_at timestamptz,
  undone jsonb,
  undone_by text,
  undone_at timestamptz
);
CREATE TABLE variants (
  id bigserial PRIMARY KEY,
  title text NOT NULL,
  changes jsonb NOT NULL,
  made_by text NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now()
);
ALTER TABLE matters DROP CONSTRAINT matters_kind_check;
ALTER TABLE matters ADD CONSTRAINT matters_kind_check
  CHECK (kind IN ('run-failed','run-lost','run-at-risk','deadline-at-risk','run-late','agent-away','trouble'));
INSERT INTO settings (key, value) VALUES ('chances', '{"amber":90,"red":50}') ON CONFLICT (key) DO NOTHING;
`,
}
