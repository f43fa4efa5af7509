/** Feeds of revenue: accounts at providers, their runs, and what is known of each day and click ID. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE feeds (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  network_id ${id} NOT NULL REFERENCES parts (id),
  body jsonb NOT NULL,
  secret_id ${id} NOT NULL DEFAULT '',
  -- null: it is off.
  next_at timestamptz,
  changed_by ${id} NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX feeds_name ON feeds (desk_id, lower(body->>'name'));
CREATE INDEX feeds_due ON feeds (next_at) WHERE next_at IS NOT NULL;
CREATE TABLE feed_runs (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL,
  feed_id ${id} NOT NULL REFERENCES feeds (id) ON DELETE CASCADE,
  day date NOT NULL,
  -- 'fetched': its rows are there, and are being taken in.
  state text NOT NULL CHECK (state IN ('queued', 'running', 'fetched', 'done', 'failed', 'waiting')),
  as_of timestamptz NOT NULL DEFAULT now(),
  is_final boolean NOT NULL DEFAULT false,
  is_complete boolean NOT NULL DEFAULT false,
  rows integer NOT NULL DEFAULT 0,
  amount_micros bigint NOT NULL DEFAULT 0,
  stated_micros bigint,
  told integer NOT NULL DEFAULT 0,
  problem text NOT NULL DEFAULT '',
  -- Whoever works on it; another one may take it over after that time.
  lease text NOT NULL DEFAULT '',
  leased_until timestamptz NOT NULL DEFAULT '-infinity',
  not_before timestamptz NOT NULL DEFAULT '-infinity',
  tries integer NOT NULL DEFAULT 0,
  started_at timestamptz NOT NULL DEFAULT now(),
  ended_at timestamptz
);
CREATE INDEX feed_runs_feed ON feed_runs (feed_id, id);
CREATE INDEX feed_runs_open ON feed_runs (id) WHERE state IN ('queued', 'running', 'fetched');
CREATE UNIQUE INDEX feed_runs_one ON feed_runs (feed_id, day) WHERE state IN ('queued', 'running', 'fetched');
-- Of runs that are not taken in yet.
CREATE TABLE feed_rows (
  run_id ${id} NOT NULL REFERENCES feed_runs (id) ON DELETE CASCADE,
  n integer NOT NULL,
  key text NOT NULL,
  event_type_id ${id} NOT NULL,
  amount_micros bigint NOT NULL,
  currency text NOT NULL,
  PRIMARY KEY (run_id, n)
);
CREATE TABLE feed_days (
  feed_id ${id} NOT NULL REFERENCES feeds (id) ON DELETE CASCADE,
  day date NOT NULL,
  final_as_of timestamptz,
  final_run ${id} NOT NULL DEFAULT '',
  PRIMARY KEY (feed_id, day)
);
CREATE TABLE feed_keys (
  feed_id ${id} NOT NULL REFERENCES feeds (id) ON DELETE CASCADE,
  day date NOT NULL,
  event_type_id ${id} NOT NULL,
  key text COLLATE "C" NOT NULL,
  estimate jsonb,
  final jsonb,
  had_amount boolean NOT NULL DEFAULT false,
  -- What was told last; null: nothing yet.
  told jsonb,
  receipt_id ${id} NOT NULL DEFAULT '',
  PRIMARY KEY (feed_id, day, event_type_id, key)
);
`;

export const down = `DROP TABLE feed_keys; DROP TABLE feed_days; DROP TABLE feed_rows; DROP TABLE feed_runs; DROP TABLE feeds;`;
