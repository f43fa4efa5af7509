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
  ADD COLUMN waiting_micros bigint,
  ADD COLUMN waiting_currency text;
CREATE INDEX outcomes_batch ON outcomes (desk_id, batch_id, receipt_id) WHERE batch_id <> '';
CREATE INDEX outcomes_waiting ON outcomes (desk_id, network_id, reason) WHERE outcome IN ('repair', 'held');

CREATE TABLE receipt_batches (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL,
  kind text NOT NULL CHECK (kind IN ('file', 'hand', 'repair')),
  network_id ${id} NOT NULL DEFAULT '',
  words text NOT NULL,
  settings jsonb NOT NULL DEFAULT '{}',
  state text NOT NULL CHECK (state IN ('draft', 'running', 'stopped', 'done', 'undoing', 'undone', 'failed')),
  total integer NOT NULL DEFAULT 0,
  finished integer NOT NULL DEFAULT 0,
  results jsonb NOT NULL DEFAULT '{}',
  problem text NOT NULL DEFAULT '',
  made_by ${id} NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now(),
  changed_at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX receipt_batches_list ON receipt_batches (desk_id, id);
`;

export const down = `
DROP TABLE receipt_batches;
DROP INDEX outcomes_batch, outcomes_waiting;
ALTER TABLE outcomes DROP COLUMN channel, DROP COLUMN batch_id, DROP COLUMN waiting_micros, DROP COLUMN waiting_currency;
ALTER TABLE receipts DROP COLUMN channel, DROP COLUMN batch_id;
`;
