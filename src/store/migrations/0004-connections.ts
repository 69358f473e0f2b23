import type { Migration } from './migration'

/** Accounts that work signs in with, locks across all runs, and values that runs hand on. */
export const connections: Migration = {
  name: '0004-connections',
  up: `
CREATE TABLE accounts (
  id bigserial PRIMARY KEY,
  name text NOT NULL UNIQUE,
  user_name text NOT NULL,
  -- Sealed; null: none is needed, the account is only the machine's.
  secret bytea,
  notes text NOT NULL DEFAULT '',
  -- On every agent, or only on those of account_agents.
  everywhere boolean NOT NULL DEFAULT false,
  changed_by text NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now(),
  rotated_at timestamptz
);
CREATE TABLE account_agents (
  account_id bigint NOT NULL REFERENCES accounts ON DELETE CASCADE,
  agent_id bigint NOT NULL REFERENCES agents ON DELETE CASCADE,
  PRIMARY KEY (account_id, agent_id)
);
CREATE TABLE locks (
  id bigserial PRIMARY KEY,
  name text NOT NULL UNIQUE,
  title text NOT NULL,
  units integer NOT NULL CHECK (units BETWEEN 1 AND 1000)
);
ALTER TABLE runs
  ADD COLUMN account text,
  ADD COLUMN locks jsonb NOT NULL DEFAULT '{}';
-- Named values that the attempt handed on.
ALTER TABLE attempts ADD COLUMN outputs jsonb NOT NULL DEFAULT '{}';
`,
}
