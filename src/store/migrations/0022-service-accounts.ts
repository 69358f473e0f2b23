import type { Migration } from './migration'

/** Accounts of scripts: they belong to an area, have rights there as people have, and come in by tokens alone. And whose a taken matter is, so that it can be handed on. */
export const serviceAccounts: Migration = {
  name: '0022-service-accounts',
  up: `
ALTER TABLE people
  ADD COLUMN kind text NOT NULL DEFAULT 'person' CHECK (kind IN ('person','service')),
  ADD COLUMN area_id bigint REFERENCES areas,
  ADD COLUMN notes text NOT NULL DEFAULT '',
  ADD CHECK ((kind = 'service') = (area_id IS NOT NULL)),
  ADD CHECK (kind = 'person' OR (email = '' AND role = 'none' AND password_hash IS NULL));
DROP INDEX people_email;
CREATE UNIQUE INDEX people_email ON people (lower(email)) WHERE kind = 'person';
CREATE UNIQUE INDEX people_service ON people (area_id, lower(name)) WHERE kind = 'service';
CREATE INDEX people_area ON people (area_id) WHERE area_id IS NOT NULL;
ALTER TABLE matters ADD COLUMN taken_by_id bigint REFERENCES people;
CREATE INDEX matters_taken_by ON matters (taken_by_id) WHERE taken_by_id IS NOT NULL;
UPDATE matters m SET taken_by_id = p.id FROM people p WHERE m.state = 'taken' AND p.name = m.taken_by
   AND NOT EXISTS (SELECT FROM people o WHERE o.name = p.name AND o.id <> p.id);
`,
}
