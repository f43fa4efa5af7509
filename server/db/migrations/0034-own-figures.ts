/** Figures that a desk makes of the known ones by a formula. */
export const up = `
CREATE TABLE own_figures (
  id text PRIMARY KEY,
  desk_id text NOT NULL REFERENCES desks (id) ON DELETE CASCADE,
  name text NOT NULL,
  formula text NOT NULL,
  format text NOT NULL CHECK (format IN ('number', 'percent')),
  saved_by text NOT NULL,
  saved_at timestamptz NOT NULL
);
CREATE UNIQUE INDEX own_figures_name ON own_figures (desk_id, lower(name));
`;

export const down = `DROP TABLE own_figures;`;
