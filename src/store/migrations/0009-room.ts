import type { Migration } from './migration'

/** Agents whose disk is full take no new runs, and a person is told. */
export const room: Migration = {
  name: '0009-room',
  up: `
ALTER TABLE agent_contacts ADD COLUMN full_since timestamptz;
`,
}
