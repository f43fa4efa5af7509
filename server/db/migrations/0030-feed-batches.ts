/**
 * Where written visits and button clicks lie, for what is derived from them: each written batch leaves one row for each desk
 * and day, in the transaction that wrote it. Taken in the order of transactions, none is skipped that commits late. Kept for a
 * day: a busy desk writes many; what has slept longer is derived anew.
 */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE feed_batches (
  tx xid8 NOT NULL DEFAULT pg_current_xact_id(),
  kind text NOT NULL CHECK (kind IN ('visit','click')),
  desk_id ${id} NOT NULL,
  day date NOT NULL,
  -- Of the visits, or of the visits that were clicked; rows of other batches may lie between them.
  first_id ${id} NOT NULL,
  last_id ${id} NOT NULL,
  at timestamptz NOT NULL DEFAULT now()
);
CREATE INDEX feed_batches_tx ON feed_batches (tx);
CREATE INDEX fact_changes_tx ON fact_changes (tx);
`;

export const down = `
DROP INDEX fact_changes_tx;
DROP TABLE feed_batches;
`;
