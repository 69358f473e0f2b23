import type { Migration } from './migration'

/** What a day's work asked for: runs found by any machine that tried them. */
export const record: Migration = {
  name: '0008-record',
  up: `
-- Earlier tries of runs that went on elsewhere: few beside all attempts.
CREATE INDEX attempts_tried ON attempts (agent_id, run_id) WHERE state IN ('failed','lost');
`,
}
