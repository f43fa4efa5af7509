/** Feeds of costs, of rates, reports that are prepared on request, days fetched together, and rest after failures. */
const id = `text COLLATE "C"`;

export const up = `
ALTER TABLE feeds ALTER COLUMN network_id DROP NOT NULL,
  ADD COLUMN source_id ${id} REFERENCES parts (id),
  -- Runs that failed one after the other, and until when none is begun because of it.
  ADD COLUMN failures integer NOT NULL DEFAULT 0,
  ADD COLUMN rests_until timestamptz NOT NULL DEFAULT '-infinity',
  ADD CONSTRAINT feeds_of_one CHECK (num_nonnulls(network_id, source_id) = 1);
ALTER TABLE feed_runs DROP CONSTRAINT feed_runs_state_check,
  ADD CONSTRAINT feed_runs_state_check CHECK (state IN ('queued', 'running', 'fetched', 'done', 'failed', 'waiting', 'stopped')),
  -- Of rows that were fetched and book nothing.
  ADD COLUMN notes text NOT NULL DEFAULT '',
  -- Days that a member asked for together; empty: by the timetable.
  ADD COLUMN batch_id ${id} NOT NULL DEFAULT '',
  ADD COLUMN report_id text NOT NULL DEFAULT '',
  ADD COLUMN ordered_at timestamptz;
-- Rows of a run are taken in by their names, some at a time.
CREATE INDEX feed_rows_order ON feed_rows (run_id, (event_type_id || '|' || key), n DESC);
ALTER TABLE cost_loads ADD COLUMN feed_id ${id} NOT NULL DEFAULT '',
  ADD COLUMN feed_day date,
  ADD COLUMN feed_as_of timestamptz,
  ADD COLUMN feed_final boolean NOT NULL DEFAULT false;
CREATE UNIQUE INDEX cost_loads_feed ON cost_loads (feed_id, feed_day) WHERE feed_id <> '' AND state = 'done';
ALTER TABLE desks ADD COLUMN daily_rates boolean NOT NULL DEFAULT false, ADD COLUMN rates_failed_at timestamptz;
`;

export const down = `
DROP INDEX feed_rows_order;
ALTER TABLE desks DROP COLUMN daily_rates, DROP COLUMN rates_failed_at;
DROP INDEX cost_loads_feed;
ALTER TABLE cost_loads DROP COLUMN feed_id, DROP COLUMN feed_day, DROP COLUMN feed_as_of, DROP COLUMN feed_final;
ALTER TABLE feed_runs DROP COLUMN notes, DROP COLUMN batch_id, DROP COLUMN report_id, DROP COLUMN ordered_at,
  DROP CONSTRAINT feed_runs_state_check,
  ADD CONSTRAINT feed_runs_state_check CHECK (state IN ('queued', 'running', 'fetched', 'done', 'failed', 'waiting'));
DELETE FROM feeds WHERE network_id IS NULL;
ALTER TABLE feeds DROP CONSTRAINT feeds_of_one, DROP COLUMN source_id, DROP COLUMN failures, DROP COLUMN rests_until,
  ALTER COLUMN network_id SET NOT NULL;
`;
