/** When a desk gives verdicts, and the values that it put on the block and allow lists of its sources, with their reasons. */
export const up = `
ALTER TABLE desks ADD COLUMN verdict_rules jsonb NOT NULL DEFAULT '{}';
CREATE TABLE list_entries (
  id text PRIMARY KEY,
  desk_id text NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  source_id text NOT NULL,
  sub text NOT NULL,
  value text NOT NULL,
  list text NOT NULL CHECK (list IN ('block', 'allow')),
  reason text NOT NULL,
  profit_per_day_micros bigint,
  added_by text NOT NULL,
  added_at timestamptz NOT NULL,
  removed_by text,
  removed_at timestamptz
);
CREATE UNIQUE INDEX list_entries_there ON list_entries (desk_id, source_id, sub, value) WHERE removed_at IS NULL;
CREATE INDEX list_entries_of ON list_entries (desk_id, source_id, sub, added_at);
`;

export const down = `
DROP TABLE list_entries;
ALTER TABLE desks DROP COLUMN verdict_rules;
`;
