/**
 * Receipts that did not come by a network's server: from a pixel, a file, or by hand; what belongs together is a batch, and
 * can be undone as one. What waits in a postback that needs repair is kept as a sum, for the groups of alike ones.
 */
const id = `text COLLATE "C"`;

export const up = `
ALTER TABLE receipts ADD COLUMN channel text NOT NULL DEFAULT 'postback', ADD COLUMN batch_id ${id} NOT NULL DEFAULT '';
ALTER TABLE outcomes
  ADD COLUMN channel text NOT NULL DEFAULT 'postback',
  ADD COLUMN batch_id ${id} NOT NULL DEFAULT '',
  ADD COLUMN repair_key text NOT NULL DEFAULT '',
  ADD COLUMN repaired_by ${id} NOT NULL DEFAULT '',
  ADD COLUMN waiting_micros bigint,
  ADD COLUMN waiting_currency text;
CREATE INDEX outcomes_batch ON outcomes (desk_id, batch_id, receipt_id) WHERE batch_id <> '';
CREATE INDEX outcomes_repaired ON outcomes (desk_id, repaired_by, receipt_id) WHERE repaired_by <> '';
CREATE INDEX outcomes_waiting ON outcomes (desk_id, network_id, reason, repair_key, receipt_id) WHERE outcome IN ('repair', 'held');

UPDATE outcomes SET repair_key = lower(left(trim(detail), 120))
  WHERE outcome IN ('repair', 'held') AND reason IN ('unmapped_status', 'unmapped_event', 'unreadable_currency',
    'click_unsubstituted', 'not_a_value', 'unreadable_body', 'other_network', 'address_not_listed');

CREATE TABLE receipt_batches (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL,
  kind text NOT NULL CHECK (kind IN ('file', 'hand', 'repair')),
  network_id ${id} NOT NULL DEFAULT '',
  words text NOT NULL,
  settings jsonb NOT NULL DEFAULT '{}',
  state text NOT NULL CHECK (state IN ('draft', 'running', 'stopped', 'done', 'undoing', 'undone')),
  total integer NOT NULL DEFAULT 0,
  finished integer NOT NULL DEFAULT 0,
  cursor text NOT NULL DEFAULT '',
  problem text NOT NULL DEFAULT '',
  made_by ${id} NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now(),
  changed_at timestamptz NOT NULL DEFAULT now()
);
-- Rows of files, as they were uploaded; with a receipt once they were imported. The hash tells a row that was imported before.
CREATE TABLE import_rows (
  batch_id ${id} NOT NULL REFERENCES receipt_batches(id) ON DELETE CASCADE,
  n integer NOT NULL,
  desk_id ${id} NOT NULL,
  cells jsonb NOT NULL,
  hash text NOT NULL DEFAULT '',
  receipt_id ${id} NOT NULL DEFAULT '',
  PRIMARY KEY (batch_id, n)
);
CREATE INDEX import_rows_same ON import_rows (batch_id, hash) WHERE hash <> '';
CREATE INDEX import_rows_receipt ON import_rows (desk_id, receipt_id) WHERE receipt_id <> '';
CREATE INDEX import_rows_hash ON import_rows (desk_id, hash) WHERE receipt_id <> '';
CREATE INDEX receipt_batches_list ON receipt_batches (desk_id, id);
`;

export const down = `
DROP TABLE import_rows, receipt_batches;
DROP INDEX outcomes_batch, outcomes_waiting, outcomes_repaired;
ALTER TABLE outcomes DROP COLUMN channel, DROP COLUMN batch_id, DROP COLUMN repair_key, DROP COLUMN repaired_by, DROP COLUMN waiting_micros, DROP COLUMN waiting_currency;
ALTER TABLE receipts DROP COLUMN channel, DROP COLUMN batch_id;
`;
