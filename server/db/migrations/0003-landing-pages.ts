/** Landing pages: how a button click was matched, and what the last look at a page found. */
const id = `text COLLATE "C"`;

export const up = `
ALTER TABLE button_clicks
  ADD COLUMN landing_id ${id} NOT NULL DEFAULT '',
  -- link, cookie, signed: by what the click was matched with its visit.
  ADD COLUMN match text NOT NULL DEFAULT 'link';
CREATE INDEX button_clicks_landing ON button_clicks (desk_id, landing_id, at);
ALTER TABLE unrecorded DROP CONSTRAINT unrecorded_kind_check;
ALTER TABLE unrecorded ADD CONSTRAINT unrecorded_kind_check CHECK (kind IN ('visit','button','call'));
CREATE TABLE page_checks (
  part_id ${id} PRIMARY KEY REFERENCES parts(id),
  desk_id ${id} NOT NULL,
  at timestamptz NOT NULL,
  result jsonb NOT NULL
);
`;

export const down = `
DROP TABLE page_checks;
DELETE FROM unrecorded WHERE kind = 'button';
ALTER TABLE unrecorded DROP CONSTRAINT unrecorded_kind_check;
ALTER TABLE unrecorded ADD CONSTRAINT unrecorded_kind_check CHECK (kind IN ('visit','call'));
DROP INDEX button_clicks_landing;
ALTER TABLE button_clicks DROP COLUMN landing_id, DROP COLUMN match;
`;
