import type { Migration } from './migration'

/** What agents tell of themselves for a while, when they are asked to. */
export const traces: Migration = {
  name: '0029-traces',
  up: `
CREATE TABLE traces (
  id bigserial PRIMARY KEY,
  agent_id bigint NOT NULL REFERENCES agents ON DELETE CASCADE,
  asked_by text NOT NULL,
  started_at timestamptz NOT NULL DEFAULT now(),
  until timestamptz NOT NULL,
  -- Bytes, as they are kept; the oldest go when there are too many.
  bytes bigint NOT NULL DEFAULT 0,
  lines bigint NOT NULL DEFAULT 0,
  rolled boolean NOT NULL DEFAULT false
);
CREATE INDEX traces_agent ON traces (agent_id, id DESC);
CREATE TABLE trace_chunks (
  id bigserial PRIMARY KEY,
  trace_id bigint NOT NULL REFERENCES traces ON DELETE CASCADE,
  -- Lines of JSON, as a member of a gzip file (RFC 1952): one after the other they are one file.
  body bytea NOT NULL,
  bytes integer NOT NULL
);
CREATE INDEX trace_chunks_trace ON trace_chunks (trace_id, id);
`,
}
