/** One-time links for a new password, tokens that expire, the desk that a member used last, and sessions with their start. */
const id = `text COLLATE "C"`;

export const up = `
ALTER TABLE members ADD COLUMN last_desk_id ${id} NOT NULL DEFAULT '';
CREATE TABLE password_links (
  -- SHA-256 of the link's secret.
  hash bytea PRIMARY KEY,
  member_id ${id} NOT NULL REFERENCES members(id),
  made_by ${id} NOT NULL REFERENCES members(id),
  expires_at timestamptz NOT NULL
);
CREATE INDEX password_links_member ON password_links (member_id);
ALTER TABLE api_tokens
  ADD COLUMN expires_at timestamptz,
  ADD COLUMN ends_with_password boolean NOT NULL DEFAULT false;
CREATE INDEX session_member ON session ((sess->>'memberId'));
`;

export const down = `
DROP INDEX session_member;
ALTER TABLE api_tokens DROP COLUMN expires_at, DROP COLUMN ends_with_password;
DROP TABLE password_links;
ALTER TABLE members DROP COLUMN last_desk_id;
`;
