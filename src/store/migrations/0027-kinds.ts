import type { Migration } from './migration'

/** Kinds of step that are switched off for all. */
export const kinds: Migration = {
  name: '0027-kinds',
  up: `INSERT INTO settings VALUES ('kinds-off', '{}') ON CONFLICT DO NOTHING;`,
}
