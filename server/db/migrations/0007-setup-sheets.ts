/** Setup sheets (drafts of whole chains), who is at one, changes of many records that can be undone at once, name rules. */
const id = `text COLLATE "C"`;

export const up = `
-- Rules by which names are suggested; empty: those of the program.
ALTER TABLE desks ADD COLUMN name_rules jsonb NOT NULL DEFAULT '{}';
CREATE TABLE setup_sheets (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks(id),
  version int NOT NULL,
  body jsonb NOT NULL,
  -- For each field of the body the version that last changed it: two members who work on different fields do not collide.
  changed_in jsonb NOT NULL DEFAULT '{}',
  changed_by ${id} NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now(),
  -- The campaign that was made from it; null while it is a draft.
  campaign_id ${id} REFERENCES parts(id)
);
CREATE INDEX setup_sheets_desk ON setup_sheets (desk_id, changed_at);
CREATE TABLE setup_presence (
  sheet_id ${id} NOT NULL REFERENCES setup_sheets(id) ON DELETE CASCADE,
  member_id ${id} NOT NULL REFERENCES members(id) ON DELETE CASCADE,
  at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (sheet_id, member_id)
);
-- Test visits whose conversions the source is told of; of all other tests it is told nothing.
CREATE TABLE told_tests (
  desk_id ${id} NOT NULL,
  click_id ${id} NOT NULL,
  PRIMARY KEY (desk_id, click_id)
);
-- Records that were changed together: which, and from which version to which.
CREATE TABLE part_changes (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks(id),
  words text NOT NULL,
  items jsonb NOT NULL,
  made_by ${id} NOT NULL,
  made_at timestamptz NOT NULL DEFAULT now(),
  undone_at timestamptz
);
CREATE INDEX part_changes_desk ON part_changes (desk_id, id);
`;

export const down = `
DROP TABLE part_changes, told_tests, setup_presence, setup_sheets;
ALTER TABLE desks DROP COLUMN name_rules;
`;
