/** Ways to look at Numbers that a desk keeps under a name. */
export const up = `
CREATE TABLE saved_views (
  id text PRIMARY KEY,
  desk_id text NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  name text NOT NULL,
  query text NOT NULL,
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL
);
CREATE UNIQUE INDEX saved_views_name ON saved_views (desk_id, lower(name));
`;

export const down = `DROP TABLE saved_views;`;
