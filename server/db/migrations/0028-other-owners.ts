/** Conversions without a visit of ours: click IDs carried over from an earlier tracker, and partners known by their own ID. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE carried_clicks (
  desk_id ${id} NOT NULL,
  -- As the earlier tracker wrote it, its case included.
  foreign_id ${id} NOT NULL,
  visit_at timestamptz NOT NULL,
  campaign_id ${id} NOT NULL,
  source_id ${id} NOT NULL,
  offer_id ${id} NOT NULL DEFAULT '',
  source_click_id text NOT NULL DEFAULT '',
  country text NOT NULL DEFAULT '',
  subs jsonb NOT NULL DEFAULT '{}',
  batch_id ${id} NOT NULL,
  PRIMARY KEY (desk_id, foreign_id)
);
CREATE INDEX carried_clicks_batch ON carried_clicks (batch_id, foreign_id);
-- Those that a file of carried click IDs may be waiting for.
CREATE INDEX outcomes_unknown_click_of ON outcomes (desk_id, detail) WHERE reason = 'unknown_click';
ALTER TABLE conversions ADD COLUMN partner_id text COLLATE "C" NOT NULL DEFAULT '';
ALTER TABLE receipt_batches DROP CONSTRAINT receipt_batches_kind_check,
  ADD CONSTRAINT receipt_batches_kind_check CHECK (kind IN ('file','hand','repair','statement','carried'));
`;

export const down = `
DELETE FROM receipt_batches WHERE kind = 'carried';
ALTER TABLE receipt_batches DROP CONSTRAINT receipt_batches_kind_check,
  ADD CONSTRAINT receipt_batches_kind_check CHECK (kind IN ('file','hand','repair','statement'));
ALTER TABLE conversions DROP COLUMN partner_id;
DROP INDEX outcomes_unknown_click_of;
DROP TABLE carried_clicks;
`;
