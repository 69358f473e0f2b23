import type { Migration } from './migration'

/** Lengths that clearly differ by the value of one of a job's choice inputs. */
export const lengthsByChoice: Migration = {
  name: '0016-lengths-by-choice',
  up: `
-- {"input", "samples": {VALUE: [seconds, …]}}; null: no input makes a clear difference.
ALTER TABLE job_lengths ADD COLUMN by_choice jsonb;
-- All jobs are looked at anew.
UPDATE job_lengths SET measured_at = 'epoch';
`,
}
