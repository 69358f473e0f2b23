import type { Migration } from './migration'

/** Mail servers are entered once; who was told what of a run already; the address of the pages as people reach them. */
export const mailServers: Migration = {
  name: '0011-mail-servers',
  up: `
CREATE TABLE mail_servers (
  id bigserial PRIMARY KEY,
  name text NOT NULL UNIQUE,
  host text NOT NULL,
  port integer NOT NULL CHECK (port BETWEEN 1 AND 65535),
  tls boolean NOT NULL,
  sender text NOT NULL,
  account text,
  changed_by text NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now()
);
-- Each server that a notice describes gets a name of its own.
WITH described AS (
  SELECT DISTINCT action->>'host' AS host, CASE WHEN action->>'port' ~ '^[0-9]{1,5}$' THEN (action->>'port')::int ELSE 25 END AS port,
         coalesce((action->>'tls')::boolean, false) AS tls, action->>'from' AS sender, account
    FROM notices WHERE action->>'kind' = 'mail' AND action ? 'host'),
named AS (SELECT *, row_number() OVER (ORDER BY host, port, sender, account) AS n FROM described),
made AS (
  INSERT INTO mail_servers (name, host, port, tls, sender, account, changed_by)
  SELECT CASE n WHEN 1 THEN 'mail' ELSE 'mail-' || n END, host, port, tls, sender, account, 'Bugle' FROM named RETURNING *)
UPDATE notices o SET account = NULL, action = (o.action - ARRAY['host','port','tls','from']) || jsonb_build_object('server', m.name)
  FROM made m
 WHERE o.action->>'kind' = 'mail' AND o.action->>'host' = m.host AND o.action->>'from' = m.sender AND coalesce((o.action->>'tls')::boolean, false) = m.tls
   AND CASE WHEN o.action->>'port' ~ '^[0-9]{1,5}$' THEN (o.action->>'port')::int ELSE 25 END = m.port AND o.account IS NOT DISTINCT FROM m.account;
-- Who is told what of a run, by which sending: nobody by two.
CREATE TABLE notice_tellings (
  run_id bigint NOT NULL REFERENCES runs ON DELETE CASCADE,
  moment text NOT NULL,
  address text NOT NULL,
  send_id bigint NOT NULL REFERENCES notice_sends ON DELETE CASCADE,
  PRIMARY KEY (run_id, moment, address)
);
CREATE INDEX notice_tellings_send ON notice_tellings (send_id);
INSERT INTO settings VALUES ('pages', '{"url": ""}');
`,
}
