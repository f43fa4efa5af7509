/** What a source is sent besides an address: the way, a body, headers whose values are kept encrypted; a status told again. */
const id = `text COLLATE "C"`;

export const up = `
ALTER TABLE outbox ADD COLUMN method text NOT NULL DEFAULT 'get' CHECK (method IN ('get','form','json','pixel')),
  ADD COLUMN body text NOT NULL DEFAULT '', ADD COLUMN nth integer NOT NULL DEFAULT 1;
ALTER TABLE outbox DROP CONSTRAINT outbox_once;
ALTER TABLE outbox ADD CONSTRAINT outbox_once UNIQUE (desk_id, conversion_id, status, nth);
-- on_page: an image that waits for the visitor's thank-you page.
ALTER TABLE outbox DROP CONSTRAINT outbox_state_check;
ALTER TABLE outbox ADD CONSTRAINT outbox_state_check
  CHECK (state IN ('waiting','delivered','gave_up','superseded','set_aside','on_page'));
CREATE INDEX outbox_on_page ON outbox (trying_since) WHERE state = 'on_page';

-- The key by which it was encrypted is named, so that it can be exchanged.
CREATE TABLE secrets (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks(id) ON DELETE CASCADE,
  key_id text NOT NULL,
  sealed bytea NOT NULL,
  made_by ${id} NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX secrets_desk ON secrets (desk_id);
`;

export const down = `
DROP TABLE secrets;
DROP INDEX outbox_on_page;
UPDATE outbox SET state = 'gave_up' WHERE state = 'on_page';
ALTER TABLE outbox DROP CONSTRAINT outbox_state_check;
ALTER TABLE outbox ADD CONSTRAINT outbox_state_check CHECK (state IN ('waiting','delivered','gave_up','superseded','set_aside'));
DELETE FROM attempts WHERE outbox_id IN (SELECT id FROM outbox WHERE nth > 1);
DELETE FROM outbox WHERE nth > 1;
ALTER TABLE outbox DROP CONSTRAINT outbox_once;
ALTER TABLE outbox ADD CONSTRAINT outbox_once UNIQUE (desk_id, conversion_id, status);
ALTER TABLE outbox DROP COLUMN method, DROP COLUMN body, DROP COLUMN nth;
`;
