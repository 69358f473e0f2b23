import type { Migration } from './migration'

/**
 * Lists that stay quick with a hundred thousand schedules and a million runs: each order that a list offers is an index's. Tables whose rows change all the time are
 * cleaned when a fiftieth of them has changed, not a fifth: of a million rows that would be two hundred thousand dead ones to read past.
 */
export const lists: Migration = {
  name: '0013-lists',
  up: `
CREATE INDEX triggers_list_next ON triggers (coalesce(next_at, 'infinity'), id) WHERE deleted_at IS NULL;
CREATE INDEX triggers_list_cadence ON triggers (coalesce(gap_seconds, 9000000000000000), id) WHERE deleted_at IS NULL;
DROP INDEX attempts_agent;
CREATE INDEX attempts_agent ON attempts (agent_id, ended_at);
CREATE INDEX runs_board ON runs (job_id, ended_at) WHERE cleared_at IS NULL AND flow_run_id IS NULL AND ended_at IS NOT NULL;
ALTER TABLE runs SET (autovacuum_vacuum_scale_factor = 0.02, autovacuum_analyze_scale_factor = 0.02);
ALTER TABLE attempts SET (autovacuum_vacuum_scale_factor = 0.02, autovacuum_analyze_scale_factor = 0.02);
ALTER TABLE flow_steps SET (autovacuum_vacuum_scale_factor = 0.02, autovacuum_analyze_scale_factor = 0.02);
ALTER TABLE triggers SET (autovacuum_vacuum_scale_factor = 0.02);
ALTER TABLE agent_contacts SET (autovacuum_vacuum_scale_factor = 0.02, autovacuum_vacuum_threshold = 200);
`,
}
