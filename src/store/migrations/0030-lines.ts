import type { Migration } from './migration'

/** How agents' lines to their engines are, as they tell. */
export const lines: Migration = {
  name: '0030-lines',
  up: `ALTER TABLE agent_contacts ADD COLUMN line jsonb;`,
}
