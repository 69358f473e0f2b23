import type { Migration } from './migration'

/** Invitations and new passwords, by mail with a link that works once. */
export const letters: Migration = {
  name: '0018-letters',
  up: `
CREATE TABLE letters (
  id bigserial PRIMARY KEY,
  kind text NOT NULL CHECK (kind IN ('invitation','password')),
  token_hash text NOT NULL UNIQUE,
  email text NOT NULL,
  -- Of an invitation: what whoever takes it up becomes. [{"areaId", "may"}]
  role text CHECK (role IN ('none','viewer','operator','designer','administrator')),
  areas jsonb NOT NULL DEFAULT '[]',
  note text NOT NULL DEFAULT '',
  -- Of a new password: whose.
  person_id bigint REFERENCES people,
  made_by text NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now(),
  expires_at timestamptz NOT NULL,
  used_at timestamptz,
  withdrawn_at timestamptz,
  CHECK ((kind = 'invitation') = (role IS NOT NULL)),
  CHECK ((kind = 'password') = (person_id IS NOT NULL))
);
-- One open invitation to an address.
CREATE UNIQUE INDEX letters_open ON letters (lower(email)) WHERE kind = 'invitation' AND used_at IS NULL AND withdrawn_at IS NULL;
CREATE INDEX letters_person ON letters (person_id) WHERE person_id IS NOT NULL;
REVOKE ALL ON letters FROM bugle_walled;
`,
}
