import type { Migration } from './migration'

/**
 * Areas in areas with their own members, groups of people, and who may see what: worked out by the database itself where lists are read, and by `core/people/rights`
 * where a person asks why.
 */
export const areasInAreas: Migration = {
  name: '0017-areas-in-areas',
  up: `
ALTER TABLE people DROP CONSTRAINT people_role_check;
ALTER TABLE people ADD CHECK (role IN ('none','viewer','operator','designer','administrator'));

-- ' / ' stands between the titles of a path.
UPDATE areas SET title = replace(title, ' / ', '/');
ALTER TABLE areas
  ADD COLUMN parent_id bigint REFERENCES areas CHECK (parent_id <> id),
  ADD COLUMN closed boolean NOT NULL DEFAULT false,
  -- Its title after those of the areas above it, kept by the trigger below.
  ADD COLUMN path text NOT NULL DEFAULT '',
  ADD COLUMN version integer NOT NULL DEFAULT 1,
  ADD COLUMN deleted_at timestamptz,
  ADD CHECK (position(' / ' IN title) = 0);
DROP INDEX areas_title;
CREATE UNIQUE INDEX areas_title ON areas (coalesce(parent_id, 0), lower(title)) WHERE deleted_at IS NULL;
CREATE INDEX areas_parent ON areas (parent_id) WHERE parent_id IS NOT NULL;
CREATE INDEX areas_closed ON areas (id) WHERE closed;

CREATE TABLE groups (
  id bigserial PRIMARY KEY,
  title text NOT NULL,
  notes text NOT NULL DEFAULT '',
  changed_by text NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX groups_title ON groups (lower(title));
CREATE TABLE group_members (
  group_id bigint REFERENCES groups ON DELETE CASCADE,
  person_id bigint REFERENCES people,
  PRIMARY KEY (group_id, person_id)
);
CREATE INDEX group_members_person ON group_members (person_id);

CREATE TABLE grants (
  id bigserial PRIMARY KEY,
  area_id bigint NOT NULL REFERENCES areas ON DELETE CASCADE,
  person_id bigint REFERENCES people,
  group_id bigint REFERENCES groups ON DELETE CASCADE,
  may text NOT NULL CHECK (may IN ('see','operate','design','manage')),
  CHECK ((person_id IS NULL) <> (group_id IS NULL))
);
CREATE UNIQUE INDEX grants_once ON grants (area_id, coalesce(person_id, 0), coalesce(group_id, 0));
CREATE INDEX grants_person ON grants (person_id) WHERE person_id IS NOT NULL;
CREATE INDEX grants_group ON grants (group_id) WHERE group_id IS NOT NULL;

-- From where rights reach an area: from itself, from those above it up to and including the nearest closed one, and (0) from roles where none is closed.
CREATE TABLE area_scopes (
  area_id bigint REFERENCES areas ON DELETE CASCADE,
  scope_id bigint,
  PRIMARY KEY (area_id, scope_id)
);
CREATE INDEX area_scopes_scope ON area_scopes (scope_id, area_id);

CREATE FUNCTION areas_changed() RETURNS trigger LANGUAGE plpgsql AS $$
DECLARE touched bigint[];
BEGIN
  WITH RECURSIVE below AS (SELECT id FROM changed UNION SELECT a.id FROM areas a JOIN below b ON a.parent_id = b.id)
    SELECT array_agg(id) INTO touched FROM below;
  DELETE FROM area_scopes WHERE area_id = ANY(touched);
  INSERT INTO area_scopes
    WITH RECURSIVE up AS (
      SELECT id AS area_id, id AS scope_id, parent_id, closed FROM areas WHERE id = ANY(touched)
      -- UNION, not UNION ALL: a ring, which nothing should make, ends all the same.
      UNION SELECT u.area_id, a.id, a.parent_id, a.closed FROM up u JOIN areas a ON a.id = u.parent_id WHERE NOT u.closed)
    SELECT area_id, scope_id FROM up UNION SELECT area_id, 0 FROM up WHERE parent_id IS NULL AND NOT closed;
  WITH RECURSIVE up AS (
    SELECT id, parent_id, title AS path, 1 AS depth FROM areas WHERE id = ANY(touched)
    UNION ALL SELECT u.id, a.parent_id, a.title || ' / ' || u.path, u.depth + 1 FROM up u JOIN areas a ON a.id = u.parent_id WHERE u.depth < 20)
  UPDATE areas a SET path = u.path FROM up u WHERE u.id = a.id AND u.parent_id IS NULL AND a.path <> u.path;
  RETURN NULL;
END $$;
CREATE TRIGGER areas_inserted AFTER INSERT ON areas REFERENCING NEW TABLE AS changed
  FOR EACH STATEMENT EXECUTE FUNCTION areas_changed();
-- Not by what it does itself.
CREATE TRIGGER areas_updated AFTER UPDATE ON areas REFERENCING NEW TABLE AS changed
  FOR EACH STATEMENT WHEN (pg_trigger_depth() = 0) EXECUTE FUNCTION areas_changed();
UPDATE areas SET title = title;

-- 1: see, 2: operate, 3: design, 4: manage.
CREATE FUNCTION level_height(may text) RETURNS int IMMUTABLE LANGUAGE sql AS
  $$ SELECT coalesce(array_position(ARRAY['see','operate','design','manage'], may), 0) $$;
CREATE FUNCTION role_height(role text) RETURNS int IMMUTABLE LANGUAGE sql AS
  $$ SELECT coalesce(array_position(ARRAY['viewer','operator','designer','administrator'], role), 0) $$;

-- What a person may on each area, as core/people/rights has it; areas on which they may nothing are missing.
CREATE FUNCTION area_rights(person bigint) RETURNS TABLE (area_id bigint, height int) STABLE SECURITY DEFINER LANGUAGE sql ROWS 3000 AS $$
  SELECT a.id, 4 FROM areas a WHERE EXISTS (SELECT FROM people p WHERE p.id = person AND p.role = 'administrator')
  UNION ALL
  SELECT s.area_id, max(g.height)
    FROM (SELECT area_id AS scope_id, level_height(may) AS height FROM grants WHERE person_id = person
          UNION ALL
          SELECT r.area_id, level_height(r.may) FROM grants r JOIN group_members m ON m.group_id = r.group_id WHERE m.person_id = person
          UNION ALL
          SELECT 0, role_height(p.role) FROM people p WHERE p.id = person AND role_height(p.role) > 0) g
    JOIN area_scopes s ON s.scope_id = g.scope_id
   WHERE NOT EXISTS (SELECT FROM people p WHERE p.id = person AND p.role = 'administrator')
   GROUP BY s.area_id
$$;

-- The areas that the person of this transaction may see.
-- Once for each table of a query: so it counts nothing together, an area may come twice.
CREATE FUNCTION my_areas() RETURNS SETOF bigint STABLE SECURITY DEFINER LANGUAGE sql ROWS 3000 AS $$
  WITH me AS MATERIALIZED (SELECT id, role FROM people WHERE id = nullif(current_setting('bugle.person', true), '')::bigint)
  SELECT s.area_id FROM area_scopes s
   WHERE s.scope_id IN (
     SELECT g.area_id FROM grants g JOIN me ON g.person_id = me.id
     UNION ALL SELECT g.area_id FROM group_members m JOIN me ON m.person_id = me.id JOIN grants g ON g.group_id = m.group_id
     UNION ALL SELECT 0 FROM me WHERE role_height(role) > 0)
  UNION ALL SELECT a.id FROM areas a, me WHERE me.role = 'administrator'
$$;
-- And those above them, of which they may know that they are there.
CREATE FUNCTION my_area_names() RETURNS SETOF bigint STABLE SECURITY DEFINER LANGUAGE sql ROWS 3000 AS $$
  WITH RECURSIVE up AS (SELECT my_areas() AS id UNION SELECT a.parent_id FROM up u JOIN areas a ON a.id = u.id WHERE a.parent_id IS NOT NULL)
  SELECT id FROM up
$$;

-- These areas and all that lie in them.
CREATE FUNCTION areas_below(ids bigint[]) RETURNS bigint[] STABLE STRICT LANGUAGE sql AS $$
  WITH RECURSIVE below AS (SELECT unnest(ids) AS id UNION SELECT a.id FROM areas a JOIN below b ON a.parent_id = b.id)
  -- None stay none: no list is every area.
  SELECT coalesce(array_agg(id), '{}') FROM below
$$;

-- Whoever may not see everything reads as the role bugle_walled (store/walls.ts), which can do nothing but read, behind the policies below.
GRANT USAGE ON SCHEMA public TO bugle_walled;
GRANT SELECT ON ALL TABLES IN SCHEMA public TO bugle_walled;
ALTER DEFAULT PRIVILEGES IN SCHEMA public GRANT SELECT ON TABLES TO bugle_walled;
REVOKE ALL ON setup_codes, audit FROM bugle_walled;

ALTER TABLE areas ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON areas FOR SELECT TO bugle_walled USING (id IN (SELECT my_area_names()));
ALTER TABLE area_scopes ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON area_scopes FOR SELECT TO bugle_walled USING (area_id IN (SELECT my_areas()));
ALTER TABLE grants ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON grants FOR SELECT TO bugle_walled USING (area_id IN (SELECT my_areas()));
ALTER TABLE jobs ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON jobs FOR SELECT TO bugle_walled USING (area_id IN (SELECT my_areas()));
${[
  ['job_versions', 'jobs', 'job_id'],
  ['job_lengths', 'jobs', 'job_id'],
  ['triggers', 'jobs', 'job_id'],
  ['runs', 'jobs', 'job_id'],
  ['trigger_versions', 'triggers', 'trigger_id'],
  ['not_started', 'triggers', 'trigger_id'],
  ['told_deadlines', 'triggers', 'trigger_id'],
  ['attempts', 'runs', 'run_id'],
  ['output_chunks', 'attempts', 'attempt_id'],
  ['flow_steps', 'runs', 'run_id'],
  ['flow_events', 'runs', 'run_id'],
]
  .map(
    ([table, of, by]) => `ALTER TABLE ${table} ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON ${table} FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM ${of} o WHERE o.id = ${by}));`,
  )
  .join('\n')}
ALTER TABLE flow_plans ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON flow_plans FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM runs r WHERE r.plan_id = flow_plans.id));
ALTER TABLE notices ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON notices FOR SELECT TO bugle_walled
  USING ((job_id IS NULL OR EXISTS (SELECT FROM jobs j WHERE j.id = job_id)) AND (area_id IS NULL OR area_id IN (SELECT my_areas())));
ALTER TABLE notice_sends ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON notice_sends FOR SELECT TO bugle_walled
  USING (EXISTS (SELECT FROM notices n WHERE n.id = notice_id) AND (run_id IS NULL OR EXISTS (SELECT FROM runs r WHERE r.id = run_id)));
ALTER TABLE matters ENABLE ROW LEVEL SECURITY;
-- A matter is about a run, or about a trigger by its subject, or about nothing that lies in an area.
CREATE POLICY walled ON matters FOR SELECT TO bugle_walled
  USING ((run_id IS NULL OR EXISTS (SELECT FROM runs r WHERE r.id = run_id))
     AND (subject !~ 'trigger \\d' OR EXISTS (SELECT FROM triggers t WHERE t.id = substring(subject FROM 'trigger (\\d+)')::bigint)));

-- A run lies where its job lies.
CREATE FUNCTION job_moved() RETURNS trigger LANGUAGE plpgsql AS $$
BEGIN
  UPDATE runs SET area_id = NEW.area_id WHERE job_id = NEW.id AND area_id <> NEW.area_id;
  RETURN NULL;
END $$;
CREATE TRIGGER job_moved AFTER UPDATE OF area_id ON jobs FOR EACH ROW WHEN (OLD.area_id <> NEW.area_id) EXECUTE FUNCTION job_moved();
`,
}
