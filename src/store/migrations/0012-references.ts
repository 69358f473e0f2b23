import type { Migration } from './migration'

/** An index for each reference: what goes is looked for in every table that may refer to it, and a look at all of a large table takes seconds for each row. */
export const references: Migration = {
  name: '0012-references',
  up: `
CREATE INDEX flow_steps_run ON flow_steps (step_run_id) WHERE step_run_id IS NOT NULL;
CREATE INDEX flow_wakes_run ON flow_wakes (run_id);
CREATE INDEX notice_sends_run ON notice_sends (run_id) WHERE run_id IS NOT NULL;
CREATE INDEX notice_sends_notice ON notice_sends (notice_id);
CREATE INDEX notices_job ON notices (job_id) WHERE job_id IS NOT NULL;
CREATE INDEX notices_area ON notices (area_id) WHERE area_id IS NOT NULL;
CREATE INDEX matters_step_run ON matters (step_run_id) WHERE step_run_id IS NOT NULL;
CREATE INDEX matters_agent ON matters (agent_id) WHERE agent_id IS NOT NULL;
DROP INDEX runs_account;
CREATE INDEX runs_account ON runs (account_id) WHERE account_id IS NOT NULL;
CREATE INDEX runs_for_agent ON runs (for_agent_id) WHERE for_agent_id IS NOT NULL;
CREATE INDEX runs_plan ON runs (plan_id) WHERE plan_id IS NOT NULL;
CREATE INDEX attempts_agent ON attempts (agent_id) WHERE agent_id IS NOT NULL;
CREATE INDEX jobs_area ON jobs (area_id);
CREATE INDEX pool_members_agent ON pool_members (agent_id);
CREATE INDEX account_agents_agent ON account_agents (agent_id);
CREATE INDEX enrolments_agent ON enrolments (agent_id) WHERE agent_id IS NOT NULL;
CREATE INDEX enrolments_existing ON enrolments (existing_agent_id) WHERE existing_agent_id IS NOT NULL;
`,
}
