/** Statements of networks, compared line by line with what is booked. */
const id = `text COLLATE "C"`;

export const up = `
ALTER TABLE receipt_batches DROP CONSTRAINT receipt_batches_kind_check;
ALTER TABLE receipt_batches ADD CONSTRAINT receipt_batches_kind_check CHECK (kind IN ('file', 'hand', 'repair', 'statement'));
-- One for each row of the file, and one for each conversion that the file lacks; a step that is done again writes the same ones.
CREATE TABLE statement_lines (
  batch_id ${id} NOT NULL REFERENCES receipt_batches(id) ON DELETE CASCADE,
  key ${id} NOT NULL,
  desk_id ${id} NOT NULL,
  n integer,
  kind text NOT NULL,
  conversion_id ${id} NOT NULL DEFAULT '',
  click_id ${id} NOT NULL DEFAULT '',
  transaction text NOT NULL DEFAULT '',
  -- As the file says, else as we booked it.
  at timestamptz,
  is_dated boolean NOT NULL DEFAULT false,
  theirs_status text, theirs_micros bigint, theirs_currency text,
  ours_status text, ours_micros bigint, ours_currency text,
  why text NOT NULL DEFAULT '',
  booked_by ${id} NOT NULL DEFAULT '',
  PRIMARY KEY (batch_id, key)
);
CREATE INDEX statement_lines_kind ON statement_lines (batch_id, kind, key);
CREATE INDEX statement_lines_conversion ON statement_lines (batch_id, conversion_id) WHERE conversion_id <> '';
CREATE INDEX conversions_of_network ON conversions (desk_id, network_id, converted_at);
`;

export const down = `
DROP INDEX conversions_of_network;
DROP TABLE statement_lines;
DELETE FROM receipt_batches WHERE kind = 'statement';
ALTER TABLE receipt_batches DROP CONSTRAINT receipt_batches_kind_check;
ALTER TABLE receipt_batches ADD CONSTRAINT receipt_batches_kind_check CHECK (kind IN ('file', 'hand', 'repair'));
`;
