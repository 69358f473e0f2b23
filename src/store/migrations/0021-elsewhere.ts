import type { Migration } from './migration'

/** Signing in at a provider that speaks OpenID Connect. */
export const elsewhere: Migration = {
  name: '0021-elsewhere',
  up: `
CREATE TABLE providers (
  id bigserial PRIMARY KEY,
  title text NOT NULL,
  issuer text NOT NULL,
  client_id text NOT NULL,
  client_secret bytea,
  -- The claim whose values rules speak of; [{"value", "role"?, "groupId"?}]
  claim text NOT NULL,
  rules jsonb NOT NULL DEFAULT '[]',
  -- Whether whoever comes for the first time is made a person here, and which role they have where no rule gives one.
  makes_people boolean NOT NULL,
  role text NOT NULL CHECK (role IN ('none','viewer','operator','designer','administrator')),
  active boolean NOT NULL,
  changed_by text NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX providers_title ON providers (lower(title));
-- Who somebody is there (OpenID Connect Core 1.0, section 2: sub).
CREATE TABLE provider_people (
  provider_id bigint NOT NULL REFERENCES providers ON DELETE CASCADE,
  subject text NOT NULL,
  person_id bigint NOT NULL REFERENCES people ON DELETE CASCADE,
  PRIMARY KEY (provider_id, subject)
);
CREATE INDEX provider_people_person ON provider_people (person_id);
-- Between going there and coming back: good once, for some minutes, in the same browser.
CREATE TABLE provider_visits (
  state_hash text PRIMARY KEY,
  browser_hash text NOT NULL,
  provider_id bigint NOT NULL REFERENCES providers ON DELETE CASCADE,
  nonce text NOT NULL,
  verifier text NOT NULL,
  goes_to text NOT NULL,
  expires_at timestamptz NOT NULL
);
CREATE INDEX provider_visits_provider ON provider_visits (provider_id);
ALTER TABLE sessions
  ADD COLUMN provider_id bigint REFERENCES providers ON DELETE CASCADE,
  -- For signing out there, too; sealed.
  ADD COLUMN id_token bytea;
CREATE INDEX sessions_provider ON sessions (provider_id) WHERE provider_id IS NOT NULL;
REVOKE ALL ON providers, provider_people, provider_visits FROM bugle_walled;
`,
}
