/** Templates that members saved; those that come with the program lie in the folder templates/. */
const id = `text COLLATE "C"`;

export const up = `
CREATE TABLE templates (
  id ${id} PRIMARY KEY,
  desk_id ${id} NOT NULL REFERENCES desks(id),
  kind text NOT NULL,
  title text NOT NULL,
  about text NOT NULL,
  body jsonb NOT NULL,
  created_by ${id},
  created_at timestamptz NOT NULL DEFAULT now()
);
CREATE UNIQUE INDEX templates_title ON templates (desk_id, kind, lower(title));
`;

export const down = `DROP TABLE templates;`;
