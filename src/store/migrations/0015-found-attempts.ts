import type { Migration } from './migration'

/** What agents carried out after the back-up that this database was brought back from. */
export const foundAttempts: Migration = {
  name: '0015-found-attempts',
  up: `
CREATE TABLE found_attempts (
  attempt bigint NOT NULL,
  token bigint NOT NULL,
  agent_id bigint NOT NULL REFERENCES agents ON DELETE CASCADE,
  found_at timestamptz NOT NULL DEFAULT now(),
  -- Its agent has it in hand.
  goes_on boolean NOT NULL DEFAULT false,
  -- asked: its agent was asked what it is; told: it has said; taken: into the record; recalled: its reports were asked for; left: nobody wants it.
  state text NOT NULL DEFAULT 'asked' CHECK (state IN ('asked','told','taken','recalled','left')),
  -- What this server said of it when it was handed out.
  receipt jsonb,
  -- What another agent claims is its own affair: the receipt says whose it is.
  PRIMARY KEY (agent_id, attempt, token)
);
CREATE INDEX found_attempts_agent ON found_attempts (agent_id, state);
INSERT INTO settings (key, value) VALUES ('restored', 'null') ON CONFLICT DO NOTHING;
`,
}
