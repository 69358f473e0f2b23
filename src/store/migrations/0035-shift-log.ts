import type { Migration } from './migration'

/** What a shift did and hands on: what was done about a matter, notes, and who handed over to whom. */
export const shiftLog: Migration = {
  name: '0035-shift-log',
  up: `
ALTER TABLE matters ADD COLUMN done text NOT NULL DEFAULT '';
CREATE INDEX matters_opened ON matters (opened_at);
CREATE INDEX matters_closed ON matters (closed_at) WHERE closed_at IS NOT NULL;
CREATE INDEX audit_at ON audit (at);
-- What failed in a stretch is looked for among what failed.
CREATE INDEX runs_bad ON runs (ended_at) WHERE state IN ('failed','lost');
-- What runs measured is looked for among the few that measured something.
CREATE INDEX attempts_outputs ON attempts (id) WHERE outputs <> '{}';
CREATE TABLE shift_notes (
  id bigserial PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT now(),
  text text NOT NULL,
  person_id bigint REFERENCES people ON DELETE SET NULL,
  person_name text NOT NULL
);
CREATE INDEX shift_notes_at ON shift_notes (at);
CREATE INDEX shift_notes_person ON shift_notes (person_id);
CREATE TABLE hand_overs (
  id bigserial PRIMARY KEY,
  from_at timestamptz NOT NULL,
  to_at timestamptz NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  person_id bigint REFERENCES people ON DELETE SET NULL,
  person_name text NOT NULL,
  to_name text NOT NULL,
  note text NOT NULL DEFAULT ''
);
CREATE INDEX hand_overs_to ON hand_overs (to_at);
CREATE INDEX hand_overs_person ON hand_overs (person_id);
`,
}
