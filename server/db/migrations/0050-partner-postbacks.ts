/**
 * Partners are told of their conversions, too: the outbox names whom a postback is for, a source or a partner, and what is
 * told once is told once to each of them. What a partner wants is its own, kept apart from the desk's records.
 */
const id = `text COLLATE "C"`;

export const up = `
ALTER TABLE outbox RENAME COLUMN source_id TO destination_id;
ALTER TABLE outbox DROP CONSTRAINT outbox_once;
ALTER TABLE outbox ADD CONSTRAINT outbox_once UNIQUE (desk_id, conversion_id, destination_id, status, nth);
CREATE TABLE partner_postbacks (
  desk_id ${id} NOT NULL REFERENCES desks(id),
  partner_id ${id} NOT NULL,
  method text NOT NULL CHECK (method IN ('get', 'pixel')),
  url text NOT NULL,
  statuses jsonb NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now(),
  -- Of the person who signed in.
  changed_by ${id} NOT NULL,
  PRIMARY KEY (desk_id, partner_id)
);
`;

export const down = `
DROP TABLE partner_postbacks;
DELETE FROM attempts WHERE outbox_id IN (SELECT id FROM outbox WHERE destination_id IN (SELECT id FROM parts WHERE kind = 'partner'));
DELETE FROM outbox WHERE destination_id IN (SELECT id FROM parts WHERE kind = 'partner');
ALTER TABLE outbox DROP CONSTRAINT outbox_once;
ALTER TABLE outbox ADD CONSTRAINT outbox_once UNIQUE (desk_id, conversion_id, status, nth);
ALTER TABLE outbox RENAME COLUMN destination_id TO source_id;
`;
