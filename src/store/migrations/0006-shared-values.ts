import type { Migration } from './migration'

/** Values that jobs and flows take by name. */
export const sharedValues: Migration = {
  name: '0006-shared-values',
  up: `
CREATE TABLE shared_values (
  id bigserial PRIMARY KEY,
  name text NOT NULL UNIQUE,
  title text NOT NULL,
  -- Exactly one of the two: a secret is sealed and never told.
  value text,
  secret bytea,
  is_secret boolean NOT NULL,
  changed_by text NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now(),
  CHECK (is_secret = (value IS NULL))
);
`,
}
