import type { Migration } from './migration'

/** What somebody shows beside the password: codes of an app (RFC 6238), passkeys (WebAuthn), and codes on paper for when both are lost. */
export const secondFactors: Migration = {
  name: '0020-second-factors',
  up: `
CREATE TABLE second_factors (
  id bigserial PRIMARY KEY,
  person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
  kind text NOT NULL CHECK (kind IN ('app','passkey')),
  title text NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now(),
  last_used_at timestamptz,
  -- Of an app: the shared secret, sealed; and the last step of time whose code was taken: each is good once.
  secret bytea,
  last_step bigint,
  -- Of a passkey.
  credential_id text UNIQUE,
  public_key bytea,
  counter bigint,
  transports text[] NOT NULL DEFAULT '{}',
  CHECK ((kind = 'passkey') = (credential_id IS NOT NULL))
);
CREATE INDEX second_factors_person ON second_factors (person_id);
CREATE TABLE recovery_codes (
  id bigserial PRIMARY KEY,
  person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
  code_hash text NOT NULL,
  used_at timestamptz
);
CREATE INDEX recovery_codes_person ON recovery_codes (person_id);
-- Between the password and the second factor, and while a factor is being set up.
CREATE TABLE entry_tickets (
  id bigserial PRIMARY KEY,
  token_hash text NOT NULL UNIQUE,
  person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
  -- show: one of those that are there; make: a first one, because it is asked for; add: one more, by somebody who is signed in.
  purpose text NOT NULL CHECK (purpose IN ('show','make','add')),
  secret bytea,
  challenge text,
  tries integer NOT NULL DEFAULT 0,
  expires_at timestamptz NOT NULL
);
CREATE INDEX entry_tickets_person ON entry_tickets (person_id);
INSERT INTO settings VALUES ('second-factor', '{"roles": []}');
REVOKE ALL ON second_factors, recovery_codes, entry_tickets FROM bugle_walled;
`,
}
