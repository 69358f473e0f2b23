import type { Migration } from './migration'

/** Systems: what work serves or is done on, without an agent of its own. */
export const systems: Migration = {
  name: '0033-systems',
  up: `
CREATE TABLE systems (
  id bigserial PRIMARY KEY,
  slug text NOT NULL UNIQUE,
  title text NOT NULL,
  notes text NOT NULL DEFAULT '',
  kind text NOT NULL,
  host text,
  port integer,
  database text,
  tls boolean NOT NULL DEFAULT false,
  host_key text,
  account text,
  pool text,
  version integer NOT NULL DEFAULT 1,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now()
);
-- What runs on what. Saving keeps it without rings.
CREATE TABLE system_on (
  system_id bigint NOT NULL REFERENCES systems ON DELETE CASCADE,
  on_id bigint NOT NULL REFERENCES systems,
  PRIMARY KEY (system_id, on_id)
);
CREATE INDEX system_on_below ON system_on (on_id);
-- The system that the version in force names.
ALTER TABLE jobs ADD COLUMN system_id bigint REFERENCES systems;
CREATE INDEX jobs_system ON jobs (system_id) WHERE system_id IS NOT NULL;
`,
}
