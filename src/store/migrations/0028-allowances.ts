import type { Migration } from './migration'

/** What may be used at once, who asked for more, and how much was in use. */
export const allowances: Migration = {
  name: '0028-allowances',
  up: `
CREATE TABLE allowances (
  id bigserial PRIMARY KEY,
  what text NOT NULL CHECK (what IN ('slots','attended','unattended')),
  -- With all that lies in it; null: everything.
  area_id bigint REFERENCES areas,
  units integer NOT NULL CHECK (units >= 0),
  set_by text NOT NULL,
  set_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE NULLS NOT DISTINCT (what, area_id)
);
CREATE INDEX allowances_area ON allowances (area_id);
CREATE TABLE allowance_asks (
  id bigserial PRIMARY KEY,
  allowance_id bigint NOT NULL REFERENCES allowances ON DELETE CASCADE,
  -- So many more.
  units integer NOT NULL CHECK (units > 0),
  why text NOT NULL,
  -- Until when; null: for good.
  until timestamptz,
  state text NOT NULL DEFAULT 'open' CHECK (state IN ('open','granted','declined','withdrawn')),
  asked_by text NOT NULL,
  person_id bigint REFERENCES people ON DELETE SET NULL,
  asked_at timestamptz NOT NULL DEFAULT now(),
  answered_by text,
  answered_at timestamptz,
  answer text NOT NULL DEFAULT '',
  -- Granted until then, and over: noted once.
  ended_at timestamptz
);
CREATE INDEX allowance_asks_allowance ON allowance_asks (allowance_id);
CREATE INDEX allowance_asks_person ON allowance_asks (person_id);
CREATE INDEX allowance_asks_open ON allowance_asks (id) WHERE state = 'open' OR (state = 'granted' AND until IS NOT NULL AND ended_at IS NULL);
CREATE TABLE allowance_use (
  what text NOT NULL,
  -- 0: everything.
  area_id bigint NOT NULL,
  hour timestamptz NOT NULL,
  peak integer NOT NULL,
  mean real NOT NULL,
  PRIMARY KEY (what, area_id, hour)
);
CREATE INDEX allowance_use_hour ON allowance_use (hour);
ALTER TABLE allowances ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON allowances FOR SELECT TO bugle_walled USING (area_id IS NULL OR area_id IN (SELECT my_areas()));
ALTER TABLE allowance_asks ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON allowance_asks FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM allowances a WHERE a.id = allowance_id));
ALTER TABLE allowance_use ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON allowance_use FOR SELECT TO bugle_walled USING (area_id = 0 OR area_id IN (SELECT my_areas()));
`,
}
