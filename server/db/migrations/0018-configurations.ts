/** Each desk has a version of its own; records say in which they changed; every process says which ones it runs. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE configurations (
  desk_id ${id} PRIMARY KEY REFERENCES desks(id),
  version bigint NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now()
);
INSERT INTO configurations (desk_id, version) SELECT d.id, c.version FROM desks d, configuration c;
DROP TABLE configuration;
-- Null until the transaction that wrote the record has counted its desk's version up.
ALTER TABLE parts ADD COLUMN changed_in bigint;
UPDATE parts p SET changed_in = c.version FROM configurations c WHERE c.desk_id = p.desk_id;
CREATE INDEX parts_changed_in ON parts (desk_id, changed_in);
CREATE TABLE processes (
  -- Host and process, and letters of its own.
  id ${id} PRIMARY KEY,
  started_at timestamptz NOT NULL DEFAULT now(),
  seen_at timestamptz NOT NULL DEFAULT now(),
  -- Desk → version that it answers from; desk → why the newest one could not be loaded.
  versions jsonb NOT NULL,
  unloadable jsonb NOT NULL
);
`;

export const down = `
DROP TABLE processes;
DROP INDEX parts_changed_in;
ALTER TABLE parts DROP COLUMN changed_in;
CREATE TABLE configuration (one boolean PRIMARY KEY DEFAULT true CHECK (one), version bigint NOT NULL);
INSERT INTO configuration SELECT true, coalesce(max(version), 1) FROM configurations;
DROP TABLE configurations;
`;
