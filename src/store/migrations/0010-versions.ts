import type { Migration } from './migration'

/** Who saved which version of a job or flow, and when; of versions before this nobody knows. */
export const versions: Migration = {
  name: '0010-versions',
  up: `
ALTER TABLE job_versions ADD COLUMN saved_by text, ADD COLUMN saved_at timestamptz;
UPDATE job_versions v SET saved_by = j.saved_by, saved_at = j.saved_at FROM jobs j WHERE j.id = v.job_id AND j.version = v.version;
`,
}
