/** Counts of what was kept nowhere; tokens of scripts; answers to repeated creating calls. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE unrecorded (
  desk_id ${id} NOT NULL,
  part_id ${id} NOT NULL,
  kind text NOT NULL CHECK (kind IN ('visit','call')),
  hour timestamptz NOT NULL,
  times bigint NOT NULL,
  PRIMARY KEY (desk_id, part_id, kind, hour)
);
CREATE TABLE api_tokens (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL,
  member_id ${id} NOT NULL,
  name text NOT NULL,
  scope text NOT NULL CHECK (scope IN ('read','write')),
  -- SHA-256 of the token: it has 160 bits of its own, so that a slow hash would gain nothing.
  hash bytea NOT NULL UNIQUE,
  created_at timestamptz NOT NULL DEFAULT now(),
  last_used_at timestamptz,
  FOREIGN KEY (desk_id, member_id) REFERENCES memberships (desk_id, member_id) ON DELETE CASCADE
);
CREATE INDEX api_tokens_member ON api_tokens (desk_id, member_id);
CREATE TABLE idempotent_calls (
  member_id ${id} NOT NULL,
  key text NOT NULL,
  -- SHA-256 of method, address and body: the same key with another body is refused.
  fingerprint bytea NOT NULL,
  -- null while the first call is still at it.
  status integer,
  answer jsonb,
  created_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (member_id, key)
);
CREATE INDEX idempotent_calls_age ON idempotent_calls (created_at);
`;

export const down = `DROP TABLE idempotent_calls, api_tokens, unrecorded;`;
