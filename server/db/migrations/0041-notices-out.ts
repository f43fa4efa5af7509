/** Where a desk's notices are sent, and what was sent. */
const id = `text COLLATE "C"`;

export const up = `
-- The screen on which a member sees what a notice is about.
ALTER TABLE notices ADD COLUMN to_path text NOT NULL DEFAULT '';
CREATE TABLE notice_settings (
  desk_id ${id} PRIMARY KEY REFERENCES desks (id) ON DELETE CASCADE,
  webhook_url text NOT NULL DEFAULT '',
  -- Of members.
  mail_to jsonb NOT NULL DEFAULT '[]',
  webhook boolean NOT NULL DEFAULT false,
  -- Of what the webhook is signed by.
  key_id text NOT NULL,
  sealed bytea NOT NULL
);
CREATE TABLE notice_sends (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  kind text NOT NULL CHECK (kind IN ('mail', 'webhook', 'request')),
  -- The member of an e-mail, the source of a request.
  target ${id} NOT NULL DEFAULT '',
  -- As it is shown: an address, or the source's name.
  shown_to text NOT NULL,
  title text NOT NULL,
  -- What is sent: the text of a notice, or the request.
  payload jsonb NOT NULL,
  state text NOT NULL DEFAULT 'waiting'
    CHECK (state IN ('waiting', 'sending', 'accepted', 'delivered', 'unknown', 'gave_up')),
  tries integer NOT NULL DEFAULT 0,
  made_at timestamptz NOT NULL,
  next_try_at timestamptz NOT NULL,
  result text NOT NULL DEFAULT ''
);
CREATE INDEX notice_sends_due ON notice_sends (next_try_at) WHERE state IN ('waiting', 'sending');
CREATE INDEX notice_sends_desk ON notice_sends (desk_id, id);
`;

export const down = `DROP TABLE notice_sends; DROP TABLE notice_settings; ALTER TABLE notices DROP COLUMN to_path;`;
