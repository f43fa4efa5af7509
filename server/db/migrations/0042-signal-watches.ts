/** What signal watches find, when they looked, and how offers' pages were at the last look. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE signal_findings (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  kind text NOT NULL,
  -- The record that it is about, or what tells one trouble of a kind from another.
  subject text COLLATE "C" NOT NULL,
  name text NOT NULL,
  sentence text NOT NULL,
  sure text NOT NULL,
  advice text NOT NULL,
  to_path text NOT NULL,
  since timestamptz NOT NULL,
  found_at timestamptz NOT NULL,
  ended_at timestamptz,
  -- A member has said that it is right as it is.
  accepted_at timestamptz
);
-- A trouble is found once, until it ends.
CREATE UNIQUE INDEX signal_findings_open ON signal_findings (desk_id, kind, subject) WHERE ended_at IS NULL;
CREATE INDEX signal_findings_desk ON signal_findings (desk_id, id);
CREATE TABLE signal_looks (
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  kind text NOT NULL,
  looked_at timestamptz NOT NULL,
  PRIMARY KEY (desk_id, kind)
);
CREATE TABLE offer_looks (
  part_id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  looked_at timestamptz NOT NULL,
  -- How it was when it was right; a member's word or the first look makes it so.
  baseline jsonb NOT NULL,
  seen jsonb NOT NULL
);
ALTER TABLE notice_settings ADD COLUMN off_signals jsonb NOT NULL DEFAULT '[]';
`;

export const down = `ALTER TABLE notice_settings DROP COLUMN off_signals; DROP TABLE offer_looks; DROP TABLE signal_looks; DROP TABLE signal_findings;`;
