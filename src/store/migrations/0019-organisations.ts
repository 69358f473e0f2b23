import type { Migration } from './migration'

/**
 * The list of organisations, in a schema that belongs to none of them; what was there before becomes the first. Whoever was its administrator until now looked after the server, and goes on
 * doing so.
 */
export const organisations: Migration = {
  name: '0019-organisations',
  up: `
CREATE SCHEMA IF NOT EXISTS bugle_server;
CREATE TABLE bugle_server.organisations (
  id integer PRIMARY KEY CHECK (id > 0),
  title text NOT NULL,
  active boolean NOT NULL DEFAULT true,
  made_by text NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX organisations_title ON bugle_server.organisations (lower(title));
INSERT INTO bugle_server.organisations VALUES (1, 'Our organisation', true, 'Bugle');

-- Whoever makes, renames and switches off organisations: a person of one of them, who sees nothing of the others by it.
CREATE TABLE bugle_server.administrators (
  organisation_id integer NOT NULL REFERENCES bugle_server.organisations,
  person_id bigint NOT NULL,
  PRIMARY KEY (organisation_id, person_id)
);
INSERT INTO bugle_server.administrators SELECT 1, id FROM people WHERE role = 'administrator' AND active;

-- People of several organisations who have shown that they are one: by the password of each.
CREATE TABLE bugle_server.identities (
  organisation_id integer NOT NULL REFERENCES bugle_server.organisations,
  person_id bigint NOT NULL,
  identity uuid NOT NULL,
  PRIMARY KEY (organisation_id, person_id),
  UNIQUE (identity, organisation_id)
);

CREATE TABLE bugle_server.audit (
  id bigserial PRIMARY KEY,
  at timestamptz NOT NULL DEFAULT now(),
  organisation_id integer,
  person_id bigint,
  person_name text NOT NULL,
  address text NOT NULL,
  action text NOT NULL,
  object_title text NOT NULL
);
`,
}
