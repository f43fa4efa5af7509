/** Watches, what they looked at, what they found, and what members were notified of. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE watches (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  body jsonb NOT NULL,
  -- null: it is off.
  next_at timestamptz,
  -- What its next check waits for.
  waits text NOT NULL DEFAULT '',
  -- In whose name it acts.
  changed_by ${id} NOT NULL
);
CREATE UNIQUE INDEX watches_name ON watches (desk_id, lower(body->>'name'));
CREATE INDEX watches_due ON watches (next_at) WHERE next_at IS NOT NULL;
CREATE TABLE watch_runs (
  id ${id} PRIMARY KEY,
  watch_id ${id} NOT NULL REFERENCES watches (id) ON DELETE CASCADE,
  at timestamptz NOT NULL,
  from_at timestamptz NOT NULL,
  to_at timestamptz NOT NULL,
  rows integer NOT NULL,
  matched integer NOT NULL,
  found integer NOT NULL,
  acted integer NOT NULL,
  note text NOT NULL DEFAULT ''
);
CREATE INDEX watch_runs_watch ON watch_runs (watch_id, id);
CREATE TABLE watch_findings (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL,
  watch_id ${id} NOT NULL REFERENCES watches (id) ON DELETE CASCADE,
  act text NOT NULL,
  value text COLLATE "C" NOT NULL,
  name text NOT NULL,
  seen jsonb NOT NULL,
  spent_micros bigint NOT NULL,
  state text NOT NULL CHECK (state IN ('none', 'put_off', 'asked', 'done', 'left', 'failed', 'undone')),
  why text NOT NULL DEFAULT '',
  -- What undoes it: the campaign and its version, or the entry of the list.
  did jsonb,
  found_at timestamptz NOT NULL,
  acted_at timestamptz,
  ended_at timestamptz,
  decided_by ${id} NOT NULL DEFAULT ''
);
-- A subject is found once, until its conditions don't hold any more.
CREATE UNIQUE INDEX watch_findings_open ON watch_findings (watch_id, value) WHERE ended_at IS NULL;
CREATE INDEX watch_findings_watch ON watch_findings (watch_id, id);
CREATE INDEX watch_findings_asked ON watch_findings (desk_id, id) WHERE state = 'asked' AND ended_at IS NULL;
CREATE INDEX watch_findings_acted ON watch_findings (watch_id, acted_at) WHERE acted_at IS NOT NULL;
CREATE TABLE notices (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  watch_id ${id} REFERENCES watches (id) ON DELETE SET NULL,
  at timestamptz NOT NULL,
  title text NOT NULL,
  text text NOT NULL
);
CREATE INDEX notices_desk ON notices (desk_id, id);
CREATE TABLE notice_reads (
  notice_id ${id} NOT NULL REFERENCES notices (id) ON DELETE CASCADE,
  member_id ${id} NOT NULL REFERENCES members (id) ON DELETE CASCADE,
  PRIMARY KEY (notice_id, member_id)
);
`;

export const down = `DROP TABLE notice_reads; DROP TABLE notices; DROP TABLE watch_findings; DROP TABLE watch_runs; DROP TABLE watches;`;
