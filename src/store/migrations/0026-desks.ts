import type { Migration } from './migration'

/** People who sit at attended robots, and what they are asked. */
export const desks: Migration = {
  name: '0026-desks',
  up: `
ALTER TABLE robots
  -- Who sits at it: what that person may, they may start from there.
  ADD COLUMN person_id bigint REFERENCES people ON DELETE SET NULL,
  -- Since when the desk program is open there; null: nobody is there.
  ADD COLUMN desk_since timestamptz;
CREATE INDEX robots_person ON robots (person_id);
CREATE TABLE desk_asks (
  id bigserial PRIMARY KEY,
  run_id bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
  -- The attempt that it would be.
  attempt integer NOT NULL,
  robot_id bigint NOT NULL REFERENCES robots ON DELETE CASCADE,
  -- late: there was no answer in time; over: it went elsewhere, or nowhere.
  state text NOT NULL CHECK (state IN ('asked','later','agreed','no','late','over')),
  asked_at timestamptz NOT NULL DEFAULT now(),
  -- Until when an answer is waited for; of later: from when on the robot may take it.
  at timestamptz NOT NULL,
  answered_at timestamptz,
  answered_by text
);
-- One person at a time is asked.
CREATE UNIQUE INDEX desk_asks_live ON desk_asks (run_id, attempt) WHERE state IN ('asked','later','agreed');
CREATE INDEX desk_asks_run ON desk_asks (run_id);
CREATE INDEX desk_asks_robot ON desk_asks (robot_id, id DESC);
CREATE INDEX desk_asks_open ON desk_asks (at) WHERE state IN ('asked','later');
ALTER TABLE desk_asks ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON desk_asks FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM runs r WHERE r.id = run_id));
`,
}
