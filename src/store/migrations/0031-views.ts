import type { Migration } from './migration'

/** Views of lists that people keep, and which opens first for whom. */
export const views: Migration = {
  name: '0031-views',
  up: `
CREATE TABLE views (
  id bigserial PRIMARY KEY,
  slug text NOT NULL UNIQUE,
  list text NOT NULL,
  -- The queue whose items it shows.
  queue_id bigint REFERENCES queues ON DELETE CASCADE,
  title text NOT NULL,
  "values" jsonb NOT NULL,
  shared text NOT NULL CHECK (shared IN ('me','area','everyone')),
  area_id bigint REFERENCES areas,
  -- Whose it is; null: whoever made it is gone.
  person_id bigint REFERENCES people ON DELETE SET NULL,
  made_by text NOT NULL,
  version integer NOT NULL DEFAULT 1,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now(),
  CHECK ((shared = 'area') = (area_id IS NOT NULL))
);
CREATE INDEX views_list ON views (list, queue_id);
CREATE INDEX views_queue ON views (queue_id);
CREATE INDEX views_area ON views (area_id);
CREATE INDEX views_person ON views (person_id);
CREATE TABLE first_views (
  person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
  list text NOT NULL,
  -- 0: of no queue.
  of_queue bigint NOT NULL,
  view_id bigint NOT NULL REFERENCES views ON DELETE CASCADE,
  PRIMARY KEY (person_id, list, of_queue)
);
CREATE INDEX first_views_view ON first_views (view_id);
ALTER TABLE views ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON views FOR SELECT TO bugle_walled
  USING ((queue_id IS NULL OR EXISTS (SELECT FROM queues q WHERE q.id = queue_id))
         AND (person_id = nullif(current_setting('bugle.person', true), '')::bigint OR shared = 'everyone' OR area_id IN (SELECT my_areas())));
ALTER TABLE first_views ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON first_views FOR SELECT TO bugle_walled USING (person_id = nullif(current_setting('bugle.person', true), '')::bigint);
`,
}
