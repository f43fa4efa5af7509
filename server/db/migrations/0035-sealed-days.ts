/** Days whose visits lie in a Parquet file and no more in PostgreSQL: which file, and what its visits come to. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE sealed_days (
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  day date NOT NULL,
  -- Within the folder of sealed days.
  file text NOT NULL,
  sha256 text NOT NULL,
  visits bigint NOT NULL,
  -- By what tells visits apart (see verify.ts): their number, and their cost in micro-units.
  sums jsonb NOT NULL,
  sealed_at timestamptz NOT NULL DEFAULT now(),
  PRIMARY KEY (desk_id, day)
);
`;

export const down = `DROP TABLE sealed_days;`;
