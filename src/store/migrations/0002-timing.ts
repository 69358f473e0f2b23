import type { Migration } from './migration'

/** Calendars, triggers, what they started and what they did not. */
export const timing: Migration = {
  name: '0002-timing',
  up: `
-- The name by which files and other definitions refer to it.
ALTER TABLE jobs ADD COLUMN slug text;
UPDATE jobs j SET slug = CASE WHEN s.n = 1 THEN s.slug ELSE left(s.slug, 50) || '-' || j.id END
  FROM (SELECT id, slug, row_number() OVER (PARTITION BY slug ORDER BY id) AS n FROM (
          SELECT id, coalesce(nullif(trim(both '-' from left(regexp_replace(lower(title), '[^a-z0-9]+', '-', 'g'), 60)), ''), 'job') AS slug FROM jobs) t) s
 WHERE s.id = j.id;
ALTER TABLE jobs ALTER COLUMN slug SET NOT NULL;
CREATE UNIQUE INDEX jobs_slug ON jobs (slug) WHERE deleted_at IS NULL;

ALTER TABLE pools ADD COLUMN active boolean NOT NULL DEFAULT true;

CREATE TABLE calendars (
  id bigserial PRIMARY KEY,
  slug text NOT NULL UNIQUE,
  title text NOT NULL,
  notes text NOT NULL DEFAULT '',
  rule jsonb NOT NULL,
  version integer NOT NULL DEFAULT 1,
  -- The holidays it was made from: {version, wishes: {wish: {year: [[day, name], …]}}}.
  holidays jsonb,
  feed_hash text UNIQUE,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX calendars_title ON calendars (lower(title));
CREATE TABLE calendar_versions (
  calendar_id bigint NOT NULL REFERENCES calendars ON DELETE CASCADE,
  version integer NOT NULL,
  rule jsonb NOT NULL,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (calendar_id, version)
);

CREATE TABLE triggers (
  id bigserial PRIMARY KEY,
  slug text NOT NULL,
  title text NOT NULL,
  notes text NOT NULL DEFAULT '',
  job_id bigint NOT NULL REFERENCES jobs,
  enabled boolean NOT NULL DEFAULT true,
  version integer NOT NULL DEFAULT 1,
  definition jsonb NOT NULL,
  -- Calendars that it names, directly or through others.
  calendars text[] NOT NULL DEFAULT '{}',
  -- The first occurrence that is not decided yet; null: none, or switched off.
  next_at timestamptz,
  next_day date,
  says text NOT NULL DEFAULT '',
  runs_per_day real NOT NULL DEFAULT 0,
  gap_seconds bigint,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now(),
  deleted_at timestamptz
);
CREATE UNIQUE INDEX triggers_slug ON triggers (slug) WHERE deleted_at IS NULL;
CREATE INDEX triggers_next ON triggers (next_at) WHERE enabled AND deleted_at IS NULL;
CREATE INDEX triggers_job ON triggers (job_id);
CREATE INDEX triggers_calendars ON triggers USING gin (calendars);
CREATE INDEX triggers_title ON triggers (lower(title), id) WHERE deleted_at IS NULL;
CREATE TABLE trigger_versions (
  trigger_id bigint NOT NULL REFERENCES triggers ON DELETE CASCADE,
  version integer NOT NULL,
  job_id bigint NOT NULL,
  definition jsonb NOT NULL,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (trigger_id, version)
);

ALTER TABLE runs
  ADD COLUMN trigger_version integer,
  -- Versions of the calendars that the trigger's rule stood on.
  ADD COLUMN calendar_versions jsonb,
  -- The local date that the rule wrote.
  ADD COLUMN occurrence_day date,
  ADD COLUMN due_at timestamptz,
  -- Of a trigger that starts on every machine: the machine of this run.
  ADD COLUMN for_agent_id bigint REFERENCES agents,
  -- Waits until earlier runs of its trigger (and machine) have ended.
  ADD COLUMN after_earlier boolean NOT NULL DEFAULT false,
  ADD COLUMN unreachable_since timestamptz;
DROP INDEX runs_occurrence;
-- One occurrence of a trigger makes at most one run, or one for each machine.
CREATE UNIQUE INDEX runs_occurrence ON runs (trigger_id, occurrence, coalesce(for_agent_id, 0)) WHERE occurrence IS NOT NULL;
CREATE INDEX runs_trigger ON runs (trigger_id, id DESC) WHERE trigger_id IS NOT NULL;
CREATE INDEX runs_trigger_open ON runs (trigger_id) WHERE trigger_id IS NOT NULL AND state IN ('waiting','ready','running');

-- Occurrences that started nothing, and why; neighbours with one reason share a row.
CREATE TABLE not_started (
  id bigserial PRIMARY KEY,
  trigger_id bigint NOT NULL REFERENCES triggers ON DELETE CASCADE,
  trigger_version integer NOT NULL,
  first_occurrence timestamptz NOT NULL,
  last_occurrence timestamptz NOT NULL,
  times integer NOT NULL,
  why text NOT NULL,
  detail text NOT NULL,
  run_id bigint,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX not_started_trigger ON not_started (trigger_id, last_occurrence DESC);
CREATE INDEX not_started_at ON not_started (at);

-- Raised by every change of a calendar: schedules computed before it are out of date.
INSERT INTO settings VALUES ('timing-version', '1'), ('starts', '{"on": true}'), ('too-often', '{"minutes": 30, "machines": 5}');
`,
}
