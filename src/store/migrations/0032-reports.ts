import type { Migration } from './migration'

/** Reports, what came of making them, and what work is worth. */
export const reports: Migration = {
  name: '0032-reports',
  up: `
CREATE TABLE reports (
  id bigserial PRIMARY KEY,
  slug text NOT NULL UNIQUE,
  title text NOT NULL,
  notes text NOT NULL DEFAULT '',
  kind text NOT NULL,
  period jsonb NOT NULL,
  zone text NOT NULL,
  filter jsonb NOT NULL,
  options jsonb NOT NULL,
  readers jsonb NOT NULL,
  mail jsonb NOT NULL,
  keep_days integer NOT NULL,
  -- With whose rights it is made; null: whoever owned it is gone.
  person_id bigint REFERENCES people ON DELETE SET NULL,
  made_by text NOT NULL,
  version integer NOT NULL DEFAULT 1,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX reports_person ON reports (person_id);
CREATE TABLE report_results (
  id bigserial PRIMARY KEY,
  report_id bigint NOT NULL REFERENCES reports ON DELETE CASCADE,
  title text NOT NULL,
  kind text NOT NULL,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting','making','made','failed','stopped')),
  -- How far it is.
  step text NOT NULL DEFAULT '',
  share real NOT NULL DEFAULT 0,
  asked_by text NOT NULL,
  asked_by_id bigint REFERENCES people ON DELETE SET NULL,
  asked_at timestamptz NOT NULL DEFAULT now(),
  tries integer NOT NULL DEFAULT 0,
  -- The last word of whoever makes it: after a minute without one it is taken up by another.
  heard_at timestamptz,
  begun_at timestamptz,
  ended_at timestamptz,
  reason text NOT NULL DEFAULT '',
  period text NOT NULL DEFAULT '',
  document jsonb,
  pdf bytea,
  pages integer,
  -- To whom it goes, and what came of it.
  mailed jsonb NOT NULL DEFAULT '[]',
  -- When it is tried next; null: there is nothing to mail, or no more.
  mail_due timestamptz,
  mail_tries integer NOT NULL DEFAULT 0
);
CREATE INDEX report_results_report ON report_results (report_id, id DESC);
CREATE INDEX report_results_open ON report_results (id) WHERE state IN ('waiting','making');
CREATE INDEX report_results_mail ON report_results (mail_due) WHERE mail_due IS NOT NULL;
CREATE INDEX report_results_asked ON report_results (asked_by_id);
-- What a run of a job spares and costs, or of all jobs of an area that say nothing of their own.
CREATE TABLE worths (
  id bigserial PRIMARY KEY,
  job_id bigint UNIQUE REFERENCES jobs ON DELETE CASCADE,
  area_id bigint UNIQUE REFERENCES areas ON DELETE CASCADE,
  terms jsonb NOT NULL,
  made jsonb,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now(),
  CHECK ((job_id IS NULL) <> (area_id IS NULL))
);
ALTER TABLE worths ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON worths FOR SELECT TO bugle_walled USING (
  (job_id IS NOT NULL AND EXISTS (SELECT FROM jobs j WHERE j.id = job_id)) OR (area_id IS NOT NULL AND area_id IN (SELECT my_areas())));
ALTER TABLE reports ENABLE ROW LEVEL SECURITY;
-- Of roles the service knows: whom a role lets read is not behind walls.
CREATE POLICY walled ON reports FOR SELECT TO bugle_walled USING (
  person_id = nullif(current_setting('bugle.person', true), '')::bigint
  OR readers->'people' @> to_jsonb(nullif(current_setting('bugle.person', true), '')::bigint)
  OR jsonb_array_length(readers->'roles') > 0
  OR EXISTS (SELECT FROM my_areas() AS a(id) WHERE readers->'areas' @> to_jsonb(a.id)));
ALTER TABLE report_results ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON report_results FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM reports r WHERE r.id = report_id));
`,
}
