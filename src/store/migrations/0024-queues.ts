import type { Migration } from './migration'

/** Work queues: items that robots and jobs take one at a time, each take under a token, and what became of each. */
export const queues: Migration = {
  name: '0024-queues',
  up: `
CREATE TABLE queues (
  id bigserial PRIMARY KEY,
  slug text NOT NULL UNIQUE,
  title text NOT NULL,
  notes text NOT NULL DEFAULT '',
  area_id bigint NOT NULL REFERENCES areas,
  tries integer NOT NULL CHECK (tries BETWEEN 1 AND 20),
  delay_ms bigint NOT NULL CHECK (delay_ms >= 0),
  keys text NOT NULL CHECK (keys IN ('none','open','ever')),
  -- JSON Schema 2020-12 of an item's data; null: any.
  schema jsonb,
  keep_days integer NOT NULL CHECK (keep_days BETWEEN 1 AND 3650),
  -- Beyond so many rejected and failed ones a person is told.
  most_rejected integer NOT NULL DEFAULT 10 CHECK (most_rejected >= 0),
  active boolean NOT NULL DEFAULT true,
  version integer NOT NULL DEFAULT 1,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now(),
  deleted_at timestamptz
);
CREATE INDEX queues_area ON queues (area_id);
CREATE TABLE items (
  id bigserial PRIMARY KEY,
  queue_id bigint NOT NULL REFERENCES queues,
  -- Byte order: what begins with a text is found by the index.
  key text COLLATE "C",
  data jsonb NOT NULL,
  priority smallint NOT NULL,
  due timestamptz,
  -- Cleared when it has passed: what is waiting and has none may be taken now.
  not_before timestamptz,
  tries integer NOT NULL DEFAULT 0,
  laters integer NOT NULL DEFAULT 0,
  state text NOT NULL DEFAULT 'waiting' CHECK (state IN ('waiting','taken','rejected','failed','done','withdrawn')),
  version integer NOT NULL DEFAULT 1,
  result jsonb,
  reason text NOT NULL DEFAULT '',
  came_by text NOT NULL,
  created_at timestamptz NOT NULL DEFAULT now(),
  ended_at timestamptz
) WITH (fillfactor = 80);
-- What is taken next: the first of this index.
CREATE INDEX items_next ON items (queue_id, priority, coalesce(due, 'infinity'), id) WHERE state = 'waiting' AND not_before IS NULL;
CREATE INDEX items_later ON items (not_before) WHERE state = 'waiting' AND not_before IS NOT NULL;
CREATE INDEX items_state ON items (queue_id, state, id DESC);
CREATE INDEX items_queue ON items (queue_id, id DESC);
CREATE INDEX items_created ON items (queue_id, created_at);
CREATE INDEX items_ended ON items (queue_id, ended_at) WHERE ended_at IS NOT NULL;
CREATE INDEX items_due ON items (queue_id, due) WHERE state IN ('waiting','taken') AND due IS NOT NULL;
CREATE INDEX items_key ON items (queue_id, key, id DESC) WHERE key IS NOT NULL;
-- Whose key may be held by one item at a time: kept beside, so that two who add at once meet here.
CREATE TABLE item_keys (
  queue_id bigint NOT NULL REFERENCES queues ON DELETE CASCADE,
  key text NOT NULL,
  item_id bigint NOT NULL REFERENCES items ON DELETE CASCADE,
  PRIMARY KEY (queue_id, key)
);
CREATE INDEX item_keys_item ON item_keys (item_id);
CREATE TABLE item_takes (
  -- The fencing token: whoever ends the take must have it.
  token bigserial PRIMARY KEY,
  item_id bigint NOT NULL REFERENCES items ON DELETE CASCADE,
  attempt_id bigint REFERENCES attempts ON DELETE SET NULL,
  run_id bigint REFERENCES runs ON DELETE SET NULL,
  agent text NOT NULL,
  robot text,
  taken_at timestamptz NOT NULL DEFAULT now(),
  ended_at timestamptz,
  outcome text CHECK (outcome IN ('done','rejected','failed','lost','later')),
  reason text NOT NULL DEFAULT ''
);
CREATE UNIQUE INDEX item_takes_open ON item_takes (item_id) WHERE ended_at IS NULL;
CREATE INDEX item_takes_item ON item_takes (item_id, token);
CREATE INDEX item_takes_attempt ON item_takes (attempt_id);
CREATE INDEX item_takes_run ON item_takes (run_id);
-- What people and runs did to an item beside taking it.
CREATE TABLE item_events (
  id bigserial PRIMARY KEY,
  item_id bigint NOT NULL REFERENCES items ON DELETE CASCADE,
  at timestamptz NOT NULL DEFAULT now(),
  kind text NOT NULL,
  who text NOT NULL,
  detail text NOT NULL DEFAULT ''
);
CREATE INDEX item_events_item ON item_events (item_id, id);
-- Answers given to runs: the same question gets the same answer, also after the agent or the server was away.
CREATE TABLE item_requests (
  attempt_id bigint NOT NULL REFERENCES attempts ON DELETE CASCADE,
  request text NOT NULL,
  answer jsonb NOT NULL,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (attempt_id, request)
);
-- The same for programs, by their key of the request.
CREATE TABLE item_arrivals (
  request_key text PRIMARY KEY,
  queue_id bigint NOT NULL REFERENCES queues ON DELETE CASCADE,
  answer jsonb NOT NULL,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX item_arrivals_queue ON item_arrivals (queue_id);
CREATE INDEX item_arrivals_at ON item_arrivals (at);

ALTER TABLE queues ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON queues FOR SELECT TO bugle_walled USING (area_id IN (SELECT my_areas()));
ALTER TABLE items ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON items FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM queues q WHERE q.id = queue_id));
${['item_keys', 'item_takes', 'item_events']
  .map(
    (table) => `ALTER TABLE ${table} ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON ${table} FOR SELECT TO bugle_walled USING (EXISTS (SELECT FROM items i WHERE i.id = item_id));`,
  )
  .join('\n')}
-- A matter may be about a queue, by its subject.
DROP POLICY walled ON matters;
CREATE POLICY walled ON matters FOR SELECT TO bugle_walled
  USING ((run_id IS NULL OR EXISTS (SELECT FROM runs r WHERE r.id = run_id))
     AND (subject !~ 'trigger \\d' OR EXISTS (SELECT FROM triggers t WHERE t.id = substring(subject FROM 'trigger (\\d+)')::bigint))
     AND (subject !~ '^queue \\d' OR EXISTS (SELECT FROM queues q WHERE q.id = substring(subject FROM '^queue (\\d+)')::bigint)));
ALTER TABLE item_requests ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON item_requests FOR SELECT TO bugle_walled USING (false);
ALTER TABLE item_arrivals ENABLE ROW LEVEL SECURITY;
CREATE POLICY walled ON item_arrivals FOR SELECT TO bugle_walled USING (false);
`,
}
