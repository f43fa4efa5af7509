/** Proxies by country, lists of keywords, and looks at offers that wait for their partner. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE proxies (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  country char(2) NOT NULL,
  address text NOT NULL,
  user_name text NOT NULL DEFAULT '',
  secret_id ${id} NOT NULL DEFAULT '',
  changed_by ${id} NOT NULL,
  changed_at timestamptz NOT NULL DEFAULT now(),
  UNIQUE (desk_id, country)
);
CREATE TABLE keyword_lists (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  name text NOT NULL,
  words jsonb NOT NULL,
  saved_by ${id} NOT NULL,
  saved_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX keyword_lists_name ON keyword_lists (desk_id, lower(name));
CREATE TABLE offer_waits (
  part_id ${id} PRIMARY KEY REFERENCES parts (id) ON DELETE CASCADE,
  desk_id ${id} NOT NULL,
  looked_at timestamptz NOT NULL,
  -- Its page answers with the expected words since then.
  ready_at timestamptz,
  sentence text NOT NULL
);
`;

export const down = `DROP TABLE keyword_lists; DROP TABLE offer_waits; DROP TABLE proxies;`;
