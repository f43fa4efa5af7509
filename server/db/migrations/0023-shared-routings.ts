/** Routings that several campaigns share; each of those has a copy in its own record, kept the same. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE shared_routings (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks(id),
  name text NOT NULL,
  routing jsonb NOT NULL
);
CREATE UNIQUE INDEX shared_routings_name ON shared_routings (desk_id, lower(name));
`;

export const down = `
DROP TABLE shared_routings;
`;
