/** What sources billed: entries for a period and a scope, kept in loads that are undone as one. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE cost_loads (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  source_id ${id} NOT NULL REFERENCES parts (id),
  kind text NOT NULL CHECK (kind IN ('hand', 'file', 'feed')),
  state text NOT NULL CHECK (state IN ('draft', 'done', 'undone')),
  file_name text NOT NULL DEFAULT '',
  -- Of the file's rows as they were read: the same file is recognized whatever it is called.
  hash text NOT NULL DEFAULT '',
  header jsonb NOT NULL DEFAULT '[]',
  settings jsonb NOT NULL DEFAULT '{}',
  notes text NOT NULL DEFAULT '',
  total integer NOT NULL DEFAULT 0,
  made_by ${id} NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now(),
  undone_by ${id} NOT NULL DEFAULT '',
  undone_at timestamptz
);
CREATE INDEX cost_loads_desk ON cost_loads (desk_id, id);
-- Rows of a file that is not loaded yet.
CREATE TABLE cost_rows (
  load_id ${id} NOT NULL REFERENCES cost_loads (id) ON DELETE CASCADE,
  n integer NOT NULL,
  cells jsonb NOT NULL,
  PRIMARY KEY (load_id, n)
);
CREATE TABLE cost_entries (
  desk_id ${id} NOT NULL,
  load_id ${id} NOT NULL REFERENCES cost_loads (id) ON DELETE CASCADE,
  -- In the order in which they were entered, over all loads.
  n bigint GENERATED ALWAYS AS IDENTITY,
  source_id ${id} NOT NULL,
  campaign_id ${id} NOT NULL DEFAULT '',
  account_id text NOT NULL DEFAULT '',
  subs jsonb NOT NULL DEFAULT '{}',
  -- Days of the source's zone, both included, and the same in time; the second is not in it.
  first_day date NOT NULL,
  last_day date NOT NULL,
  from_at timestamptz NOT NULL,
  to_at timestamptz NOT NULL,
  is_credit boolean NOT NULL,
  amount_micros bigint NOT NULL CHECK (amount_micros >= 0),
  currency char(3) NOT NULL,
  -- The source's at the time, in percent × 10⁶.
  fee_percent bigint NOT NULL,
  PRIMARY KEY (load_id, n)
);
CREATE INDEX cost_entries_source ON cost_entries (desk_id, source_id, from_at, to_at);
-- Campaigns that ever had a cost which their visits were not stored with.
CREATE INDEX part_versions_late_cost ON part_versions (desk_id, part_id)
  WHERE body->>'costModel' IN ('thousand', 'conversion', 'share') OR coalesce(body->>'costSince', '') <> '';
`;

export const down = `
DROP INDEX part_versions_late_cost;
DROP TABLE cost_entries;
DROP TABLE cost_rows;
DROP TABLE cost_loads;
`;
